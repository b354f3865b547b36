package notices

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/words/notice"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are notices over HTTP.
type Routes struct {
	Web     *web.Web
	Notices *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.noticeOperations()
}

// noticeOperations are what a studio is told of.
func (a Routes) noticeOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/notices", "notices", "What happened to what one sent, newest first"), web.AsMember(a.listNotices))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/notices/unseen", "unseen-notices", "How many notices one has not seen"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[unseenView], error) {
			n, err := a.Notices.Unseen(ctx, m)
			return &web.Body[unseenView]{Body: unseenView{n, n >= ManyUnseen}}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/notices/seen", "see-notices", "Say that one has seen all up to a notice"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Until int64 `json:"until" doc:"id of the newest that was seen"`
			}
		}) (*web.None, error) {
			return nil, a.Notices.See(ctx, m, in.Body.Until)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/notices/choices", "notice-choices", "How often the studio is written to about what"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[choicesView], error) {
			all, err := a.Notices.Choices(ctx, m)
			return &web.Body[choicesView]{Body: viewChoices(all)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/notices/choices", "choose-notices", "Choose how often the studio is written to about some kinds"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Project string       `json:"project,omitempty" doc:"id; left out for all projects"`
				Kinds   []choiceView `json:"kinds" maxItems:"50" doc:"an empty cadence takes the choice back"`
			}
		}) (*web.Body[choicesView], error) {
			choices := make([]Choice, len(in.Body.Kinds))
			for i, c := range in.Body.Kinds {
				choices[i] = Choice{PlaceID: in.Body.Project, Kind: c.Kind, Cadence: notice.Cadence(c.Cadence)}
			}
			if err := a.Notices.Choose(ctx, m, choices...); err != nil {
				return nil, err
			}
			all, err := a.Notices.Choices(ctx, m)
			return &web.Body[choicesView]{Body: viewChoices(all)}, err
		}))
}

type unseenView struct {
	Count int  `json:"count"`
	More  bool `json:"more" doc:"there are more than that"`
}

type choiceView struct {
	Kind    notice.Kind `json:"kind"`
	Cadence string      `json:"cadence" enum:"at_once,gathered,daily,never,"`
}

type kindView struct {
	Kind    notice.Kind    `json:"kind"`
	Cadence notice.Cadence `json:"cadence"`
	Word    string         `json:"word"`
	Means   string         `json:"means"`
}

type projectChoices struct {
	ID    string       `json:"id"`
	Name  string       `json:"name" doc:"with its client"`
	Kinds []choiceView `json:"kinds" doc:"those that differ from what holds for all"`
}

type choicesView struct {
	Kinds    []kindView       `json:"kinds" doc:"what holds for all projects"`
	Projects []projectChoices `json:"projects" doc:"those that are written about more or less often"`
}

func viewChoices(all []Choice) choicesView {
	v := choicesView{Projects: []projectChoices{}}
	everywhere := notice.Choices{}
	for _, c := range all {
		if c.PlaceID == "" {
			everywhere[c.Kind] = c.Cadence
			continue
		}
		if n := len(v.Projects); n == 0 || v.Projects[n-1].ID != c.PlaceID {
			v.Projects = append(v.Projects, projectChoices{ID: c.PlaceID, Name: c.Place})
		}
		last := &v.Projects[len(v.Projects)-1]
		last.Kinds = append(last.Kinds, choiceView{c.Kind, string(c.Cadence)})
	}
	for _, k := range notice.All.Names() {
		d := notice.All.Get(k)
		v.Kinds = append(v.Kinds, kindView{k, notice.Of(k, nil, everywhere), d.Word, d.Means})
	}
	return v
}

type noticeView struct {
	ID      int64       `json:"id"`
	Kind    notice.Kind `json:"kind"`
	Says    string      `json:"says"`
	Package string      `json:"package" doc:"id"`
	Title   string      `json:"title" doc:"of the package"`
	At      time.Time   `json:"at"`
	Seen    bool        `json:"seen"`
	Note    string      `json:"note" doc:"id of the note that it is about, of an answer that of its note; empty for none"`
	Item    string      `json:"item" doc:"id of the item that the note lies on"`
}

type noticesView struct {
	Notices []noticeView `json:"notices"`
	Next    string       `json:"next" doc:"pass as after for the next page; empty at the end"`
}

func (a Routes) listNotices(ctx context.Context, m account.Member, in *struct {
	After     string `query:"after" doc:"next of the page before; empty for the first"`
	Everybody bool   `query:"everybody" doc:"of the whole studio, not of one's own packages only"`
}) (*web.Body[noticesView], error) {
	at, id, err := web.ReadMoment(in.After)
	if err != nil {
		return nil, err
	}
	all, err := a.Notices.List(ctx, m, in.Everybody, Cursor{At: at, ID: id})
	if err != nil {
		return nil, err
	}
	v := noticesView{Notices: []noticeView{}}
	for _, n := range all {
		v.Notices = append(v.Notices, noticeView{ID: n.ID, Kind: n.Kind, Says: n.Say(), Package: n.ParcelID, Title: n.Title, At: n.At,
			Seen: n.Seen || n.MemberID != m.ID, Note: n.Thread, Item: n.Content})
	}
	if len(all) == Page {
		last := all[len(all)-1]
		v.Next = web.WriteMoment(last.At, last.ID)
	}
	return &web.Body[noticesView]{Body: v}, nil
}
