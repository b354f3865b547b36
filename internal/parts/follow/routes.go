package follow

import (
	"context"
	"net/http"
	"strings"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/state"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are the Desk, the list of packages, ledgers and Stories over HTTP.
type Routes struct {
	Web    *web.Web
	Book   *people.Book
	Follow *Service
	Pack   *pack.Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.Get("/calendar/{key}", a.calendar)
	r.Head("/calendar/{key}", a.calendar)
	a.followOperations()
	a.calendarOperations()
	a.pastOperations()
}

func (a Routes) followOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/desk", "desk", "What is out, what needs an answer, what ends soon"), web.AsMember(a.desk))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages", "list-packages", "All packages: filtered, found, in an order"), web.AsMember(a.listPackages))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/ledger", "ledger", "Who has seen, played and taken what"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ItemsPage) (*web.Body[ledgerView], error) {
			after, err := pack.ReadPlace(in.After)
			if err != nil {
				return nil, err
			}
			l, err := a.Follow.Ledger(ctx, m, in.ID, after)
			return &web.Body[ledgerView]{Body: viewLedger(l)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/items", "package-items", "The items of a package, a page at a time"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ItemsPage) (*web.ItemsAnswer[pack.ItemView], error) {
			after, err := pack.ReadPlace(in.After)
			if err != nil {
				return nil, err
			}
			contents, err := a.Pack.Contents(ctx, m, in.ID, after)
			if err != nil {
				return nil, err
			}
			out := &web.ItemsAnswer[pack.ItemView]{}
			out.Body.Items, out.Body.Next = pack.ViewItems(contents)
			return out, nil
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/story", "story", "What happened, newest first"), web.AsMember(a.story))
}

func (a Routes) desk(ctx context.Context, m account.Member, _ *web.None) (*web.Body[deskView], error) {
	d, err := a.Follow.Desk(ctx, m)
	if err != nil {
		return nil, err
	}
	v := deskView{Now: d.Now, Out: []rowView{}, Needs: []needView{}, Outstanding: []outstandingView{}, Used: d.Used, Quota: d.Quota,
		Freed:      []freedView{},
		UsedSaying: transfer.Size(d.Used) + " of " + transfer.Size(d.Quota)}
	for _, row := range d.Out {
		line := a.viewRow(row)
		v.Out = append(v.Out, line)
		for _, s := range line.Strands {
			if s.Outstanding {
				v.Outstanding = append(v.Outstanding, outstandingView{Recipient: s.ID, Name: s.Name, Package: line.ID, Title: line.Title,
					Saying: s.Saying, Brief: s.Brief, Delivered: s.Delivered,
					Left: line.Left, State: line.State, Anyone: s.Anyone})
			}
		}
	}
	for _, n := range d.Needs {
		v.Needs = append(v.Needs, viewNeed(n))
	}
	for _, f := range d.Freed {
		v.Freed = append(v.Freed, freedView{At: f.At, Bytes: f.Bytes, Saying: transfer.Size(f.Bytes)})
	}
	return &web.Body[deskView]{Body: v}, nil
}

type page struct {
	Body struct {
		Packages []rowView `json:"packages"`
		Next     string    `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

const pageSize = 50

func (a Routes) listPackages(ctx context.Context, m account.Member, in *struct {
	After  string `query:"after" doc:"next of the page before; empty for the first"`
	Filter Filter `query:"filter" default:"all"`
	Order  Order  `query:"order" default:"newest"`
	Find   string `query:"find" maxLength:"200" doc:"words that are in the title, or in a name or address on the waybill"`
}) (*page, error) {
	q := Query{Filter: in.Filter, Order: in.Order, Words: strings.Fields(in.Find), After: in.After}
	rows, err := a.Follow.Table(ctx, m, q, pageSize)
	if err != nil {
		return nil, err
	}
	out := &page{}
	out.Body.Packages = []rowView{}
	for _, row := range rows {
		out.Body.Packages = append(out.Body.Packages, a.viewRow(row))
	}
	if len(rows) == pageSize {
		out.Body.Next = rows[len(rows)-1].Parcel.ID
	}
	return out, nil
}

func (a Routes) story(ctx context.Context, m account.Member, in *struct {
	web.ByID
	Before string `query:"before" doc:"cursor of the oldest event seen so far"`
}) (*web.Body[[]eventView], error) {
	at, id, err := web.ReadMoment(in.Before)
	if err != nil {
		return nil, err
	}
	events, err := a.Follow.Story(ctx, m, in.ID, Moment{At: at, ID: id}, storyPage)
	if err != nil {
		return nil, err
	}
	out := []eventView{}
	for _, e := range events {
		out = append(out, eventView{ID: e.ID, Kind: e.Kind, Saying: e.Say(), Recipient: e.LineID, Member: e.MemberID, Version: e.VersionID,
			At:     e.At,
			Cursor: web.WriteMoment(e.At, e.ID)})
	}
	return &web.Body[[]eventView]{Body: out}, nil
}

// storyPage is how many events are told at once.
const storyPage = 200

// A pastView is a package that went to somebody.
type pastView struct {
	Package string      `json:"package" doc:"id"`
	Title   string      `json:"title"`
	State   state.State `json:"state"`
	Stopped bool        `json:"stopped"`
	SentAt  *time.Time  `json:"sent_at"`
	Rights  []string    `json:"rights"`
	Saying  string      `json:"saying" doc:"what they have of it, in words"`
}

// pastOperations are what went to somebody before.
func (a Routes) pastOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/people/{id}/packages", "person-packages", "What went to somebody last, and what they took of it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[[]pastView], error) {
			if _, err := a.Book.Of(ctx, m.StudioID, in.ID); err != nil {
				return nil, err
			}
			last, err := a.Follow.LastTo(ctx, m, in.ID)
			out := []pastView{}
			for _, row := range last {
				v := pastView{Package: row.Parcel.ID, Title: row.Parcel.Title, State: row.State, Stopped: row.Parcel.Stopped(),
					SentAt: row.Parcel.SentAt, Saying: row.Strands[0].Sum().Saying, Rights: []string{}}
				for _, r := range row.Strands[0].Line.Rights {
					v.Rights = append(v.Rights, string(r))
				}
				out = append(out, v)
			}
			return &web.Body[[]pastView]{Body: out}, err
		}))
}
