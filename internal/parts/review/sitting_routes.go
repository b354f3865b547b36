package review

import (
	"context"
	"net/http"

	"aftergust/internal/web"
)

type seatView struct {
	Name    string  `json:"name"`
	Studio  bool    `json:"studio"`
	Me      bool    `json:"me"`
	Leads   bool    `json:"leads" doc:"the others' players follow theirs"`
	Version string  `json:"version"`
	At      int64   `json:"at_us" doc:"where they were, in microseconds"`
	Plays   bool    `json:"plays"`
	Speed   float32 `json:"speed"`
	Clock   int64   `json:"clock_ms" doc:"when they were there, in milliseconds of the server's clock"`
}

type sittingView struct {
	Now   int64      `json:"now_ms" doc:"the server's clock, in milliseconds"`
	Seats []seatView `json:"seats"`
}

func (a Routes) viewSitting(all []Seat, p Party) *web.Body[sittingView] {
	v := sittingView{Now: a.Pack.Now().UnixMilli(), Seats: []seatView{}}
	for _, s := range all {
		v.Seats = append(v.Seats, seatView{s.Name, s.Studio, s.Who == p.ID(), s.Leads, s.VersionID, s.AtUS, s.Plays, s.Speed, s.ClockMS})
	}
	return &web.Body[sittingView]{Body: v}
}

type seatInput struct {
	Leads   bool    `json:"leads,omitempty"`
	Version string  `json:"version,omitempty" maxLength:"60"`
	At      int64   `json:"at_us,omitempty" minimum:"0"`
	Plays   bool    `json:"plays,omitempty"`
	Speed   float32 `json:"speed,omitempty" minimum:"0" maximum:"8"`
	Clock   int64   `json:"clock_ms,omitempty" minimum:"0" doc:"of the server, as whoever says it reckons it"`
}

func (a Routes) sittingOperations() {
	bothSides(a, http.MethodGet, "/items/{id}/sit", "sitting", "Who is in the Room of an item, and what whoever leads shows",
		func(ctx context.Context, p Party, in *web.ByID) (*web.Body[sittingView], error) {
			all, err := a.Sittings.Look(ctx, p, in.ID)
			return a.viewSitting(all, p), err
		})
	bothSides(a, http.MethodPut, "/items/{id}/sit", "sit", "Say that one is in the Room of an item, and where; to be said again within 25 seconds",
		func(ctx context.Context, p Party, in *aboutIn[seatInput]) (*web.Body[sittingView], error) {
			b := in.Body
			all, err := a.Sittings.Sit(ctx, p, in.ID, Seat{Leads: b.Leads, VersionID: b.Version, AtUS: b.At, Plays: b.Plays,
				Speed: b.Speed, ClockMS: b.Clock})
			return a.viewSitting(all, p), err
		})
	bothSides(a, http.MethodDelete, "/items/{id}/sit", "leave-room", "Leave the Room of an item",
		func(ctx context.Context, p Party, in *web.ByID) (*web.None, error) {
			return nil, a.Sittings.Leave(ctx, p, in.ID)
		})
}
