package remind

import (
	"context"
	"net/http"

	"aftergust/core/time/reminder"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are reminders, and what is done to several packages, over HTTP.
type Routes struct {
	Web    *web.Web
	Pack   *pack.Service
	Remind *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.remindOperations()
	a.actOperations()
}

// remindOperations are about reminders: by hand, and by the studio's ladder.
func (a Routes) remindOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/recipients/{id}/remind", "remind", "Remind somebody who has not everything"), web.AsMember(
		func(ctx context.Context, m account.Member, in *remindIn) (*web.None, error) {
			return nil, a.Remind.One(ctx, m, in.ID, in.message())
		}))
	view := func(reminded []string, left []Left, err error) (*web.Body[remindedView], error) {
		out := remindedView{Reminded: ground.OrEmpty(reminded), Left: []leftView{}}
		for _, l := range left {
			out.Left = append(out.Left, leftView(l))
		}
		return &web.Body[remindedView]{Body: out}, err
	}
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/remind", "remind-all", "Remind everybody who has not everything of a package"), web.AsMember(
		func(ctx context.Context, m account.Member, in *remindIn) (*web.Body[remindedView], error) {
			return view(a.Remind.All(ctx, m, in.ID, in.message()))
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/remind", "would-remind", "Who would be reminded of a package now, and who would not, and why"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[remindedView], error) {
			return view(a.Remind.Would(ctx, m, in.ID))
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/reminders", "reminders", "When people are reminded, in packages that are begun from now on"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[ladderView], error) {
			l, err := a.Remind.Ladder(ctx, m)
			return viewLadder(l), err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/reminders", "set-reminders", "Set when people are reminded, in packages that are begun from now on"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Hours []int `json:"hours" maxItems:"6" doc:"before the end"`
			}
		}) (*web.Body[ladderView], error) {
			l, err := a.Remind.SetLadder(ctx, m, in.Body.Hours)
			return viewLadder(l), err
		}))
}

type remindIn struct {
	web.ByID
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

func viewLadder(l reminder.Ladder) *web.Body[ladderView] {
	return &web.Body[ladderView]{Body: ladderView{Hours: ground.OrEmpty(l), Says: l.Say()}}
}
