package web

import (
	"context"
	"io"
	"iter"
	"net/http"
	"strings"
	"time"

	"aftergust/core/file/ziplayout"
	"aftergust/internal/files/archive"

	"github.com/go-chi/chi/v5"
)

// Guarded sets what keeps content from outside from ever running as part of our pages.
func Guarded(w http.ResponseWriter) {
	h := w.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
}

// RefuseBytes answers a request for bytes that is not allowed. A person who
// followed an old link in a browser is shown the page that says why.
func (a *Web) RefuseBytes(w http.ResponseWriter, r *http.Request, err error) {
	if r.Header.Get("Sec-Fetch-Dest") == "document" || strings.HasPrefix(r.Header.Get("Accept"), "text/html") {
		http.Redirect(w, r, "/r/"+chi.URLParam(r, "link"), http.StatusSeeOther)
		return
	}
	a.Refuse(w, err)
}

// Sends answers with the bytes that a handler makes ready; where it gives none, it has
// answered itself. What was needed to find them lies on no stack any more while they go
// out, since thousands may wait for slow readers.
func (a *Web) Sends(ready func(http.ResponseWriter, *http.Request) *Content) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		c := ready(w, r)
		if c == nil {
			return
		}
		if t := a.OfMember(a.OfMembers, w, r); c.Ticket == nil {
			c.Ticket = t
		} else if t != nil {
			defer t.End() // cut through either: both end the connection
		}
		if c.Ticket != nil {
			defer c.Ticket.End()
		}
		if c.Given != nil {
			if err := a.undamaged(r.Context(), c.Given); err != nil {
				w.Header().Del("Content-Disposition")
				a.Refuse(w, err)
				return
			}
		}
		Guarded(w)
		began := time.Now()
		got := a.deliver(w, r, c)
		if c.Taken != nil {
			c.Taken(got, time.Since(began))
		}
	}
}

// Blob opens one blob, as the only entry of a content.
func (a *Web) Blob(id string) func(context.Context, int, int64) (io.ReadCloser, error) {
	return func(ctx context.Context, _ int, offset int64) (io.ReadCloser, error) {
		return a.Bytes.Open(ctx, id, offset)
	}
}

// ZipContent is a planned ZIP as it is delivered.
func (a *Web) ZipContent(zip *archive.Plan) *Content {
	return &Content{
		Size: zip.Layout.Length(), Etag: zip.Tag, Mime: "application/zip", Given: zip.Entries,
		Pieces: func(start, end int64) iter.Seq[ziplayout.Piece] { return zip.Layout.Pieces(start, end) },
		Open: func(ctx context.Context, i int, offset int64) (io.ReadCloser, error) {
			if text := zip.Entries[i].Text; text != "" {
				return io.NopCloser(strings.NewReader(text[min(offset, int64(len(text))):])), nil
			}
			return a.Bytes.Open(ctx, zip.Entries[i].Blob, offset)
		},
	}
}
