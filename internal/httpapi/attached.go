package httpapi

import (
	"encoding/json"
	"io"
	"net/http"
	"time"

	"aftergust/core/review"
	"aftergust/internal/ground"
	reviewing "aftergust/internal/parts/review"

	"github.com/go-chi/chi/v5"
)

// party is who takes part in a review by a request for bytes: whoever came by the link in
// its path, or the member who is signed in.
func (a *API) party(r *http.Request) (reviewing.Party, error) {
	if chi.URLParam(r, "link") == "" {
		m, err := member(r.Context())
		return reviewing.Studio(m), err
	}
	e, err := a.enter(r)
	return reviewing.Guest(e), err
}

// giveTime is how long what comes in one piece may take to arrive: others wait for its place.
const giveTime = 3 * time.Minute

// given is the body of a request that is taken in one piece: up to one byte more than most,
// so that whoever reads it sees when it is larger. What is done with it then may take longer.
func given(w http.ResponseWriter, r *http.Request, most int64) io.Reader {
	return givenWithin(w, r, most, giveTime)
}

// givenWithin is given with a time of its own.
func givenWithin(w http.ResponseWriter, r *http.Request, most int64, within time.Duration) io.Reader {
	return &arriving{Reader: http.MaxBytesReader(w, r.Body, most+1), wire: http.NewResponseController(w), within: within}
}

// idleTime is how long the body of a request may bring nothing at all.
const idleTime = 15 * time.Second

type arriving struct {
	io.Reader
	wire   *http.ResponseController
	within time.Duration
	until  time.Time // set by the first read: it may have waited for its turn before that
}

func (b *arriving) Read(p []byte) (int, error) {
	now := time.Now()
	if b.until.IsZero() {
		b.until = now.Add(b.within)
	}
	soon := now.Add(idleTime)
	if b.until.Before(soon) {
		soon = b.until
	}
	_ = b.wire.SetReadDeadline(soon) // a writer that has none is in tests
	n, err := b.Reader.Read(p)
	if err == io.EOF {
		_ = b.wire.SetReadDeadline(time.Time{}) // else who only waits would be cut off
		return n, err
	}
	if err != nil {
		err = &ground.Error{Kind: ground.Invalid, Code: "not_whole", Say: "It did not arrive whole. Nothing was kept; send it again."}
	}
	return n, err
}

// attach takes a voice or picture as the body of a POST:
// /api/v1/items/{id}/attached/{kind}, and the same under /api/v1/r/{link}.
func (a *API) attach(w http.ResponseWriter, r *http.Request) {
	kind := review.Attached(chi.URLParam(r, "kind"))
	p, err := a.party(r)
	var made reviewing.Attachment
	if err == nil {
		made, err = a.Review.Attach(r.Context(), p, chi.URLParam(r, "id"), kind, given(w, r, review.Attachments.Get(kind).Most))
	}
	if err != nil {
		a.refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(made) // the reader has gone
}

// attached sends what lies at a note: GET /api/v1/attached/{id}, and the same under
// /api/v1/r/{link}.
func (a *API) attached(w http.ResponseWriter, r *http.Request) *content {
	p, err := a.party(r)
	var found reviewing.Attachment
	if err == nil {
		found, err = a.Review.Attached(r.Context(), p, chi.URLParam(r, "id"))
	}
	return a.attachment(w, found, err)
}

// attachment makes ready what was found, or says why not.
func (a *API) attachment(w http.ResponseWriter, found reviewing.Attachment, err error) *content {
	if err != nil {
		a.refuse(w, err)
		return nil
	}
	w.Header().Set("Cache-Control", "private, no-cache")
	return &content{size: found.Size, etag: `"` + found.ID + `"`, mime: found.Mime, pieces: oneFile,
		open: a.blob(found.BlobID)}
}
