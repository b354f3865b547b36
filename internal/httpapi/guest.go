package httpapi

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/expiry"
	"aftergust/core/naming"
	"aftergust/core/transfer"
	"aftergust/internal/studio"

	"github.com/danielgtaylor/huma/v2"
)

// ByLink is a path under a link.
type ByLink struct {
	Link string `path:"link"`
}

// asEntrant passes whoever came by the link to do.
func asEntrant[I, O any](a *API, link func(*I) string, do func(context.Context, studio.Entrant, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) {
		found := from(ctx)
		e, err := a.Service.Enter(ctx, link(in), found.device, found.member)
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
	add(a, guestOp(http.MethodPost, "/visit", "visit", "Say that the page was opened, on which clock"), asEntrant(a, linkOf, a.visit))
	add(a, guestOp(http.MethodPost, "/code", "send-code", "Ask for a six-digit code by mail"), asEntrant(a, plain,
		func(ctx context.Context, e studio.Entrant, _ *ByLink) (*deviceAnswer, error) {
			return a.withDevice(ctx), a.Service.SendCode(ctx, e, from(ctx).host)
		}))
	add(a, guestOp(http.MethodPost, "/enter", "enter", "Answer the door with a passphrase or a code"), asEntrant(a, linkOf,
		func(ctx context.Context, e studio.Entrant, in *guestInput[struct {
			Answer string `json:"answer" maxLength:"400"`
		}]) (*deviceAnswer, error) {
			return a.withDevice(ctx), a.Service.PassDoor(ctx, e, in.Body.Answer, from(ctx).host)
		}))
	add(a, guestOp(http.MethodPost, "/ask", "ask", "Ask to be let in again after the end"), asEntrant(a, linkOf,
		func(ctx context.Context, e studio.Entrant, in *guestInput[struct {
			Message string `json:"message,omitempty" maxLength:"1000"`
		}]) (*none, error) {
			return nil, a.Service.Ask(ctx, e, in.Body.Message)
		}))
	add(a, guestOp(http.MethodPost, "/items/{item}/look", "look", "Say that an item is being looked at"), asEntrant(a,
		func(in *GuestItem) string { return in.Link },
		func(ctx context.Context, e studio.Entrant, in *GuestItem) (*none, error) {
			c, err := a.Service.Reach(ctx, e, in.Item, access.See)
			if err != nil {
				return nil, err
			}
			return nil, a.Service.Looked(ctx, e, c.VersionID)
		}))
	add(a, guestOp(http.MethodGet, "/items/{item}/entries", "recipient-entries", "What is in an archive, without downloading it"), asEntrant(a,
		func(in *GuestItem) string { return in.Link }, a.guestEntries))
	add(a, guestOp(http.MethodPost, "/items/{item}/played", "played", "Say which milliseconds have played"), asEntrant(a,
		func(in *playedInput) string { return in.Link },
		func(ctx context.Context, e studio.Entrant, in *playedInput) (*none, error) {
			return nil, a.Service.Played(ctx, e, in.Item, in.Body.Ranges)
		}))
	add(a, guestOp(http.MethodGet, "/notes", "recipient-notes", "The notes of the package"), asEntrant(a, plain,
		func(ctx context.Context, e studio.Entrant, _ *ByLink) (*body[[]noteView], error) {
			notes, err := a.Service.GuestNotes(ctx, e)
			return &body[[]noteView]{viewNotes(notes, e.Recipient.ID)}, err
		}))
	add(a, guestOp(http.MethodPost, "/items/{item}/notes", "recipient-write-note", "Leave a note at a place of an item"), asEntrant(a,
		func(in *guestNote) string { return in.Link },
		func(ctx context.Context, e studio.Entrant, in *guestNote) (*body[noteView], error) {
			n, err := a.Service.WriteNote(ctx, e, in.Item, in.Body.Anchor, in.Body.Text)
			return &body[noteView]{viewNote(n, e.Recipient.ID)}, err
		}))
	add(a, guestOp(http.MethodPost, "/notes/{note}/answers", "recipient-answer-note", "Answer a note"), asEntrant(a,
		func(in *guestAnswer) string { return in.Link },
		func(ctx context.Context, e studio.Entrant, in *guestAnswer) (*body[noteView], error) {
			n, err := a.Service.Answer(ctx, e, in.Note, in.Body.Text)
			return &body[noteView]{viewNote(n, e.Recipient.ID)}, err
		}))
}

// GuestItem is a path to an item under a link.
type GuestItem struct {
	ByLink
	Item string `path:"item"`
}

type playedInput struct {
	GuestItem
	Body struct {
		Ranges []coverage.Range `json:"ranges" maxItems:"500" doc:"milliseconds"`
	}
}

type guestNote struct {
	GuestItem
	Body noteInput
}

type guestAnswer struct {
	ByLink
	Note string `path:"note"`
	Body answerInput
}

// A deviceAnswer gives the browser its cookie.
type deviceAnswer struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (a *API) withDevice(ctx context.Context) *deviceAnswer {
	return &deviceAnswer{a.cookie(deviceCookie, from(ctx).device, time.Now().Add(deviceLife))}
}

func (a *API) visit(ctx context.Context, e studio.Entrant, in *guestInput[struct {
	Zone string `json:"zone,omitempty" maxLength:"64" doc:"IANA time zone of the browser"`
}]) (*deviceAnswer, error) {
	if reason := e.Standing(a.Service.Now()); reason != access.Allowed {
		return a.withDevice(ctx), nil // whoever stands before a door has not opened it
	}
	return a.withDevice(ctx), a.Service.Visited(ctx, e, in.Body.Zone)
}

type guestItemView struct {
	ItemView
	Take      string `json:"take" doc:"path of the original; empty where it may not be taken"`
	Have      string `json:"have" enum:",part,all" doc:"what this recipient has of it"`
	Delivered int64  `json:"delivered" doc:"bytes"`
	HaveText  string `json:"have_saying"`
}

type guestView struct {
	Standing    access.Reason   `json:"standing" enum:",not_sent,removed,stopped,ended,cleared,need_passphrase,need_code,need_address" doc:"empty: they are in"`
	Say         string          `json:"say" doc:"the standing in words"`
	Studio      string          `json:"studio"`
	Sender      string          `json:"sender"`
	Recipient   string          `json:"recipient"`
	Anyone      bool            `json:"anyone"`
	Preview     bool            `json:"preview" doc:"a member of the studio looks at it as this recipient; nothing is recorded"`
	Title       string          `json:"title" doc:"empty before a shut door"`
	CoverLetter string          `json:"cover_letter"`
	EndsAt      *time.Time      `json:"ends_at"`
	State       expiry.State    `json:"state" enum:"draft,out,closing,closed,cleared"`
	Rights      access.Rights   `json:"rights"`
	Size        int64           `json:"size" doc:"bytes"`
	Weight      string          `json:"weight"`
	Estimate    string          `json:"estimate" doc:"how long all of it takes at 50 Mbit/s"`
	Items       []guestItemView `json:"items"`
	Archive     string          `json:"archive" doc:"path of all as one ZIP; empty where nothing may be taken"`
	ArchiveName string          `json:"archive_name"`
	ArchiveSize int64           `json:"archive_size" doc:"bytes, exactly"`
}

// homeLine is the line that the recipient page reckons with before it has
// measured anything, in bits a second.
const homeLine = 50 * transfer.Mbit

func (a *API) recipientPage(ctx context.Context, e studio.Entrant, in *ByLink) (*body[guestView], error) {
	now := a.Service.Now()
	standing := e.Standing(now)
	v := guestView{Standing: standing, Say: standing.Say(), Studio: e.Parcel.StudioName, Sender: e.Parcel.SenderName, Recipient: e.Recipient.Name,
		Anyone: e.Recipient.Anyone(), Preview: e.Studio, State: e.Parcel.State(now), Rights: access.Rights{}, Items: []guestItemView{}}
	if standing != access.NeedPassphrase && standing != access.NeedCode && standing != access.NotSent && standing != access.RemovedPerson {
		v.Title, v.EndsAt = e.Parcel.Title, e.Parcel.EndsAt
	}
	if standing != access.Allowed {
		return &body[guestView]{v}, nil
	}
	v.Rights, v.CoverLetter = orEmpty(e.Recipient.Rights), e.Parcel.CoverLetter
	inside, err := a.Service.Inside(ctx, e)
	if err != nil {
		return nil, err
	}
	mayTake := e.Recipient.Rights.Has(access.Take)
	for _, c := range inside.Contents {
		item := guestItemView{ItemView: viewItem(c, "/r/"+in.Link+"/look/"+c.ID+"/")}
		if mayTake {
			item.Take = "/r/" + in.Link + "/take/" + c.ID + "/" + url.PathEscape(naming.Portable(c.FileName))
		}
		cover := inside.Covers[c.VersionID]
		item.Delivered = cover.Bytes.Len()
		switch {
		case cover.CompletedAt != nil:
			item.Have, item.HaveText = "all", "you have it"
		case item.Delivered > 0:
			item.Have, item.HaveText = "part", transfer.Size(item.Delivered)+" of "+transfer.Size(c.Size)
		}
		v.Size += c.Size
		v.Items = append(v.Items, item)
	}
	v.Weight = transfer.Size(v.Size)
	v.Estimate = transfer.Span(transfer.Duration(v.Size, homeLine))
	if mayTake && len(v.Items) > 0 {
		zip, err := a.archives.get(ctx, a.Service, e, nil)
		if err != nil {
			return nil, err
		}
		v.Archive = "/r/" + in.Link + "/zip/" + url.PathEscape(zip.Name)
		v.ArchiveName, v.ArchiveSize = zip.Name, zip.Layout.Length()
	}
	return &body[guestView]{v}, nil
}

var _ huma.StatusError = (*problem)(nil)
