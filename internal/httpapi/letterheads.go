package httpapi

import (
	"context"
	"io"
	"net/http"
	"strconv"

	"aftergust/core/letterhead"
	"aftergust/internal/ground"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// A headView is a letterhead as a page shows it.
type headView struct {
	Colours  map[string]string   `json:"colours" doc:"of a page, by the names of its tokens; all text on it can be read"`
	Typeface letterhead.Typeface `json:"typeface"`
	SignOff  string              `json:"sign_off"`
	Logo     string              `json:"logo" doc:"path; empty for none"`
	Banner   string              `json:"banner" doc:"path; empty for none"`
	Wide     string              `json:"wide" doc:"which point of the banner stays in sight, as 50% 40%"`
	Phone    string              `json:"phone" doc:"the same on a phone"`
}

func viewHead(l letterheads.Letterhead) *headView {
	point := func(x, y int) string { return strconv.Itoa(x) + "% " + strconv.Itoa(y) + "%" }
	v := &headView{Colours: l.Look().Tokens(), Typeface: l.Typeface, SignOff: l.SignOff,
		Wide: point(l.WideX, l.WideY), Phone: point(l.PhoneX, l.PhoneY)}
	if l.HasLogo {
		v.Logo = picturePath(l, letterheads.Logo)
	}
	if l.HasBanner {
		v.Banner = picturePath(l, letterheads.Banner)
	}
	return v
}

func picturePath(l letterheads.Letterhead, which letterheads.Picture) string {
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
	Head     headView            `json:"head" doc:"as a page shows it"`
}

func viewLetterhead(l letterheads.Letterhead) letterheadView {
	v := letterheadView{ID: l.ID, Name: l.Name, Client: l.ClientID, Standard: l.Standard, Main: l.Main, Ground: l.Ground, Band: l.Band,
		Typeface: l.Typeface, SignOff: l.SignOff, WideX: l.WideX, WideY: l.WideY, PhoneX: l.PhoneX, PhoneY: l.PhoneY, Fixes: []string{},
		Head: *viewHead(l)}
	for _, f := range l.Look().Fixes {
		v.Fixes = append(v.Fixes, f.Say())
	}
	return v
}

func (a *API) letterheadOperations() {
	add(a, studioOp(http.MethodGet, "/letterheads", "letterheads", "How the studio shows itself, the standard one first"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[[]letterheadView], error) {
			all, err := a.Heads.List(ctx, m)
			out := make([]letterheadView, len(all))
			for i, l := range all {
				out[i] = viewLetterhead(l)
			}
			return &body[[]letterheadView]{out}, err
		}))
	add(a, studioOp(http.MethodPost, "/letterheads", "new-letterhead", "Make a letterhead"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*body[letterheadView], error) {
			l, err := a.Heads.New(ctx, m, in.Body.Name)
			return &body[letterheadView]{viewLetterhead(l)}, err
		}))
	add(a, studioOp(http.MethodPatch, "/letterheads/{id}", "change-letterhead", "Change a letterhead; packages that have it change with it"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
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
		}) (*body[letterheadView], error) {
			l, err := a.Heads.Change(ctx, m, in.ID, letterheads.Edit(in.Body))
			return &body[letterheadView]{viewLetterhead(l)}, err
		}))
	add(a, studioOp(http.MethodDelete, "/letterheads/{id}", "delete-letterhead", "Delete a letterhead; packages that had it have the standard one then"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Heads.Delete(ctx, m, in.ID)
		}))
}

func pictureIn(r *http.Request) (letterheads.Picture, bool) {
	which := letterheads.Picture(chi.URLParam(r, "which"))
	return which, which == letterheads.Logo || which == letterheads.Banner
}

// setPicture takes a picture as the body of a PUT, or takes away the one that is there.
func (a *API) setPicture(w http.ResponseWriter, r *http.Request) {
	m, err := member(r.Context())
	which, ok := pictureIn(r)
	if err == nil && !ok {
		err = ground.Missing("picture")
	}
	if err == nil {
		var from io.Reader
		if r.Method == http.MethodPut {
			from = given(w, r, letterheads.MaxPicture)
		}
		err = a.Heads.SetPicture(r.Context(), m, chi.URLParam(r, "id"), which, from)
	}
	if err != nil {
		a.refuse(w, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// picture sends a picture of a letterhead, also to mail programs, which send no cookies.
func (a *API) picture(w http.ResponseWriter, r *http.Request) {
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
		a.refuse(w, err)
		return
	}
	guarded(w)
	w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin")         // mail is read on other sites
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // its address changes with it
	w.Header().Set("Content-Type", map[letterheads.Picture]string{letterheads.Logo: "image/png", letterheads.Banner: "image/jpeg"}[which])
	_, _ = w.Write(picture) // the reader has gone
}
