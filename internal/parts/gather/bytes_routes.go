package gather

import (
	"context"
	"net/http"

	"aftergust/core/file/naming"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// entry sends one entry of an archive to a member: GET /api/v1/entry/{version}/{index}/{name}.
func (a Routes) entry(w http.ResponseWriter, r *http.Request) {
	v, err := a.MemberVersion(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	t := a.Web.OfMember(a.Web.OfMembers, w, r)
	defer t.End()
	a.Web.Archives.SendEntry(w, r, v.BlobID, v.Size, t, nil)
}

// MemberVersion is the version that a member's request for bytes names.
func (a Routes) MemberVersion(r *http.Request) (Version, error) {
	m, err := web.Member(r.Context())
	if err != nil {
		return Version{}, err
	}
	v, err := a.Things.Version(r.Context(), chi.URLParam(r, "version"))
	if err == nil && v.StudioID != m.StudioID {
		err = &ground.Error{Kind: ground.NotFound, Code: "not_found", Say: "There is no such version."}
	}
	return v, err
}

// selection sends what a member has chosen as one ZIP: GET /api/v1/zip/{selection}/{name}.
func (a Routes) selection(w http.ResponseWriter, r *http.Request) *web.Content {
	m, err := web.Member(r.Context())
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	id := chi.URLParam(r, "selection")
	zip, err := a.Web.Plans.Get(r.Context(), m.StudioID+"/"+id, func(ctx context.Context) (*archive.Plan,
		error) {
		return a.Chosen.SelectedArchive(ctx, m, id)
	})
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	w.Header().Set("Content-Disposition", naming.Attachment(chi.URLParam(r, "name")))
	w.Header().Set("Cache-Control", "private, no-cache")
	return a.Web.ZipContent(zip)
}
