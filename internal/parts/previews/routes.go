package previews

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/media/preview"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are previews over HTTP.
type Routes struct {
	Web          *web.Web
	Previews     *Service
	Things       *gather.Things
	GatherRoutes gather.Routes
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.Get("/api/v1/versions/{version}/{what}", a.Web.Sends(a.derived))
	r.Head("/api/v1/versions/{version}/{what}", a.Web.Sends(a.derived))
	a.mediaOperations()
}

// derived is look for members of the studio: GET /api/v1/versions/{version}/{what}.
// They may also fetch the original.
func (a Routes) derived(w http.ResponseWriter, r *http.Request) *web.Content {
	v, err := a.GatherRoutes.MemberVersion(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	what := chi.URLParam(r, "what")
	if what != "original" {
		return a.Preview(w, r, v.VersionID, what, false)
	}
	w.Header().Set("Content-Disposition", naming.Attachment(v.FileName))
	return &web.Content{Size: v.Size, Etag: `"` + v.VersionID + `"`, Mime: "application/octet-stream", Pieces: web.OneFile,
		Given: []archive.Entry{{Blob: v.BlobID, Size: v.Size, Path: v.FileName}}, Open: a.Web.Blob(v.BlobID)}
}

// Preview makes a preview ready; only the beginning of a text for somebody who may only look.
func (a Routes) Preview(w http.ResponseWriter, r *http.Request, version, what string, onlyLook bool) *web.Content {
	purpose, page, ok := preview.Address(what)
	var derived Derived
	var err error
	if ok {
		derived, ok, err = a.Previews.Find(r.Context(), version, purpose, page)
	}
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.NotFound, Code: "no_preview", Say: "There is no such preview of this item."}
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	w.Header().Set("Cache-Control", "private, no-cache")
	tag := ground.Brief(version + "/" + derived.BlobID) // no name of bytes leaves the house
	if purpose == preview.Text && onlyLook {
		return a.excerpt(w, r, derived, tag)
	}
	return &web.Content{Size: derived.Size, Etag: `"` + tag + `"`, Mime: derived.Mime, Pieces: web.OneFile,
		Open: a.Web.Blob(derived.BlobID)}
}

// excerptReads is how much of a text is read for its excerpt, in bytes: enough for
// twice its characters.
const excerptReads = 4 * preview.ExcerptShare * preview.ExcerptMost

func (a Routes) excerpt(w http.ResponseWriter, r *http.Request, whole Derived, tag string) *web.Content {
	from, err := a.Web.Bytes.Open(r.Context(), whole.BlobID, 0)
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	text, err := io.ReadAll(io.LimitReader(from, excerptReads))
	if err = errors.Join(err, from.Close()); err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	begin := preview.Excerpt(strings.ToValidUTF8(string(text), ""))
	return &web.Content{
		Size: int64(len(begin)), Etag: `"` + tag + `-begin"`, Mime: whole.Mime, Pieces: web.OneFile,
		Open: func(_ context.Context, _ int, offset int64) (io.ReadCloser, error) {
			return io.NopCloser(strings.NewReader(begin[offset:])), nil
		},
	}
}

// mediaOperations make previews anew, or stop making them.
func (a Routes) mediaOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/versions/{id}/media", "remake-media", "Make the previews of a version anew, or stop making them"),
		web.AsMember(
			func(ctx context.Context, m account.Member, in *struct {
				web.ByID
				Body struct {
					Stop bool `json:"stop,omitempty"`
				}
			}) (*web.None, error) {
				return nil, a.Previews.Remake(ctx, m, in.ID, in.Body.Stop)
			}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/versions/{id}/entries", "entries", "What is in an archive, without unpacking it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			web.InArchive
		}) (*web.Body[web.EntriesView], error) {
			v, err := a.Things.Version(ctx, in.ID)
			if err == nil && v.StudioID != m.StudioID {
				err = &ground.Error{Kind: ground.NotFound, Code: "not_found", Say: "There is no such version."}
			}
			if err != nil {
				return nil, err
			}
			return a.Web.Archives.Entries(ctx, v.BlobID, v.Size, in.InArchive, "/api/v1/entry/"+v.VersionID+"/", true)
		}))
}
