package httpapi

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/notice"
	"aftergust/core/reminder"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/remind"
	"aftergust/internal/who/account"
)

// remindOperations are about reminders: by hand, and by the studio's ladder.
func (a *API) remindOperations() {
	add(a, studioOp(http.MethodPost, "/recipients/{id}/remind", "remind", "Remind somebody who has not everything"), asMember(
		func(ctx context.Context, m account.Member, in *remindIn) (*none, error) {
			return nil, a.Remind.One(ctx, m, in.ID, in.message())
		}))
	view := func(reminded []string, left []remind.Left, err error) (*body[remindedView], error) {
		out := remindedView{Reminded: orEmpty(reminded), Left: []leftView{}}
		for _, l := range left {
			out.Left = append(out.Left, leftView(l))
		}
		return &body[remindedView]{out}, err
	}
	add(a, studioOp(http.MethodPost, "/packages/{id}/remind", "remind-all", "Remind everybody who has not everything of a package"), asMember(
		func(ctx context.Context, m account.Member, in *remindIn) (*body[remindedView], error) {
			return view(a.Remind.All(ctx, m, in.ID, in.message()))
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/remind", "would-remind", "Who would be reminded of a package now, and who would not, and why"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[remindedView], error) {
			return view(a.Remind.Would(ctx, m, in.ID))
		}))
	add(a, studioOp(http.MethodGet, "/reminders", "reminders", "When people are reminded, in packages that are begun from now on"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[ladderView], error) {
			l, err := a.Remind.Ladder(ctx, m)
			return viewLadder(l), err
		}))
	add(a, studioOp(http.MethodPut, "/reminders", "set-reminders", "Set when people are reminded, in packages that are begun from now on"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Hours []int `json:"hours" maxItems:"6" doc:"before the end"`
			}
		}) (*body[ladderView], error) {
			l, err := a.Remind.SetLadder(ctx, m, in.Body.Hours)
			return viewLadder(l), err
		}))
}

type remindIn struct {
	ByID
	Body *struct {
		Message string `json:"message,omitempty" maxLength:"500" doc:"a line of one's own"`
	}
}

func (in *remindIn) message() string {
	if in.Body == nil {
		return ""
	}
	return in.Body.Message
}

type leftView struct {
	Name string `json:"name"`
	Why  string `json:"why"`
}

type remindedView struct {
	Reminded []string   `json:"reminded" doc:"names of those who get a letter"`
	Left     []leftView `json:"left" doc:"those who have not everything and get none, and why"`
}

type ladderView struct {
	Hours []int  `json:"hours" doc:"before the end, longest first"`
	Says  string `json:"says" doc:"in words, after: reminded"`
}

func viewLadder(l reminder.Ladder) *body[ladderView] {
	return &body[ladderView]{ladderView{Hours: orEmpty(l), Says: l.Say()}}
}

// noticeOperations are what a studio is told of.
func (a *API) noticeOperations() {
	add(a, studioOp(http.MethodGet, "/notices", "notices", "What happened to what one sent, newest first"), asMember(a.listNotices))
	add(a, studioOp(http.MethodGet, "/notices/unseen", "unseen-notices", "How many notices one has not seen"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[unseenView], error) {
			n, err := a.Notices.Unseen(ctx, m)
			return &body[unseenView]{unseenView{n, n >= notices.ManyUnseen}}, err
		}))
	add(a, studioOp(http.MethodPost, "/notices/seen", "see-notices", "Say that one has seen all up to a notice"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Until int64 `json:"until" doc:"id of the newest that was seen"`
			}
		}) (*none, error) {
			return nil, a.Notices.See(ctx, m, in.Body.Until)
		}))
	add(a, studioOp(http.MethodGet, "/notices/choices", "notice-choices", "How often the studio is written to about what"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[choicesView], error) {
			all, err := a.Notices.Choices(ctx, m)
			return &body[choicesView]{viewChoices(all)}, err
		}))
	add(a, studioOp(http.MethodPut, "/notices/choices", "choose-notices", "Choose how often the studio is written to about some kinds"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Project string       `json:"project,omitempty" doc:"id; left out for all projects"`
				Kinds   []choiceView `json:"kinds" maxItems:"50" doc:"an empty cadence takes the choice back"`
			}
		}) (*body[choicesView], error) {
			choices := make([]notices.Choice, len(in.Body.Kinds))
			for i, c := range in.Body.Kinds {
				choices[i] = notices.Choice{PlaceID: in.Body.Project, Kind: c.Kind, Cadence: notice.Cadence(c.Cadence)}
			}
			if err := a.Notices.Choose(ctx, m, choices...); err != nil {
				return nil, err
			}
			all, err := a.Notices.Choices(ctx, m)
			return &body[choicesView]{viewChoices(all)}, err
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

func viewChoices(all []notices.Choice) choicesView {
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

func (a *API) listNotices(ctx context.Context, m account.Member, in *struct {
	After     string `query:"after" doc:"next of the page before; empty for the first"`
	Everybody bool   `query:"everybody" doc:"of the whole studio, not of one's own packages only"`
}) (*body[noticesView], error) {
	after, err := readMoment(in.After)
	if err != nil {
		return nil, err
	}
	all, err := a.Notices.List(ctx, m, in.Everybody, notices.Cursor(after))
	if err != nil {
		return nil, err
	}
	v := noticesView{Notices: []noticeView{}}
	for _, n := range all {
		v.Notices = append(v.Notices, noticeView{ID: n.ID, Kind: n.Kind, Says: n.Say(), Package: n.ParcelID, Title: n.Title, At: n.At,
			Seen: n.Seen || n.MemberID != m.ID, Note: n.Thread, Item: n.Content})
	}
	if len(all) == notices.Page {
		last := all[len(all)-1]
		v.Next = writeMoment(last.At, last.ID)
	}
	return &body[noticesView]{v}, nil
}
