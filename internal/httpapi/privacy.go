package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"aftergust/core/access"
	"aftergust/core/naming"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
)

// privacyOperations are what somebody may ask for of whom a studio keeps something.
func (a *API) privacyOperations() {
	add(a, studioOp(http.MethodGet, "/people/{id}/file", "person-file", "All that is kept of somebody, to hand to them"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*huma.StreamResponse, error) {
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
	add(a, studioOp(http.MethodPost, "/people/{id}/erase", "erase-person", "Erase who somebody was, for good; what was taken stays counted"),
		asMay(access.Run, proven(a, func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Privacy.Erase(ctx, m, in.ID)
		})))
}
