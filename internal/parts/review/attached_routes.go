package review

import (
	"encoding/json"
	"net/http"

	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// party is who takes part in a review by a request for bytes: whoever came by the link in
// its path, or the member who is signed in.
func (a Routes) party(r *http.Request) (Party, error) {
	if chi.URLParam(r, "link") == "" {
		m, err := web.Member(r.Context())
		return Studio(m), err
	}
	e, err := a.ReceiveRoutes.Enter(r)
	return Guest(e), err
}

// attach takes a voice or picture as the body of a POST:
// /api/v1/items/{id}/attached/{kind}, and the same under /api/v1/r/{link}.
func (a Routes) attach(w http.ResponseWriter, r *http.Request) {
	kind := review.Attached(chi.URLParam(r, "kind"))
	p, err := a.party(r)
	var made Attachment
	if err == nil {
		made, err = a.Review.Attach(r.Context(), p, chi.URLParam(r, "id"), kind, web.Given(w, r, review.Attachments.Get(kind).Most))
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(made) // the reader has gone
}

// attached sends what lies at a note: GET /api/v1/attached/{id}, and the same under
// /api/v1/r/{link}.
func (a Routes) attached(w http.ResponseWriter, r *http.Request) *web.Content {
	p, err := a.party(r)
	var found Attachment
	if err == nil {
		found, err = a.Review.Attached(r.Context(), p, chi.URLParam(r, "id"))
	}
	return a.attachment(w, found, err)
}

// attachment makes ready what was found, or says why not.
func (a Routes) attachment(w http.ResponseWriter, found Attachment, err error) *web.Content {
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	w.Header().Set("Cache-Control", "private, no-cache")
	return &web.Content{Size: found.Size, Etag: `"` + found.ID + `"`, Mime: found.Mime, Pieces: web.OneFile,
		Open: a.Web.Blob(found.BlobID)}
}

// look sends a poster, proxy or page, never an original: GET /r/{link}/look/{item}/{what},
// or of a version that the package gave before: GET /r/{link}/look/{item}/{version}/{what}.
func (a Routes) look(w http.ResponseWriter, r *http.Request) *web.Content {
	e, c, err := a.ReceiveRoutes.Reach(r, right.See)
	if version := chi.URLParam(r, "version"); err == nil && version != "" {
		c, err = a.Review.Version(r.Context(), Guest(e), c.ID, version)
	}
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return nil
	}
	made := a.PreviewsRoutes.Preview(w, r, c.VersionID, chi.URLParam(r, "what"), !e.May(right.Take, a.Pack.Now()))
	if made != nil {
		made.Ticket = a.Web.Running.Begin(w, r, e.Running(right.See, []string{c.ID}))
	}
	return made
}
