package show

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/link/showing"
	"aftergust/core/media/letterhead"
	"aftergust/core/media/preview"
	"aftergust/internal/ground"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are showings over HTTP.
type Routes struct {
	Web            *web.Web
	Previews       *previews.Service
	Shows          *Service
	PreviewsRoutes previews.Routes
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		r.MethodFunc(method, "/s/{link}/look/{item}/{what}", a.Web.Sends(a.shownLook))
		r.MethodFunc(method, "/s/{link}", a.shownHTML())
	}
	a.showingOperations()
}

// A shownView is a piece on a showing.
type shownView struct {
	ID    string `json:"id" doc:"of the piece on this page"`
	Title string `json:"title"`
	gather.PieceView
}

// viewShown is a piece under the address below which its previews lie.
func viewShown(p Piece, look string) shownView {
	return shownView{ID: p.ID, Title: p.Called(), PieceView: gather.ViewPiece(p.Piece, look)}
}

func viewAllShown(pieces []Piece, look func(Piece) string) []shownView {
	out := make([]shownView, len(pieces))
	for i, p := range pieces {
		out[i] = viewShown(p, look(p))
	}
	return out
}

// A pageView is a showing as whoever has its link sees it.
type pageView struct {
	Title  string               `json:"title"`
	Words  string               `json:"words"`
	Studio string               `json:"studio"`
	Layout showing.Layout       `json:"layout"`
	Head   letterheads.HeadView `json:"head"`
	Own    bool                 `json:"own" doc:"the studio has a letterhead"`
	Pieces []shownView          `json:"pieces"`
	Open   bool                 `json:"open" doc:"not: a member of the studio looks at how it will be"`
}

// A ShowingRow is a showing in a list. It is exported so that its fields are seen where it is embedded.
type ShowingRow struct {
	ID       string     `json:"id"`
	Title    string     `json:"title"`
	Pieces   int        `json:"pieces"`
	Open     bool       `json:"open"`
	Link     string     `json:"link" doc:"which a token with the scope read is not told"`
	Opened   int64      `json:"opened" doc:"how often somebody opened it"`
	OpenedAt *time.Time `json:"opened_at"`
	Sites    []string   `json:"sites"`
	Poster   string     `json:"poster" doc:"path of a picture of its first piece; empty for none"`
}

// A showingView is a showing as its studio works on it.
type showingView struct {
	ShowingRow
	Words      string         `json:"words"`
	Layout     showing.Layout `json:"layout"`
	Ground     string         `json:"ground" doc:"colour of its own; empty for that of the letterhead"`
	Accent     string         `json:"accent"`
	Shown      [2]string      `json:"shown" doc:"ground and accent as the page has them"`
	Fixes      []string       `json:"fixes" doc:"what was corrected so that it can be read, in words"`
	Letterhead string         `json:"letterhead" doc:"id; empty for the standard one"`
	Name       string         `json:"name" doc:"of its link; empty where that is a secret"`
	Embed      string         `json:"embed" doc:"what to paste into a page of a site that may have it; empty where none may"`
	Items      []shownView    `json:"items"`
}

func (a Routes) viewShowingRow(ctx context.Context, s Showing) ShowingRow {
	row := ShowingRow{ID: s.ID, Title: s.Title, Pieces: s.Pieces, Open: s.Open(),
		Link: web.From(ctx).Link(a.Shows.URL(s)), Opened: s.Opened, OpenedAt: s.OpenedAt,
		Sites: ground.OrEmpty(s.Sites)}
	if s.Cover != "" {
		row.Poster = gather.MemberLook(s.Cover) + string(preview.Poster)
	}
	return row
}

func (a Routes) viewShowing(ctx context.Context, s Showing, pieces []Piece) (showingView, error) {
	look, _, _, err := a.Shows.Look(ctx, s)
	v := showingView{ShowingRow: a.viewShowingRow(ctx, s), Words: s.Words, Layout: s.Layout, Ground: s.Ground, Accent: s.Accent,
		Shown: [2]string{look.Ground.Hex(), look.Main.Hex()}, Fixes: []string{}, Letterhead: s.LetterheadID, Name: s.Name,
		Items: viewAllShown(pieces, func(p Piece) string { return gather.MemberLook(p.VersionID) })}
	for _, f := range look.Fixes {
		if f.Of == "ground" && s.Ground != "" || f.Of == "main" && s.Accent != "" {
			v.Fixes = append(v.Fixes, f.Say())
		}
	}
	if len(s.Sites) > 0 {
		v.Embed = frame(v.Link, s.Title, frameWidth, frameHeight)
	}
	return v, err
}

