package httpapi

import (
	"context"
	"net/http"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/notice"
	"aftergust/internal/ground"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/who/account"
)

// hookOperations are about telling other programs what happens. They are for owners:
// what is sent names people.
func (a *API) hookOperations() {
	add(a, studioOp(http.MethodGet, "/hooks", "hooks", "Where other programs are told of what happens"), asMay(access.Run,
		func(ctx context.Context, m account.Member, _ *none) (*body[[]hookView], error) {
			all, err := a.Hooks.Hooks(ctx, m)
			out := make([]hookView, len(all))
			for i, h := range all {
				out[i] = viewHook(h)
			}
			return &body[[]hookView]{out}, err
		}))
	add(a, studioOp(http.MethodPost, "/hooks", "add-hook", "Tell another program from now on; its secret is shown once"), asMay(access.Run, proven(a,
		func(ctx context.Context, m account.Member, in *struct{ Body hookIn }) (*body[madeHookView], error) {
			h, secret, err := a.Hooks.Add(ctx, m, in.Body.Address, in.Body.Kinds)
			return &body[madeHookView]{madeHookView{viewHook(h), secret}}, err
		})))
	add(a, studioOp(http.MethodPut, "/hooks/{id}", "change-hook", "Change where it is told of what, or turn it off or on"), asMay(access.Run, proven(a,
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				hookIn
				On bool `json:"on"`
			}
		}) (*body[hookView], error) {
			h, err := a.Hooks.Change(ctx, m, in.ID, in.Body.Address, in.Body.Kinds, in.Body.On)
			return &body[hookView]{viewHook(h)}, err
		})))
	add(a, studioOp(http.MethodDelete, "/hooks/{id}", "delete-hook", "Delete it with its log"), asMay(access.Run,
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Hooks.Remove(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/hooks/{id}/secret", "renew-hook", "Give it another secret, shown once; for a day both are good"),
		asMay(access.Run, proven(a, func(ctx context.Context, m account.Member, in *ByID) (*body[secretView], error) {
			secret, err := a.Hooks.Renew(ctx, m, in.ID)
			return &body[secretView]{secretView{secret}}, err
		})))
	add(a, studioOp(http.MethodPost, "/hooks/{id}/trial", "try-hook", "Send it a message that says only that it is one"), asMay(access.Run,
		func(ctx context.Context, m account.Member, in *ByID) (*body[deliveryView], error) {
			d, err := a.Hooks.Try(ctx, m, in.ID)
			return &body[deliveryView]{viewDelivery(d)}, err
		}))
	add(a, studioOp(http.MethodGet, "/hooks/{id}/messages", "hook-messages", "What became of the messages to it, the newest first"), asMay(access.Run,
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			After string `query:"after" maxLength:"120"`
		}) (*body[deliveriesView], error) {
			after, err := readHookCursor(in.After)
			if err != nil {
				return nil, err
			}
			all, err := a.Hooks.Log(ctx, m, in.ID, after)
			v := deliveriesView{Messages: make([]deliveryView, len(all))}
			for i, d := range all {
				v.Messages[i] = viewDelivery(d)
			}
			if last := len(all) - 1; last >= hooks.LogPage-1 {
				v.Next = all[last].At.UTC().Format(time.RFC3339Nano) + " " + all[last].ID
			}
			return &body[deliveriesView]{v}, err
		}))
	add(a, studioOp(http.MethodPost, "/hooks/messages/{id}/again", "resend-message", "Send a message once more, also one that was taken"),
		asMay(access.Run, func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
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

func viewHook(h hooks.Hook) hookView {
	return hookView{ID: h.ID, Address: h.Address, Kinds: orEmpty(h.Kinds), On: h.OffAt == nil, WhyOff: h.WhyOff, Failed: h.FailedAt,
		Took: h.TookAt, Both: h.BothUntil}
}

type deliveryView struct {
	ID     string      `json:"id"`
	Kind   string      `json:"kind"`
	Word   string      `json:"word" doc:"the kind in words"`
	Title  string      `json:"title" doc:"of the package; empty for a trial"`
	At     time.Time   `json:"at"`
	State  hooks.State `json:"state"`
	Tries  int         `json:"tries"`
	NextAt *time.Time  `json:"next_at" doc:"when it is tried again"`
	Tried  *time.Time  `json:"tried_at"`
	Status int         `json:"status" doc:"of the last answer; 0: there was none"`
	TookMS int         `json:"took_ms"`
	Says   string      `json:"says" doc:"what the other side said, or why it was not reached"`
}

type deliveriesView struct {
	Messages []deliveryView `json:"messages"`
	Next     string         `json:"next" doc:"pass as after for the next page; empty at the end"`
}

func viewDelivery(d hooks.Delivery) deliveryView {
	word := "Trial"
	if d.ParcelID != "" {
		word = notice.All.Get(notice.Kind(d.Kind)).Word
	}
	return deliveryView{ID: d.ID, Kind: d.Kind, Word: word, Title: d.Title, At: d.At, State: d.State, Tries: d.Tries, NextAt: d.NextAt,
		Tried: d.TriedAt, Status: d.Status, TookMS: d.TookMS, Says: d.Says}
}

func readHookCursor(s string) (hooks.Cursor, error) {
	if s == "" {
		return hooks.Cursor{}, nil
	}
	at, id, _ := strings.Cut(s, " ")
	moment, err := time.Parse(time.RFC3339Nano, at)
	if err != nil || id == "" {
		return hooks.Cursor{}, ground.Wrong("after", "This is no place in the list. Begin at the beginning.")
	}
	return hooks.Cursor{At: moment, ID: id}, nil
}
