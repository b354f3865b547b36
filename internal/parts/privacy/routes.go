package privacy

import (
	"context"
	"encoding/json"
	"net/http"

	"aftergust/core/file/naming"
	"aftergust/core/link/access"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are what is kept of people, over HTTP.
type Routes struct {
	Web     *web.Web
	Privacy *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.privacyOperations()
}

// privacyOperations are what somebody may ask for of whom a studio keeps something.
func (a Routes) privacyOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/people/{id}/file", "person-file", "All that is kept of somebody, to hand to them"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*huma.StreamResponse, error) {
			f, err := a.Privacy.File(ctx, m, in.ID)
			if err != nil {
				return nil, err
			}
			text, err := json.MarshalIndent(f, "", "  ")
			if err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(c huma.Context) {
				c.SetHeader("Content-Type", "application/json")
				c.SetHeader("Content-Disposition", naming.Attachment(naming.Portable("Kept of "+f.Name)+".json"))
				c.SetHeader("Cache-Control", "no-store")
				_, _ = c.BodyWriter().Write(text) // whoever has gone does not read it
			}}, nil
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/people/{id}/erase", "erase-person", "Erase who somebody was, for good; what was taken stays counted"),
		web.AsMay(access.Run, web.Proven(a.Web, func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Privacy.Erase(ctx, m, in.ID)
		})))
}