func (a Routes) showingOf(ctx context.Context, m account.Member, id string) (*web.Body[showingView], error) {
	s, pieces, err := a.Shows.Of(ctx, m, id)
	if err != nil {
		return nil, err
	}
	v, err := a.viewShowing(ctx, s, pieces)
	return &web.Body[showingView]{Body: v}, err
}

// ChosenInput is what was chosen in Gather. It is exported so that its fields are seen where it is embedded.
type ChosenInput struct {
	Items  []string `json:"items,omitempty" maxItems:"1000" doc:"ids of things in Gather"`
	Places []string `json:"places,omitempty" maxItems:"100" doc:"with all that is in them"`
}

func (c ChosenInput) selection() gather.Selection {
	return gather.Selection{Items: c.Items, Places: c.Places}
}

func (a Routes) showingOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/showings", "showings", "Pages for finished work, the newest first"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]ShowingRow], error) {
			all, err := a.Shows.List(ctx, m)
			out := make([]ShowingRow, len(all))
			for i, s := range all {
				out[i] = a.viewShowingRow(ctx, s)
			}
			return &web.Body[[]ShowingRow]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/showings", "new-showing", "Make a page for finished work, of what was chosen; nobody else sees it yet"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Title string `json:"title,omitempty" maxLength:"400"`
				ChosenInput
			}
		}) (*web.Body[showingView], error) {
			s, err := a.Shows.New(ctx, m, in.Body.Title, in.Body.selection())
			if err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, s.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/showings/{id}", "showing", "A page for finished work, with what is on it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[showingView], error) {
			return a.showingOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/showings/{id}", "change-showing", "Change how it looks, where it may stand, and whether it is open"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Title      *string `json:"title,omitempty" maxLength:"400"`
				Words      *string `json:"words,omitempty" maxLength:"4000"`
				Layout     *string `json:"layout,omitempty" maxLength:"40"`
				Ground     *string `json:"ground,omitempty" maxLength:"60" doc:"empty for that of the letterhead"`
				Accent     *string `json:"accent,omitempty" maxLength:"60"`
				Letterhead *string `json:"letterhead,omitempty" maxLength:"60"`
				Sites      *string `json:"sites,omitempty" maxLength:"4000" doc:"that may have it within them, with spaces between"`
				Name       *string `json:"name,omitempty" maxLength:"200" doc:"of its link; empty for a secret one"`
				Open       *bool   `json:"open,omitempty"`
			}
		}) (*web.Body[showingView], error) {
			if _, err := a.Shows.Change(ctx, m, in.ID, Edit(in.Body)); err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/showings/{id}", "delete-showing", "Delete it; its link leads nowhere then, the pieces stay in Gather"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Shows.Delete(ctx, m, in.ID)
		}))
	a.shownOperations()
	a.visitorOperations()
}

// shownOperations are about what is on a showing.
func (a Routes) shownOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/showings/{id}/pieces", "add-pieces", "Put things from Gather behind what is on it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body ChosenInput
		}) (*web.Body[showingView], error) {
			if err := a.Shows.Add(ctx, m, in.ID, in.Body.selection()); err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/showings/{id}/pieces", "arrange-pieces", "Give its pieces another order"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Order []string `json:"order" maxItems:"200" doc:"ids of pieces; those that are left out come behind"`
			}
		}) (*web.Body[showingView], error) {
			if err := a.Shows.Arrange(ctx, m, in.ID, in.Body.Order); err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/showings/{id}/pieces/{piece}", "title-piece", "Give a piece a title of its own on this page"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Piece string `path:"piece"`
			Body  struct {
				Title string `json:"title" maxLength:"400" doc:"empty for the name that it has in Gather"`
			}
		}) (*web.Body[showingView], error) {
			if err := a.Shows.Title(ctx, m, in.ID, in.Piece, in.Body.Title); err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/showings/{id}/pieces/{piece}", "remove-piece", "Take a piece off it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Piece string `path:"piece"`
		}) (*web.Body[showingView], error) {
			if err := a.Shows.Remove(ctx, m, in.ID, in.Piece); err != nil {
				return nil, err
			}
			return a.showingOf(ctx, m, in.ID)
		}))
}

