package letterheads

import (
	"context"
	"io"
	"net/http"
	"strconv"

	"aftergust/core/media/letterhead"
	"aftergust/internal/ground"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are letterheads over HTTP.
type Routes struct {
	Web   *web.Web
	Heads *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.With(a.Web.NeedMember).Put("/api/v1/letterheads/{id}/{which}", a.setPicture)
	r.With(a.Web.NeedMember).Delete("/api/v1/letterheads/{id}/{which}", a.setPicture)
	r.Get("/letterheads/{id}/{which}", a.picture)
	a.letterheadOperations()
}

// A HeadView is a letterhead as a page shows it.
type HeadView struct {
	Colours  map[string]string   `json:"colours" doc:"of a page, by the names of its tokens; all text on it can be read"`
	Typeface letterhead.Typeface `json:"typeface"`
	SignOff  string              `json:"sign_off"`
	Logo     string              `json:"logo" doc:"path; empty for none"`
	Banner   string              `json:"banner" doc:"path; empty for none"`
	Wide     string              `json:"wide" doc:"which point of the banner stays in sight, as 50% 40%"`
	Phone    string              `json:"phone" doc:"the same on a phone"`
}

// ViewHead is a letterhead as a page shows it.
func ViewHead(l Letterhead) *HeadView {
	point := func(x, y int) string { return strconv.Itoa(x) + "% " + strconv.Itoa(y) + "%" }
	v := &HeadView{Colours: l.Look().Tokens(), Typeface: l.Typeface, SignOff: l.SignOff,
		Wide: point(l.WideX, l.WideY), Phone: point(l.PhoneX, l.PhoneY)}
	if l.HasLogo {
		v.Logo = picturePath(l, Logo)
	}
	if l.HasBanner {
		v.Banner = picturePath(l, Banner)
	}
	return v
}

func picturePath(l Letterhead, which Picture) string {
	return "/letterheads/" + l.ID + "/" + string(which) + "?" + strconv.Itoa(l.Edition)
}

type letterheadView struct {
	ID       string              `json:"id"`
	Name     string              `json:"name"`
	Client   string              `json:"client" doc:"id of the client whose packages have it; empty for none"`
	Standard bool                `json:"standard" doc:"for all packages that have no other"`
	Main     string              `json:"main" doc:"as it was chosen"`
	Ground   string              `json:"ground"`
	Band     string              `json:"band"`
	Typeface letterhead.Typeface `json:"typeface"`
	SignOff  string              `json:"sign_off"`
	WideX    int                 `json:"wide_x" doc:"percent"`
	WideY    int                 `json:"wide_y"`
	PhoneX   int                 `json:"phone_x"`
	PhoneY   int                 `json:"phone_y"`
	Fixes    []string            `json:"fixes" doc:"what was corrected so that it can be read, in words"`
	Head     HeadView            `json:"head" doc:"as a page shows it"`
}

func viewLetterhead(l Letterhead) letterheadView {
	v := letterheadView{ID: l.ID, Name: l.Name, Client: l.ClientID, Standard: l.Standard, Main: l.Main, Ground: l.Ground, Band: l.Band,
		Typeface: l.Typeface, SignOff: l.SignOff, WideX: l.WideX, WideY: l.WideY, PhoneX: l.PhoneX, PhoneY: l.PhoneY, Fixes: []string{},
		Head: *ViewHead(l)}
	for _, f := range l.Look().Fixes {
		v.Fixes = append(v.Fixes, f.Say())
	}
	return v
}

func (a Routes) letterheadOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/letterheads", "letterheads", "How the studio shows itself, the standard one first"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]letterheadView], error) {
			all, err := a.Heads.List(ctx, m)
			out := make([]letterheadView, len(all))
			for i, l := range all {
				out[i] = viewLetterhead(l)
			}
			return &web.Body[[]letterheadView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/letterheads", "new-letterhead", "Make a letterhead"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*web.Body[letterheadView], error) {
			l, err := a.Heads.New(ctx, m, in.Body.Name)
			return &web.Body[letterheadView]{Body: viewLetterhead(l)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/letterheads/{id}", "change-letterhead", "Change a letterhead; packages that have it change with it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name     *string `json:"name,omitempty" maxLength:"200"`
				Client   *string `json:"client,omitempty"`
				Main     *string `json:"main,omitempty" maxLength:"60"`
				Ground   *string `json:"ground,omitempty" maxLength:"60"`
				Band     *string `json:"band,omitempty" maxLength:"60"`
				Typeface *string `json:"typeface,omitempty" maxLength:"40"`
				SignOff  *string `json:"sign_off,omitempty" maxLength:"1000"`
				Standard *bool   `json:"standard,omitempty"`
				WideX    *int    `json:"wide_x,omitempty"`
				WideY    *int    `json:"wide_y,omitempty"`
				PhoneX   *int    `json:"phone_x,omitempty"`
				PhoneY   *int    `json:"phone_y,omitempty"`
			}
		}) (*web.Body[letterheadView], error) {
			l, err := a.Heads.Change(ctx, m, in.ID, Edit(in.Body))
			return &web.Body[letterheadView]{Body: viewLetterhead(l)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/letterheads/{id}", "delete-letterhead", "Delete a letterhead; packages that had it have the standard one then"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Heads.Delete(ctx, m, in.ID)
		}))
}

func pictureIn(r *http.Request) (Picture, bool) {
	which := Picture(chi.URLParam(r, "which"))
	return which, which == Logo || which == Banner
}

// setPicture takes a picture as the body of a PUT, or takes away the one that is there.
func (a Routes) setPicture(w http.ResponseWriter, r *http.Request) {
	m, err := web.Member(r.Context())
	which, ok := pictureIn(r)
	if err == nil && !ok {
		err = ground.Missing("picture")
	}
	if err == nil {
		var from io.Reader
		if r.Method == http.MethodPut {
			from = web.Given(w, r, MaxPicture)
		}
		err = a.Heads.SetPicture(r.Context(), m, chi.URLParam(r, "id"), which, from)
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// picture sends a picture of a letterhead, also to mail programs, which send no cookies.
func (a Routes) picture(w http.ResponseWriter, r *http.Request) {
	which, ok := pictureIn(r)
	var picture []byte
	var err error
	if ok {
		picture, ok, err = a.Heads.Picture(r.Context(), chi.URLParam(r, "id"), which)
	}
	if err == nil && !ok {
		err = ground.Missing("picture")
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin")         // mail is read on other sites
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // its address changes with it
	w.Header().Set("Content-Type", map[Picture]string{Logo: "image/png", Banner: "image/jpeg"}[which])
	_, _ = w.Write(picture) // the reader has gone
}
