package show

import (
	"bytes"
	"context"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"aftergust/core/file/thing"
	"aftergust/core/link/showing"
	"aftergust/core/media/preview"
	"aftergust/internal/ground"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// How large a showing stands in another page, in CSS pixels, where nobody says so.
const (
	frameWidth  = 960
	frameHeight = 640
	leastFrame  = 240
)

// frame is what is pasted into a page so that a showing stands in it.
func frame(link, title string, width, height int) string {
	var b bytes.Buffer
	_ = frameMarkup.Execute(&b, map[string]any{"Link": link, "Title": title, "Width": width, "Height": height}) // a buffer takes all
	return b.String()
}

var frameMarkup = template.Must(template.New("frame").Parse(`<iframe src="{{.Link}}" title="{{.Title}}" width="{{.Width}}" height="{{.Height}}"` +
	` style="border:0;max-width:100%" loading="lazy" allow="fullscreen; picture-in-picture"></iframe>`))

// An embedView is an answer of oEmbed 1.0 (section 2.3.4).
type embedView struct {
	Version         string `json:"version"`
	Type            string `json:"type" enum:"rich,link"`
	Title           string `json:"title"`
	AuthorName      string `json:"author_name"`
	ProviderName    string `json:"provider_name"`
	ProviderURL     string `json:"provider_url"`
	HTML            string `json:"html,omitempty"`
	Width           int    `json:"width,omitempty" doc:"CSS pixels"`
	Height          int    `json:"height,omitempty"`
	ThumbnailURL    string `json:"thumbnail_url,omitempty"`
	ThumbnailWidth  int    `json:"thumbnail_width,omitempty"`
	ThumbnailHeight int    `json:"thumbnail_height,omitempty"`
}

func (a Routes) oembed(ctx context.Context, in *struct {
	URL       string `query:"url" maxLength:"2000"`
	MaxWidth  int    `query:"maxwidth" minimum:"0" maximum:"10000"`
	MaxHeight int    `query:"maxheight" minimum:"0" maximum:"10000"`
	Format    string `query:"format" maxLength:"20"`
}) (*web.Body[embedView], error) {
	if in.Format != "" && in.Format != "json" {
		return nil, web.NewProblem(http.StatusNotImplemented, "format", "This is answered as JSON only. Ask with format=json.") // oEmbed 1.0, 2.3.3
	}
	link, ok := strings.CutPrefix(in.URL, a.Web.BaseURL+"/s/")
	link, _, _ = strings.Cut(link, "?")
	if !ok || strings.ContainsAny(link, "/#") {
		return nil, &ground.Error{Kind: ground.NotFound, Code: "unknown_link", Say: "This is no address of a showing here."}
	}
	v, err := a.Shows.Enter(ctx, link, nil) // as anybody: whoever asks is a program
	if err != nil {
		return nil, err
	}
	e := embedView{Version: "1.0", Type: "link", Title: v.Showing.Title, AuthorName: v.Showing.StudioName, ProviderName: v.Showing.StudioName,
		ProviderURL: a.Web.BaseURL}
	if len(v.Showing.Sites) > 0 && fits(leastFrame, in.MaxWidth) && fits(leastFrame, in.MaxHeight) {
		e.Type = "rich"
		e.Width, e.Height = within(frameWidth, in.MaxWidth), within(frameHeight, in.MaxHeight)
		e.HTML = frame(a.Web.BaseURL+"/s/"+link, v.Showing.Title, e.Width, e.Height)
	}
	pieces, err := a.Shows.Pieces(ctx, v)
	if poster := posterOf(pieces); poster != nil {
		if d, ok, err := a.Previews.Find(ctx, poster.VersionID, preview.Poster, 0); err == nil && ok && fits(d.Width, in.MaxWidth) &&
			fits(d.Height, in.MaxHeight) {
			e.ThumbnailURL, e.ThumbnailWidth, e.ThumbnailHeight = a.Web.BaseURL+"/s/"+link+"/look/"+poster.ID+"/poster", d.Width, d.Height
		}
	}
	return &web.Body[embedView]{Body: e}, err
}

// fits reports whether a size, in pixels, is at most that; 0 is any. Nothing may be larger than
// was asked for (oEmbed 1.0, 2.3.4.4).
func fits(size, most int) bool { return most == 0 || size <= most }

// within is a size in a room of most; 0 is any room.
func within(size, most int) int {
	if most == 0 {
		return size
	}
	return min(size, most)
}

// posterOf is the first piece of which there is a picture; nil where there is none.
func posterOf(pieces []Piece) *Piece {
	for i, p := range pieces {
		if slices.Contains(p.Made, preview.Poster) {
			return &pieces[i]
		}
	}
	return nil
}

// What programs read of a showing that its link is pasted into: oEmbed 1.0, section 4,
// and the Open Graph protocol.
var shownHead = template.Must(template.New("head").Parse(`<title>{{.Title}}</title>
<link rel="alternate" type="application/json+oembed" href="{{.Embed}}" title="{{.Title}}">
<meta property="og:type" content="website"><meta property="og:title" content="{{.Title}}"><meta property="og:url" content="{{.Link}}">
<meta property="og:site_name" content="{{.Studio}}">{{with .Words}}<meta property="og:description" content="{{.}}">{{end}}
{{with .Picture}}<meta property="og:image" content="{{.}}">{{end}}`))

// What stands there for a browser without scripts.
var shownBody = template.Must(template.New("body").Parse(`<noscript><h1>{{.Title}}</h1><p>{{.Words}}</p>{{range .Pieces}}<h2>{{.Title}}</h2>
{{if .Film}}<video controls preload="none" width="100%" poster="{{.Poster}}" src="{{.Film}}"></video>{{else if .Sound}}<audio controls preload="none" src="{{.Sound}}"></audio>` +
	`{{else if .Poster}}<img alt="" width="100%" src="{{.Poster}}">{{end}}{{end}}<p>{{.Studio}}</p></noscript></body>`))

// plainTitle is what the page is called before it is known what it shows.
var plainTitle = []byte("<title>Aftergust</title>")

type plainPiece struct{ Title, Poster, Film, Sound string }

// plainPieces are pieces as a page without scripts plays them, below the address of its showing.
func plainPieces(base string, pieces []Piece) []plainPiece {
	out := make([]plainPiece, len(pieces))
	for i, p := range pieces {
		look := base + "/look/" + p.ID + "/"
		out[i].Title = p.Called()
		if slices.Contains(p.Made, preview.Poster) {
			out[i].Poster = look + string(preview.Poster)
		}
		switch {
		case !slices.Contains(p.Made, preview.Proxy):
		case p.What == thing.Sound:
			out[i].Sound = look + string(preview.Proxy)
		default:
			out[i].Film = look + string(preview.Proxy)
		}
	}
	return out
}

// shownHTML is the page of a showing: GET /s/{link}. The sites that its studio named may
// have it within their own; nobody else may.
func (a Routes) shownHTML() http.HandlerFunc {
	page := web.Index(a.Web.Interface)
	return func(w http.ResponseWriter, r *http.Request) {
		link := chi.URLParam(r, "link")
		v, err := a.visiting(r.Context(), link)
		var pieces []Piece
		if err == nil {
			pieces, err = a.Shows.Pieces(r.Context(), v)
		}
		if err != nil {
			if known := (*ground.Error)(nil); !errors.As(err, &known) {
				a.Web.Log.Error("a showing", "err", err)
			}
			web.ServeIndex(w, r, page) // which says what is wrong, once it asks
			return
		}
		s := v.Showing
		w.Header().Set("Content-Security-Policy", web.ContentSecurity+"; frame-ancestors "+showing.Ancestors(s.Sites))
		about := map[string]any{"Pieces": plainPieces("/s/"+link, pieces), "Title": s.Title, "Studio": s.StudioName, "Words": s.Words, "Link": a.Web.BaseURL + "/s/" + link,
			"Embed": a.Web.BaseURL + "/api/v1/oembed?url=" + url.QueryEscape(a.Web.BaseURL+"/s/"+link)}
		if p := posterOf(pieces); p != nil {
			about["Picture"] = a.Web.BaseURL + "/s/" + link + "/look/" + p.ID + "/poster"
		}
		var head, plain bytes.Buffer
		if err := errors.Join(shownHead.Execute(&head, about), shownBody.Execute(&plain, about)); err != nil {
			a.Web.Refuse(w, err)
			return
		}
		full := bytes.Replace(page, plainTitle, head.Bytes(), 1)
		web.ServeIndex(w, r, bytes.Replace(full, []byte("</body>"), plain.Bytes(), 1))
	}
}