// visiting finds the showing of a link for whoever asks.
func (a Routes) visiting(ctx context.Context, link string) (Visitor, error) {
	return a.Shows.Enter(ctx, link, web.From(ctx).Member)
}

// visitorOperations are for whoever has the link of a showing.
func (a Routes) visitorOperations() {
	op := func(method, path, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1" + path, OperationID: id, Summary: summary, Tags: []string{"Showing"}}
	}
	web.Add(a.Web, op(http.MethodGet, "/s/{link}", "shown", "A page of finished work, as whoever has its link sees it"),
		func(ctx context.Context, in *receive.ByLink) (*web.Body[pageView], error) {
			v, err := a.visiting(ctx, in.Link)
			if err != nil {
				return nil, err
			}
			pieces, err := a.Shows.Pieces(ctx, v)
			if err != nil {
				return nil, err
			}
			look, head, own, err := a.Shows.Look(ctx, v.Showing)
			page := pageView{Title: v.Showing.Title, Words: v.Showing.Words, Studio: v.Showing.StudioName, Layout: v.Showing.Layout, Own: own,
				Head: *letterheads.ViewHead(head), Open: v.Showing.Open(),
				Pieces: viewAllShown(pieces, func(p Piece) string { return "/s/" + url.PathEscape(in.Link) + "/look/" + p.ID + "/" })}
			page.Head.Colours = look.Tokens()
			if !own {
				page.Head.Typeface = letterhead.Bricolage
			}
			return &web.Body[pageView]{Body: page}, err
		})
	web.Add(a.Web, op(http.MethodPost, "/s/{link}/opened", "opened", "Say that the page was opened"),
		func(ctx context.Context, in *receive.ByLink) (*web.None, error) {
			v, err := a.visiting(ctx, in.Link)
			if err != nil {
				return nil, err
			}
			return nil, a.Shows.Opened(ctx, v, web.From(ctx).Host)
		})
	web.Add(a.Web, op(http.MethodGet, "/oembed", "oembed", "What a page shows that a link of ours is pasted into (oEmbed 1.0)"), a.oembed)
}

// shownLook sends a preview of a piece: GET /s/{link}/look/{item}/{what}.
func (a Routes) shownLook(w http.ResponseWriter, r *http.Request) *web.Content {
	v, err := a.visiting(r.Context(), chi.URLParam(r, "link"))
	var p Piece
	if err == nil {
		p, err = a.Shows.Piece(r.Context(), v, chi.URLParam(r, "item"))
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return nil
	}
	s := a.PreviewsRoutes.Preview(w, r, p.VersionID, chi.URLParam(r, "what"), true)
	if s != nil {
		s.Ticket = a.Web.Shown.Begin(w, r, wire.Running{Parcel: v.Showing.ID, Verb: right.See, Items: []string{p.ID}, Of: v})
	}
	return s
}

// StillOpen looks whether what plays on showings may go on (web.Opener).
func (s *Service) StillOpen(ctx context.Context, all []wire.Running) ([]access.Reason, []time.Time, error) {
	var pieces []string
	for _, r := range all {
		pieces = append(pieces, r.Items...)
	}
	shown, err := s.StillShown(ctx, pieces)
	if err != nil {
		return nil, nil, err
	}
	open := map[string]bool{}
	for _, id := range shown {
		open[id] = true
	}
	reasons := make([]access.Reason, len(all))
	for i, r := range all {
		if v, _ := r.Of.(Visitor); !open[r.Items[0]] {
			reasons[i] = access.DecideShowing(false, v.Member, right.See)
		}
	}
	return reasons, make([]time.Time, len(all)), nil
}
