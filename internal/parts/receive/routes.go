package receive

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/link/throttle"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are what holders of a link get over HTTP.
type Routes struct {
	Web     *web.Web
	Heads   *letterheads.Service
	Pack    *pack.Service
	Receive *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		r.MethodFunc(method, "/r/{link}/take/{item}/{name}", a.Web.Sends(a.take))
		r.MethodFunc(method, "/r/{link}/zip/{name}", a.Web.Sends(a.archive))
		r.MethodFunc(method, "/r/{link}/entry/{item}/{index}/{name}", a.guestEntry)
		r.MethodFunc(method, "/r/{link}/ends.ics", a.ends)
		r.MethodFunc(method, "/r/{link}/sums.txt", a.sums)
		r.MethodFunc(method, "/r/{link}/package.meta4", a.metalink)
	}
	r.Get("/r/{link}", a.recipientHTML())
	r.Head("/r/{link}", a.Web.Pages.ServeHTTP)
	r.Post("/r/{link}/plain", a.answerPlain)
	r.Post("/r/{link}/quiet", a.quiet)              // by a mail program
	r.Get("/r/{link}/quiet", a.Web.Pages.ServeHTTP) // a person who follows the same address
	r.Get("/r/{link}/room", a.Web.Pages.ServeHTTP)
	r.Get("/r/{link}/room/print", a.Web.Pages.ServeHTTP)
	r.Get("/api/v1/r/{link}/live", a.guestLive)
	r.Get("/api/v1/r/{link}/outside", a.guestWaits)
	a.guestOperations()
	a.alongOperations()
	a.knockOperations()
}

// ByLink is a path under a link.
type ByLink struct {
	Link string `path:"link"`
}

// AsEntrant passes whoever came by the link to do.
func AsEntrant[I, O any](receiving *Service, link func(*I) string, do func(context.Context, Entrant, *I) (*O, error)) func(context.Context,
	*I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) {
		found := web.From(ctx)
		e, err := receiving.Enter(ctx, link(in), found.Device, found.Member)
		if err != nil {
			return nil, err
		}
		return do(ctx, e, in)
	}
}

// A GuestInput is a body from whoever came by a link.
type GuestInput[T any] struct {
	ByLink
	Body T
}

// LinkOf is the link that somebody came by.
func LinkOf[T any](in *GuestInput[T]) string { return in.Link }

