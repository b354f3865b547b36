package copies

import (
	"context"
	"net/http"

	"aftergust/internal/parts/receive"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// Routes are copies into another studio over HTTP.
type Routes struct {
	Web     *web.Web
	Copies  *Service
	Receive *receive.Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.keepOperation()
}

// keepOperation is for a recipient who has a studio here.
func (a Routes) keepOperation() {
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/keep", "keep-copy", "Keep a copy in a project of one's own studio on this server, where one is signed in; no bytes travel"),
		receive.AsEntrant(a.Receive, receive.LinkOf, func(ctx context.Context, e receive.Entrant, in *receive.GuestInput[struct {
			Place string   `json:"place" maxLength:"60" doc:"id of a project or folder of one's own"`
			Items []string `json:"items,omitempty" maxItems:"2000" doc:"those that were chosen; left out: all"`
		}]) (*web.Body[keptView], error) {
			n, err := a.Copies.Keep(ctx, e, web.From(ctx).Member, in.Body.Place, in.Body.Items)
			a.Receive.Recorder.Hurry()
			return &web.Body[keptView]{Body: keptView{n, in.Body.Place}}, err
		}))
}

type keptView struct {
	Items int    `json:"items" doc:"how many were kept"`
	Place string `json:"place"`
}
