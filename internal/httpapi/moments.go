package httpapi

import (
	"context"
	"net/http"

	"aftergust/core/moment"
	"aftergust/internal/who/account"
)

// momentOperations are about days and hours before they are set.
func (a *API) momentOperations() {
	add(a, studioOp(http.MethodGet, "/moments", "moment", "When a day and an hour are, as somebody typed them, on every clock that matters"), asMember(
		func(_ context.Context, _ account.Member, in *struct {
			Text  string   `query:"text" maxLength:"100" doc:"fri 18, in 9 days, 3 dec 18:00; empty: days counts"`
			Days  int      `query:"days" minimum:"0" maximum:"365" doc:"so many days from now, at the same hour"`
			Usual string   `query:"usual" default:"18:00" doc:"the hour where text names none"`
			Zone  string   `query:"zone" required:"true" doc:"IANA time zone, as Europe/London"`
			Also  []string `query:"also,explode" maxItems:"50" doc:"other zones in which the moment is worded"`
		}) (*body[moment.Reading], error) {
			r, err := a.Pack.Ends(in.Text, in.Days, in.Usual, in.Zone, in.Also)
			return &body[moment.Reading]{r}, err
		}))
}
