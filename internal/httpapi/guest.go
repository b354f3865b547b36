package httpapi

import (
	"context"
	"encoding/hex"
	"errors"
	"net/http"
	"slices"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/door"
	"aftergust/core/naming"
	"aftergust/core/right"
	"aftergust/core/state"
	"aftergust/core/throttle"
	"aftergust/core/transfer"
	"aftergust/internal/ground"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/seen"

	"github.com/danielgtaylor/huma/v2"
)

// ByLink is a path under a link.
type ByLink struct {
	Link string `path:"link"`
}

// asEntrant passes whoever came by the link to do.
func asEntrant[I, O any](a *API, link func(*I) string, do func(context.Context, receive.Entrant, *I) (*O, error)) func(context.Context,
	*I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) {
		found := from(ctx)
		e, err := a.Receive.Enter(ctx, link(in), found.device, found.member)
		if err != nil {
			return nil, err
		}
		return do(ctx, e, in)
	}
}

type guestInput[T any] struct {
	ByLink
	Body T
}

func linkOf[T any](in *guestInput[T]) string { return in.Link }

func (a *API) guestOperations() {
	plain := func(in *ByLink) string { return in.Link }
	add(a, guestOp(http.MethodGet, "", "recipient-page", "What the holder of a link sees"), asEntrant(a, plain, a.recipientPage))
	add(a, guestOp(http.MethodGet, "/items", "recipient-items", "What is in the package, a page at a time"), asEntrant(a,
		func(in *guestPage) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *guestPage) (*itemsAnswer[guestItemView], error) {
			out := &itemsAnswer[guestItemView]{}
			var err error
			out.Body.Items, out.Body.Next, err = a.guestItems(ctx, e, in.Link, in.After)
			return out, err
		}))
	add(a, guestOp(http.MethodPost, "/choose", "choose", "Get the address under which chosen items are taken as one ZIP"), asEntrant(a, linkOf,
		func(ctx context.Context, e receive.Entrant, in *guestInput[struct {
			Items []string `json:"items,omitempty" maxItems:"100000"`
			Rest  bool     `json:"rest,omitempty" doc:"instead: all that they have not every byte of yet"`
		}]) (*body[addressView], error) {
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
			return &body[addressView]{addressView{zipAddress(in.Link, e) + "&chosen=" + id, naming.Portable(e.Parcel.Title) + ".zip"}}, nil
		}))
	add(a, guestOp(http.MethodPost, "/visit", "visit", "Say that the page was opened, on which clock"), asEntrant(a, linkOf, a.visit))
	a.doorOperations()
	a.sheetOperations()
	a.keepOperation()
	add(a, guestOp(http.MethodPost, "/quiet", "quiet", "Ask not to be reminded of this package"), asEntrant(a, plain,
		func(ctx context.Context, e receive.Entrant, _ *ByLink) (*none, error) {
			return nil, a.Receive.Quiet(ctx, e)
		}))
	add(a, guestOp(http.MethodPost, "/items/{item}/look", "look", "Say that an item is being looked at"), asEntrant(a,
		func(in *GuestItem) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *GuestItem) (*none, error) {
			c, err := a.Receive.Reach(ctx, e, in.Item, right.See)
			if err != nil {
				return nil, err
			}
			return nil, a.Receive.Looked(ctx, e, c.VersionID)
		}))
	add(a, guestOp(http.MethodGet, "/items/{item}/entries", "recipient-entries", "What is in an archive, without downloading it"), asEntrant(a,
		func(in *guestArchive) string { return in.Link }, a.guestEntries))
}

// tellOperations are what a recipient's page tells: what is in front, and what is whole.
func (a *API) tellOperations() {
	add(a, guestOp(http.MethodPost, "/items/{item}/whole", "found-whole", "Say that what was written to the disk is whole, by its sum"), asEntrant(a,
		func(in *wholeInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *wholeInput) (*none, error) {
			sum, err := hex.DecodeString(in.Body.SHA256)
			if err != nil {
				sum = nil // it is no sum of anything
			}
			return nil, a.Receive.FoundWhole(ctx, e, in.Item, in.Body.Version, sum)
		}))
	add(a, guestOp(http.MethodPost, "/here", "here", "Say that the page is in front"), asEntrant(a,
		func(in *ByLink) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, _ *ByLink) (*none, error) {
			return nil, a.Seen.IsHere(ctx, e)
		}))
	add(a, guestOp(http.MethodPost, "/items/{item}/viewing", "viewing", "Say what of an item has been in front"), asEntrant(a,
		func(in *viewingInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *viewingInput) (*none, error) {
			return nil, a.Seen.Saw(ctx, e, in.Item, seen.Sign{Key: in.Body.Viewing, First: in.Body.First, Runs: in.Body.Runs, Pages: in.Body.Pages,
				Place: in.Body.At, Plays: in.Body.Plays})
		}))
}

