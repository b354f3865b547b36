package hooks

import (
	"context"
	"net/http"
	"strings"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/words/notice"
	"aftergust/internal/ground"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are webhooks over HTTP.
type Routes struct {
	Web   *web.Web
	Hooks *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.hookOperations()
}

// hookOperations are about telling other programs what happens. They are for owners:
// what is sent names people.
func (a Routes) hookOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/hooks", "hooks", "Where other programs are told of what happens"), web.AsMay(access.Run,
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]hookView], error) {
			all, err := a.Hooks.Hooks(ctx, m)
			out := make([]hookView, len(all))
			for i, h := range all {
				out[i] = viewHook(h)
			}
			return &web.Body[[]hookView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/hooks", "add-hook", "Tell another program from now on; its secret is shown once"), web.AsMay(access.Run, web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *struct{ Body hookIn }) (*web.Body[madeHookView], error) {
			h, secret, err := a.Hooks.Add(ctx, m, in.Body.Address, in.Body.Kinds)
			return &web.Body[madeHookView]{Body: madeHookView{viewHook(h), secret}}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/hooks/{id}", "change-hook", "Change where it is told of what, or turn it off or on"), web.AsMay(access.Run, web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				hookIn
				On bool `json:"on"`
			}
		}) (*web.Body[hookView], error) {
			h, err := a.Hooks.Change(ctx, m, in.ID, in.Body.Address, in.Body.Kinds, in.Body.On)
			return &web.Body[hookView]{Body: viewHook(h)}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/hooks/{id}", "delete-hook", "Delete it with its log"), web.AsMay(access.Run,
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Hooks.Remove(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/hooks/{id}/secret", "renew-hook", "Give it another secret, shown once; for a day both are good"),
		web.AsMay(access.Run, web.Proven(a.Web, func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[secretView], error) {
			secret, err := a.Hooks.Renew(ctx, m, in.ID)
			return &web.Body[secretView]{Body: secretView{secret}}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/hooks/{id}/trial", "try-hook", "Send it a message that says only that it is one"), web.AsMay(access.Run,
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[deliveryView], error) {
			d, err := a.Hooks.Try(ctx, m, in.ID)
			return &web.Body[deliveryView]{Body: viewDelivery(d)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/hooks/{id}/messages", "hook-messages", "What became of the messages to it, the newest first"), web.AsMay(access.Run,
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			After string `query:"after" maxLength:"120"`
		}) (*web.Body[deliveriesView], error) {
			after, err := readHookCursor(in.After)
			if err != nil {
				return nil, err
			}
			all, err := a.Hooks.Log(ctx, m, in.ID, after)
			v := deliveriesView{Messages: make([]deliveryView, len(all))}
			for i, d := range all {
				v.Messages[i] = viewDelivery(d)
			}
			if last := len(all) - 1; last >= LogPage-1 {
				v.Next = all[last].At.UTC().Format(time.RFC3339Nano) + " " + all[last].ID
			}
			return &web.Body[deliveriesView]{Body: v}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/hooks/messages/{id}/again", "resend-message", "Send a message once more, also one that was taken"),
		web.AsMay(access.Run, func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Hooks.Again(ctx, m, in.ID)
		}))
}

type hookIn struct {
	Address string   `json:"address" maxLength:"500"`
	Kinds   []string `json:"kinds" maxItems:"50" doc:"of notices"`
}

type hookView struct {
	ID      string     `json:"id"`
	Address string     `json:"address"`
	Kinds   []string   `json:"kinds"`
	On      bool       `json:"on"`
	WhyOff  string     `json:"why_off"`
	Failed  *time.Time `json:"failed_at" doc:"the last try that failed; null once one went well"`
	Took    *time.Time `json:"took_at" doc:"the last one that went well"`
	Both    *time.Time `json:"both_until" doc:"until when the secret before is good too"`
}

type madeHookView struct {
	hookView
	Secret string `json:"secret"`
}

type secretView struct {
	Secret string `json:"secret"`
}

func viewHook(h Hook) hookView {
	return hookView{ID: h.ID, Address: h.Address, Kinds: ground.OrEmpty(h.Kinds), On: h.OffAt == nil, WhyOff: h.WhyOff, Failed: h.FailedAt,
		Took: h.TookAt, Both: h.BothUntil}
}

type deliveryView struct {
	ID     string     `json:"id"`
	Kind   string     `json:"kind"`
	Word   string     `json:"word" doc:"the kind in words"`
	Title  string     `json:"title" doc:"of the package; empty for a trial"`
	At     time.Time  `json:"at"`
	State  State      `json:"state"`
	Tries  int        `json:"tries"`
	NextAt *time.Time `json:"next_at" doc:"when it is tried again"`
	Tried  *time.Time `json:"tried_at"`
	Status int        `json:"status" doc:"of the last answer; 0: there was none"`
	TookMS int        `json:"took_ms"`
	Says   string     `json:"says" doc:"what the other side said, or why it was not reached"`
}

type deliveriesView struct {
	Messages []deliveryView `json:"messages"`
	Next     string         `json:"next" doc:"pass as after for the next page; empty at the end"`
}

func viewDelivery(d Delivery) deliveryView {
	word := "Trial"
	if d.ParcelID != "" {
		word = notice.All.Get(notice.Kind(d.Kind)).Word
	}
	return deliveryView{ID: d.ID, Kind: d.Kind, Word: word, Title: d.Title, At: d.At, State: d.State, Tries: d.Tries, NextAt: d.NextAt,
		Tried: d.TriedAt, Status: d.Status, TookMS: d.TookMS, Says: d.Says}
}

func readHookCursor(s string) (Cursor, error) {
	if s == "" {
		return Cursor{}, nil
	}
	at, id, _ := strings.Cut(s, " ")
	moment, err := time.Parse(time.RFC3339Nano, at)
	if err != nil || id == "" {
		return Cursor{}, ground.Wrong("after", "This is no place in the list. Begin at the beginning.")
	}
	return Cursor{At: moment, ID: id}, nil
}
