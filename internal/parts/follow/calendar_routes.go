package follow

import (
	"context"
	"io"
	"net/http"
	"strings"

	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// calendarOperations are about the address at which a member's calendar asks.
func (a Routes) calendarOperations() {
	view := func(address string, err error) (*web.Body[calendarView], error) {
		return &web.Body[calendarView]{Body: calendarView{address}}, err
	}
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/calendar", "calendar", "The address at which one's calendar asks for the ends of packages"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[calendarView], error) {
			return view(a.Follow.Calendar(ctx, m))
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/calendar", "new-calendar", "Make such an address; the one before leads nowhere from then on"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[calendarView], error) {
			return view(a.Follow.NewCalendar(ctx, m))
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/calendar", "no-calendar", "Take the address away"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.None, error) {
			return nil, a.Follow.NoCalendar(ctx, m)
		}))
}

type calendarView struct {
	Address string `json:"address" doc:"whoever has it sees what is out and until when; empty where there is none"`
}

// calendar is the feed at such an address: GET /calendar/{key}.ics.
func (a Routes) calendar(w http.ResponseWriter, r *http.Request) {
	token, _ := strings.CutSuffix(chi.URLParam(r, "key"), ".ics")
	feed, err := a.Follow.Feed(r.Context(), token, r.Host)
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Cache-Control", "private, max-age=300")
	_, _ = io.WriteString(w, feed) // the reader has gone
}