func (a Routes) guestOperations() {
	plain := func(in *ByLink) string { return in.Link }
	web.Add(a.Web, web.GuestOp(http.MethodGet, "", "recipient-page", "What the holder of a link sees"), AsEntrant(a.Receive, plain, a.recipientPage))
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/items", "recipient-items", "What is in the package, a page at a time"), AsEntrant(a.Receive,
		func(in *guestPage) string { return in.Link },
		func(ctx context.Context, e Entrant, in *guestPage) (*web.ItemsAnswer[guestItemView], error) {
			out := &web.ItemsAnswer[guestItemView]{}
			var err error
			out.Body.Items, out.Body.Next, err = a.guestItems(ctx, e, in.Link, in.After)
			return out, err
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/choose", "choose", "Get the address under which chosen items are taken as one ZIP"), AsEntrant(a.Receive, LinkOf,
		func(ctx context.Context, e Entrant, in *GuestInput[struct {
			Items []string `json:"items,omitempty" maxItems:"100000"`
			Rest  bool     `json:"rest,omitempty" doc:"instead: all that they have not every byte of yet"`
		}]) (*web.Body[gather.AddressView], error) {
			if in.Body.Rest {
				rest, err := a.Receive.Rest(ctx, e)
				if err != nil {
					return nil, err
				}
				if in.Body.Items = rest; len(rest) == 0 {
					return nil, ground.Clash("has_all", "You have all of it already.")
				}
			}
			id, err := a.Receive.Choose(ctx, e, in.Body.Items)
			if err != nil {
				return nil, err
			}
			return &web.Body[gather.AddressView]{Body: gather.AddressView{Address: zipAddress(in.Link, e) + "&chosen=" + id, Name: naming.Portable(e.Parcel.Title) + ".zip"}}, nil
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/visit", "visit", "Say that the page was opened, on which clock"), AsEntrant(a.Receive, LinkOf, a.visit))
	a.doorOperations()
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/quiet", "quiet", "Ask not to be reminded of this package"), AsEntrant(a.Receive, plain,
		func(ctx context.Context, e Entrant, _ *ByLink) (*web.None, error) {
			return nil, a.Receive.Quiet(ctx, e)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/items/{item}/look", "look", "Say that an item is being looked at"), AsEntrant(a.Receive,
		func(in *GuestItem) string { return in.Link },
		func(ctx context.Context, e Entrant, in *GuestItem) (*web.None, error) {
			c, err := a.Receive.Reach(ctx, e, in.Item, right.See)
			if err != nil {
				return nil, err
			}
			return nil, a.Receive.Looked(ctx, e, c.VersionID)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/items/{item}/entries", "recipient-entries", "What is in an archive, without downloading it"), AsEntrant(a.Receive,
		func(in *guestArchive) string { return in.Link }, a.guestEntries))
}

// doorOperations are for whoever stands outside.
func (a Routes) doorOperations() {
	plain := func(in *ByLink) string { return in.Link }
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/code", "send-code", "Ask for a six-digit code by mail"), AsEntrant(a.Receive, plain,
		func(ctx context.Context, e Entrant, _ *ByLink) (*web.DeviceAnswer, error) {
			return a.Web.WithDevice(ctx), a.Receive.SendCode(ctx, e, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/enter", "enter", "Answer the door with a passphrase or a code"), AsEntrant(a.Receive, LinkOf,
		func(ctx context.Context, e Entrant, in *GuestInput[struct {
			Answer string `json:"answer" maxLength:"400"`
		}]) (*web.DeviceAnswer, error) {
			device, err := a.Receive.PassDoor(ctx, e, in.Body.Answer, web.From(ctx).Host)
			return a.Web.Known(ctx, device), err
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/ask", "ask", "Ask to be let in again after the end"), AsEntrant(a.Receive, LinkOf,
		func(ctx context.Context, e Entrant, in *GuestInput[struct {
			Name    string `json:"name,omitempty" maxLength:"200" doc:"who asks, where the link does not say it"`
			Message string `json:"message,omitempty" maxLength:"1000"`
		}]) (*web.DeviceAnswer, error) {
			return a.Web.WithDevice(ctx), a.Receive.Ask(ctx, e, in.Body.Name, in.Body.Message)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/sign", "sign-guest-book", "Leave name and mail address in the guest book"), AsEntrant(a.Receive, LinkOf,
		func(ctx context.Context, e Entrant, in *GuestInput[struct {
			Name    string `json:"name" maxLength:"200"`
			Address string `json:"address" maxLength:"400"`
		}]) (*web.DeviceAnswer, error) {
			device, err := a.Receive.SignBook(ctx, e, in.Body.Name, in.Body.Address, web.From(ctx).Host)
			return a.Web.Known(ctx, device), err
		}))
}

type guestPage struct {
	ByLink
	After string `query:"after" doc:"next of the page before; empty for the first"`
}

// GuestItem is a path to an item under a link.
type GuestItem struct {
	ByLink
	Item string `path:"item"`
}

func (a Routes) visit(ctx context.Context, e Entrant, in *GuestInput[struct {
	Zone string `json:"zone,omitempty" maxLength:"64" doc:"IANA time zone of the browser"`
}]) (*web.DeviceAnswer, error) {
	if reason := e.Standing(a.Pack.Now()); reason != access.Allowed {
		return a.Web.WithDevice(ctx), nil // whoever stands before a door has not opened it
	}
	return a.Web.WithDevice(ctx), a.Receive.Visited(ctx, e, in.Body.Zone)
}

type guestItemView struct {
	pack.ItemView
	Take      string `json:"take" doc:"path of the original; empty where it may not be taken"`
	Have      string `json:"have" enum:",part,all,older" doc:"what this recipient has of it"`
	Delivered int64  `json:"delivered" doc:"bytes"`
	HaveText  string `json:"have_saying"`
}

type guestView struct {
	Standing    access.Reason         `json:"standing" doc:"empty: they are in"`
	Say         string                `json:"say" doc:"the standing in words"`
	MayAsk      bool                  `json:"may_ask" doc:"whether they may ask to be let in"`
	Asked       string                `json:"asked" enum:",waiting,turned_away" doc:"what became of that on this device"`
	Opens       string                `json:"opens" doc:"how a shut door is opened, and how often that may be tried"`
	Studio      string                `json:"studio"`
	Letterhead  *letterheads.HeadView `json:"letterhead" doc:"how the studio shows itself; null where it is not told"`
	Sender      string                `json:"sender"`
	Recipient   string                `json:"recipient"`
	Anyone      bool                  `json:"anyone"`
	Keeper      string                `json:"keeper" doc:"their own studio on this server, where a copy can be kept; empty where they are not signed in to one"`
	Preview     bool                  `json:"preview" doc:"a member of the studio looks at it as this recipient; nothing is recorded"`
	Title       string                `json:"title" doc:"empty before a shut door"`
	CoverLetter string                `json:"cover_letter"`
	SentAt      *time.Time            `json:"sent_at"`
	EndsAt      *time.Time            `json:"ends_at"`
	State       state.State           `json:"state"`
	Rights      right.Rights          `json:"rights"`
	Size        int64                 `json:"size" doc:"bytes"`
	Weight      string                `json:"weight"`
	Estimate    string                `json:"estimate" doc:"how long all of it takes at 50 Mbit/s"`
	Count       int                   `json:"count" doc:"items"`
	Items       []guestItemView       `json:"items" doc:"the first page of them"`
	Next        string                `json:"next" doc:"pass as after for the next page of items; empty at the end"`
	Archive     string                `json:"archive" doc:"path of all as one ZIP, which names the state it is of; empty where nothing may be taken"`
	ArchiveName string                `json:"archive_name"`
	ArchiveSize int64                 `json:"archive_size" doc:"bytes, exactly; 0 while it is not planned, which a HEAD of its path does"`
}

// homeLine is the line that the recipient page reckons with before it has
// measured anything, in bits a second.
const homeLine = 50 * transfer.Mbit

func (a Routes) recipientPage(ctx context.Context, e Entrant, in *ByLink) (*web.Body[guestView], error) {
	now := a.Pack.Now()
	standing, shows := e.Standing(now), e.Shows(now)
	v := guestView{Standing: standing, Say: standing.Say(), Opens: throttle.Opens(door.Need(standing)), Preview: e.Studio,
		MayAsk: standing.MayAsk(), State: e.Parcel.State(now), Rights: right.Rights{},
		Items: []guestItemView{}}
	if shows.Sender {
		v.SentAt = e.Parcel.SentAt
		if head, ok, err := a.Heads.For(ctx, e.Parcel.ID); err != nil {
			return nil, err
		} else if ok {
			v.Letterhead = letterheads.ViewHead(head)
		}
		v.Studio, v.Sender, v.Recipient, v.Anyone = e.Parcel.StudioName, e.Parcel.SenderName, e.Line.Name, e.Line.Anyone()
	}
	if shows.Title {
		v.Title = e.Parcel.Title
	}
	if shows.Ends {
		v.EndsAt = e.Parcel.EndsAt
	} else if v.State == state.Closing {
		v.State = state.Out // that it ends soon is inside
	}
	if !shows.Inside {
		if k, ok, err := a.Receive.Asked(ctx, e); err != nil {
			return nil, err
		} else if ok && k.AnsweredAt == nil {
			v.Asked = "waiting"
		} else if ok && !k.LetIn {
			v.Asked = "turned_away"
		}
		return &web.Body[guestView]{Body: v}, nil
	}
	if m := web.From(ctx).Member; m != nil && m.StudioID != e.Parcel.StudioID && e.May(right.Take, now) {
		v.Keeper = m.StudioName
	}
	v.Rights, v.CoverLetter = ground.OrEmpty(e.Line.Rights), e.Parcel.CoverLetter
	v.Count, v.Size, v.Weight = e.Parcel.Items, e.Parcel.Weight, transfer.Size(e.Parcel.Weight)
	v.Estimate = transfer.Span(transfer.Duration(v.Size, homeLine))
	var err error
	if v.Items, v.Next, err = a.guestItems(ctx, e, in.Link, ""); err != nil {
		return nil, err
	}
	if e.May(right.Take, now) && len(v.Items) > 0 {
		v.ArchiveName = naming.Portable(e.Parcel.Title) + ".zip"
		v.Archive = zipAddress(in.Link, e)
		zip := a.Receive.ArchiveReady(e)
		if zip == nil && e.Parcel.Items <= plannedAtOnce {
			zip, err = a.Receive.Archive(ctx, e, Wanted{})
			if err != nil && !errors.Is(err, ErrZIPChanged) { // its size is not known yet
				return nil, err
			}
		}
		if zip != nil {
			v.ArchiveSize = zip.Layout.Length()
		}
	}
	return &web.Body[guestView]{Body: v}, nil
}

// plannedAtOnce is the largest package whose ZIP is planned with its page; a
// larger one is when it is asked for.
const plannedAtOnce = 2000

// guestItems are a page of items as a recipient sees them.
func (a Routes) guestItems(ctx context.Context, e Entrant, link, next string) ([]guestItemView, string, error) {
	after, err := pack.ReadPlace(next)
	if err != nil {
		return nil, "", err
	}
	inside, err := a.Receive.Inside(ctx, e, after)
	if err != nil {
		return nil, "", err
	}
	take := e.May(right.Take, a.Pack.Now())
	out := make([]guestItemView, len(inside.Contents))
	for i, c := range inside.Contents {
		item := guestItemView{ItemView: pack.ViewItem(c, "/r/"+link+"/look/"+c.ID+"/")}
		if take {
			item.Take = takeAddress(link, c.ID, c.VersionID, naming.Portable(c.FileName))
		}
		cover := inside.Covers[c.VersionID]
		item.Delivered = cover.Bytes.Len()
		switch {
		case cover.CompletedAt != nil:
			item.Have, item.HaveText = "all", "you have it"
		case item.Delivered > 0:
			item.Have, item.HaveText = "part", transfer.Size(item.Delivered)+" of "+transfer.Size(c.Size)
		case slices.ContainsFunc(c.Older, func(v string) bool { return inside.Covers[v].CompletedAt != nil }):
			item.Have, item.HaveText = "older", "newer than what you have"
		case slices.ContainsFunc(c.Older, func(v string) bool { return !inside.Covers[v].Bytes.Empty() }):
			item.Have, item.HaveText = "older", "newer than what you began"
		}
		out[i] = item
	}
	return out, pack.NextPlace(inside.Contents), nil
}

var _ huma.StatusError = (*web.Problem)(nil)

// A knockView is somebody who stands before a package and asks to be let in.
type knockView struct {
	ID       string        `json:"id"`
	Package  string        `json:"package"`
	Title    string        `json:"title"`
	Name     string        `json:"name"`
	Email    string        `json:"email" doc:"empty where it is not known"`
	Message  string        `json:"message"`
	Reason   access.Reason `json:"reason" doc:"what keeps them out"`
	AskedAt  time.Time     `json:"asked_at"`
	Answered bool          `json:"answered"`
	LetIn    bool          `json:"let_in"`
}

func (a Routes) knockOperations() {
	show := func(ctx context.Context, m account.Member, id string) (*web.Body[knockView], error) {
		k, err := a.Receive.KnockOf(ctx, m, id)
		return &web.Body[knockView]{Body: knockView{ID: k.ID, Package: k.ParcelID, Title: k.Title, Name: k.Who(), Email: k.Email,
			Message: k.Message, Reason: k.Reason, AskedAt: k.AskedAt, Answered: k.AnsweredAt != nil, LetIn: k.LetIn}}, err
	}
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/knocks/{id}", "knock", "Who asks to be let in, and what keeps them out"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[knockView], error) {
			return show(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/knocks/{id}/answer", "answer-knock", "Let somebody in who asked, or do not"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				LetIn bool `json:"let_in"`
			}
		}) (*web.Body[knockView], error) {
			if err := a.Receive.Answer(ctx, m, in.ID, in.Body.LetIn); err != nil {
				return nil, err
			}
			return show(ctx, m, in.ID)
		}))
}
