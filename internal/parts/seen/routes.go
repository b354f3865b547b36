package seen

import (
	"context"
	"net/http"

	"aftergust/core/media/viewing"
	"aftergust/internal/ground"
	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are what was seen, and who is here, over HTTP.
type Routes struct {
	Web     *web.Web
	Receive *receive.Service
	Seen    *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.seenOperations()
	a.tellOperations()
}

// seenOperations are about who looks: now, and what they saw.
func (a Routes) seenOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/now", "now", "Who is here at this moment, in all packages or in one"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Package string `query:"package" doc:"id; left out: all packages of the studio"`
		}) (*web.Body[[]presentView], error) {
			all, err := a.Seen.Now(ctx, m, in.Package)
			out := make([]presentView, len(all))
			for i, p := range all {
				out[i] = viewPresent(p)
			}
			return &web.Body[[]presentView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/items/{id}/seen", "seen", "What people saw of an item of a package, in the version that it gives now"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[seenView], error) {
			s, err := a.Seen.Of(ctx, m, in.ID)
			if err != nil {
				return nil, err
			}
			return &web.Body[seenView]{Body: viewSeen(s)}, nil
		}))
}

type presentView struct {
	Recipient string `json:"recipient" doc:"id of the line"`
	Name      string `json:"name"`
	Package   string `json:"package"`
	Title     string `json:"title"`
	Item      string `json:"item" doc:"id in the package; empty where they look at the package"`
	Doing     Doing  `json:"doing"`
	Place     int64  `json:"place" doc:"milliseconds of the piece, the page, or bytes that they have of it"`
	Size      int64  `json:"size" doc:"bytes of the item"`
	Rate      int64  `json:"rate" doc:"bytes a second, of what is taken"`
	Saying    string `json:"saying" doc:"to follow the name"`
}

func viewPresent(p Present) presentView {
	return presentView{Recipient: p.LineID, Name: p.Name, Package: p.ParcelID, Title: p.Title, Item: p.Item, Doing: p.Doing, Place: p.Place,
		Size: p.Size, Rate: p.Rate, Saying: p.Says()}
}

type seerView struct {
	Recipient string         `json:"recipient" doc:"id of the line"`
	Name      string         `json:"name"`
	Gone      bool           `json:"removed"`
	Saying    string         `json:"saying" doc:"to follow the name"`
	Curve     []viewing.Cell `json:"curve" doc:"equal parts of the piece"`
	PagesMS   []int64        `json:"pages_ms" doc:"for how many milliseconds each page was in front"`
	viewing.Sum
}

type seenView struct {
	Item    string         `json:"item"`
	Length  int64          `json:"length_ms" doc:"0 where it does not play"`
	Curve   []viewing.Cell `json:"curve" doc:"of all of them; equal parts of the piece, seconds where there are not more than 600"`
	PagesMS []int64        `json:"pages_ms"`
	Lefts   []int64        `json:"lefts_ms" doc:"where people stopped the last time"`
	People  []seerView     `json:"people"`
}

func viewSeen(s Seen) seenView {
	v := seenView{Item: s.Content.ID, Length: s.Length, Curve: ground.OrEmpty(s.All),
		PagesMS: ground.OrEmpty(s.Pages), Lefts: ground.OrEmpty(s.Lefts), People: []seerView{}}
	for _, p := range s.People {
		p.Backs = ground.OrEmpty(p.Backs)
		v.People = append(v.People, seerView{Recipient: p.Line.ID, Name: p.Line.Name, Gone: p.Line.RemovedAt != nil,
			Saying: p.Says(s.Length, s.Content.Facts.Pages), Curve: ground.OrEmpty(p.Curve), PagesMS: ground.OrEmpty(p.Pages), Sum: p.Sum})
	}
	return v
}