// keepOperation is for a recipient who has a studio here.
func (a *API) keepOperation() {
	add(a, guestOp(http.MethodPost, "/keep", "keep-copy", "Keep a copy in a project of one's own studio on this server, where one is signed in; no bytes travel"),
		asEntrant(a, linkOf, func(ctx context.Context, e receive.Entrant, in *guestInput[struct {
			Place string   `json:"place" maxLength:"60" doc:"id of a project or folder of one's own"`
			Items []string `json:"items,omitempty" maxItems:"2000" doc:"those that were chosen; left out: all"`
		}]) (*body[keptView], error) {
			n, err := a.Copies.Keep(ctx, e, from(ctx).member, in.Body.Place, in.Body.Items)
			a.Receive.Recorder.Hurry()
			return &body[keptView]{keptView{n, in.Body.Place}}, err
		}))
}

type keptView struct {
	Items int    `json:"items" doc:"how many were kept"`
	Place string `json:"place"`
}

// sheetOperations are about the lists of sheets.
func (a *API) sheetOperations() {
	add(a, guestOp(http.MethodGet, "/items/{item}/ticks", "ticks", "What the holder of this link has ticked in a sheet, by the keys of its tasks"),
		asEntrant(a, func(in *GuestItem) string { return in.Link },
			func(ctx context.Context, e receive.Entrant, in *GuestItem) (*body[[]string], error) {
				keys, err := a.Review.GuestTicks(ctx, e, in.Item)
				return &body[[]string]{keys}, err
			}))
	add(a, guestOp(http.MethodPut, "/items/{item}/ticks", "tick", "Tick a task of a sheet, or take the tick back"), asEntrant(a,
		func(in *tickInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *tickInput) (*body[[]string], error) {
			if err := a.Review.TickTask(ctx, e, in.Item, in.Body.Task, in.Body.Done); err != nil {
				return nil, err
			}
			keys, err := a.Review.GuestTicks(ctx, e, in.Item)
			return &body[[]string]{keys}, err
		}))
}

// doorOperations are for whoever stands outside.
func (a *API) doorOperations() {
	plain := func(in *ByLink) string { return in.Link }
	add(a, guestOp(http.MethodPost, "/code", "send-code", "Ask for a six-digit code by mail"), asEntrant(a, plain,
		func(ctx context.Context, e receive.Entrant, _ *ByLink) (*deviceAnswer, error) {
			return a.withDevice(ctx), a.Receive.SendCode(ctx, e, from(ctx).host)
		}))
	add(a, guestOp(http.MethodPost, "/enter", "enter", "Answer the door with a passphrase or a code"), asEntrant(a, linkOf,
		func(ctx context.Context, e receive.Entrant, in *guestInput[struct {
			Answer string `json:"answer" maxLength:"400"`
		}]) (*deviceAnswer, error) {
			device, err := a.Receive.PassDoor(ctx, e, in.Body.Answer, from(ctx).host)
			return a.known(ctx, device), err
		}))
	add(a, guestOp(http.MethodPost, "/ask", "ask", "Ask to be let in again after the end"), asEntrant(a, linkOf,
		func(ctx context.Context, e receive.Entrant, in *guestInput[struct {
			Name    string `json:"name,omitempty" maxLength:"200" doc:"who asks, where the link does not say it"`
			Message string `json:"message,omitempty" maxLength:"1000"`
		}]) (*deviceAnswer, error) {
			return a.withDevice(ctx), a.Receive.Ask(ctx, e, in.Body.Name, in.Body.Message)
		}))
	add(a, guestOp(http.MethodPost, "/sign", "sign-guest-book", "Leave name and mail address in the guest book"), asEntrant(a, linkOf,
		func(ctx context.Context, e receive.Entrant, in *guestInput[struct {
			Name    string `json:"name" maxLength:"200"`
			Address string `json:"address" maxLength:"400"`
		}]) (*deviceAnswer, error) {
			device, err := a.Receive.SignBook(ctx, e, in.Body.Name, in.Body.Address, from(ctx).host)
			return a.known(ctx, device), err
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

type viewingInput struct {
	GuestItem
	Body struct {
		Viewing string           `json:"viewing" maxLength:"40" doc:"a key of 8 letters and digits or more that the screen makes up for each time somebody comes to the item"`
		First   int              `json:"first,omitempty" minimum:"0" maximum:"500" doc:"the place of the first of the runs among all of this viewing; what was told before may be told again"`
		Runs    []coverage.Range `json:"runs,omitempty" maxItems:"500" doc:"stretches that played, in the order in which they did, in milliseconds"`
		Pages   []int64          `json:"pages,omitempty" maxItems:"2000" doc:"for how many milliseconds each page was in front, since the viewing began"`
		At      int64            `json:"at,omitempty" minimum:"0" doc:"where they are: milliseconds of the piece, or the page"`
		Plays   bool             `json:"plays,omitempty" doc:"whether it plays"`
	}
}

type wholeInput struct {
	GuestItem
	Body struct {
		Version string `json:"version" maxLength:"60"`
		SHA256  string `json:"sha256" maxLength:"64" doc:"of what was read back from the disk, in hexadecimal"`
	}
}

type tickInput struct {
	GuestItem
	Body struct {
		Task string `json:"task" maxLength:"64" doc:"its key"`
		Done bool   `json:"done"`
	}
}

// A deviceAnswer gives the browser its cookie.
type deviceAnswer struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

// known gives the browser the secret by which it is known from now on; empty: it keeps the one it has.
func (a *API) known(ctx context.Context, device string) *deviceAnswer {
	if device == "" {
		return a.withDevice(ctx)
	}
	return &deviceAnswer{a.cookie(deviceCookie, device, time.Now().Add(deviceLife))}
}

func (a *API) withDevice(ctx context.Context) *deviceAnswer {
	return &deviceAnswer{a.cookie(deviceCookie, from(ctx).device, time.Now().Add(deviceLife))}
}

func (a *API) visit(ctx context.Context, e receive.Entrant, in *guestInput[struct {
	Zone string `json:"zone,omitempty" maxLength:"64" doc:"IANA time zone of the browser"`
}]) (*deviceAnswer, error) {
	if reason := e.Standing(a.Pack.Now()); reason != access.Allowed {
		return a.withDevice(ctx), nil // whoever stands before a door has not opened it
	}
	return a.withDevice(ctx), a.Receive.Visited(ctx, e, in.Body.Zone)
}

type guestItemView struct {
	ItemView
	Take      string `json:"take" doc:"path of the original; empty where it may not be taken"`
	Have      string `json:"have" enum:",part,all,older" doc:"what this recipient has of it"`
	Delivered int64  `json:"delivered" doc:"bytes"`
	HaveText  string `json:"have_saying"`
}

type guestView struct {
	Standing    access.Reason   `json:"standing" doc:"empty: they are in"`
	Say         string          `json:"say" doc:"the standing in words"`
	MayAsk      bool            `json:"may_ask" doc:"whether they may ask to be let in"`
	Asked       string          `json:"asked" enum:",waiting,turned_away" doc:"what became of that on this device"`
	Opens       string          `json:"opens" doc:"how a shut door is opened, and how often that may be tried"`
	Studio      string          `json:"studio"`
	Letterhead  *headView       `json:"letterhead" doc:"how the studio shows itself; null where it is not told"`
	Sender      string          `json:"sender"`
	Recipient   string          `json:"recipient"`
	Anyone      bool            `json:"anyone"`
	Keeper      string          `json:"keeper" doc:"their own studio on this server, where a copy can be kept; empty where they are not signed in to one"`
	Preview     bool            `json:"preview" doc:"a member of the studio looks at it as this recipient; nothing is recorded"`
	Title       string          `json:"title" doc:"empty before a shut door"`
	CoverLetter string          `json:"cover_letter"`
	SentAt      *time.Time      `json:"sent_at"`
	EndsAt      *time.Time      `json:"ends_at"`
	State       state.State     `json:"state"`
	Rights      right.Rights    `json:"rights"`
	Size        int64           `json:"size" doc:"bytes"`
	Weight      string          `json:"weight"`
	Estimate    string          `json:"estimate" doc:"how long all of it takes at 50 Mbit/s"`
	Count       int             `json:"count" doc:"items"`
	Items       []guestItemView `json:"items" doc:"the first page of them"`
	Next        string          `json:"next" doc:"pass as after for the next page of items; empty at the end"`
	Archive     string          `json:"archive" doc:"path of all as one ZIP, which names the state it is of; empty where nothing may be taken"`
	ArchiveName string          `json:"archive_name"`
	ArchiveSize int64           `json:"archive_size" doc:"bytes, exactly; 0 while it is not planned, which a HEAD of its path does"`
}

// homeLine is the line that the recipient page reckons with before it has
// measured anything, in bits a second.
const homeLine = 50 * transfer.Mbit

func (a *API) recipientPage(ctx context.Context, e receive.Entrant, in *ByLink) (*body[guestView], error) {
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
			v.Letterhead = viewHead(head)
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
		return &body[guestView]{v}, nil
	}
	if m := from(ctx).member; m != nil && m.StudioID != e.Parcel.StudioID && e.May(right.Take, now) {
		v.Keeper = m.StudioName
	}
	v.Rights, v.CoverLetter = orEmpty(e.Line.Rights), e.Parcel.CoverLetter
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
			zip, err = a.Receive.Archive(ctx, e, receive.Wanted{})
			if err != nil && !errors.Is(err, receive.ErrZIPChanged) { // its size is not known yet
				return nil, err
			}
		}
		if zip != nil {
			v.ArchiveSize = zip.Layout.Length()
		}
	}
	return &body[guestView]{v}, nil
}

// plannedAtOnce is the largest package whose ZIP is planned with its page; a
// larger one is when it is asked for.
const plannedAtOnce = 2000

// guestItems are a page of items as a recipient sees them.
func (a *API) guestItems(ctx context.Context, e receive.Entrant, link, next string) ([]guestItemView, string, error) {
	after, err := readPlace(next)
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
		item := guestItemView{ItemView: viewItem(c, "/r/"+link+"/look/"+c.ID+"/")}
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
	return out, nextPlace(inside.Contents), nil
}

var _ huma.StatusError = (*problem)(nil)
