package letters

import (
	"context"
	"time"

	"aftergust/core/door"
	"aftergust/core/expiry"
	"aftergust/core/letter"
	"aftergust/core/letterhead"
	"aftergust/core/right"
	"aftergust/core/transfer"
	"aftergust/internal/ground"
)

// A Subject is the package and the line that a letter is about.
type Subject struct {
	StudioName  string
	SenderName  string
	SenderEmail string
	Title       string
	CoverLetter string
	Door        door.Door
	Rule        expiry.Rule
	Moments     expiry.Moments
	Items       int
	Weight      int64 // bytes
	LineName    string
	LineZone    string
	Rights      right.Rights
	Removed     bool
	LinkNonce   []byte // of the line's way in
	Head        Head
}

// A Head is the letterhead of a package as far as letters show it. Its fields are
// empty where the studio has none.
type Head struct {
	Main, Ground, Band string // colours as they were chosen
	SignOff            string
	Logo               string // path
}

// look is the colours of a letter by the names of tokens; nil for those of Aftergust.
func (h Head) look() map[string]string {
	if h.Main == "" {
		return nil
	}
	return letterhead.Read(h.Main, h.Ground, h.Band).Look().Tokens()
}

// A Composed letter is all that the mail package needs to write it.
type Composed struct {
	Kind        letter.Kind
	ToName      string
	ToEmail     string
	StudioName  string
	SenderName  string
	SenderEmail string
	Title       string
	CoverLetter string
	Link        string
	Items       int
	Weight      string
	Ends        string // on the recipient's clock where it is known
	Left        string
	EndsWhen    string // what the end waits for; empty for nothing
	MayTake     bool
	Passphrase  bool   // the door asks for one; it is not in the letter
	Code        string // for letter.Code
	GuestName   string // whom a letter to the producer is about
	Message     string
	Quiet       string // where a reminder is the last one; empty for other letters
	MessageID   string
	Look        map[string]string // colours by the names of tokens; nil for those of Aftergust
	Return      string            // beginning of the address that it comes back to
	Logo        string            // address; empty for none
	SignOff     string            // of the letterhead
}

// Compose gathers what a letter says. ok is false where it should not go any
// more: it went already, or what it is about has ended meanwhile.
func (s *Service) Compose(ctx context.Context, id string) (l Letter, c Composed, ok bool, err error) {
	l, found, err := s.store.LetterByID(ctx, id)
	if err != nil || !found || l.State != letter.Waiting {
		return l, c, false, err
	}
	if letter.All.Get(l.Kind).To == letter.Member {
		link := s.keys.ResetURL(l.Data["reset_id"])
		switch l.Kind {
		case letter.Invitation:
			link = s.keys.JoinURL(l.Data["invitation_id"])
		case letter.Lock:
			link = s.keys.AccountURL()
		}
		code := ""
		if l.Kind == letter.Confirm {
			link, code = s.keys.AccountURL(), s.keys.DoorCode(l.Data["code_id"])
		}
		return l, Composed{Kind: l.Kind, Code: code, ToName: l.ToName, ToEmail: l.ToEmail, StudioName: l.Data["studio"], SenderName: l.Data["inviter"],
			Message: l.Data["says"], MessageID: l.ID, Link: link}, true, nil
	}
	about, found, err := s.store.Subject(ctx, l)
	if err != nil || !found {
		return l, c, false, err
	}
	now, kind := s.now(), letter.All.Get(l.Kind)
	if kind.Open && (!about.Moments.At(now).Open() || about.Removed) {
		return l, c, false, s.store.LetterTried(ctx, id, letter.Refused, "The package had ended before this letter could go.")
	}
	if c = s.compose(l, about, now); c.Link == "" {
		return l, c, false, s.store.LetterTried(ctx, id, letter.Refused, linkless)
	}
	return l, c, true, nil
}

// Delivery is what the letter says that brings a line its link, as it would go now.
// It is not posted.
func (s *Service) Delivery(ctx context.Context, parcel, line, name, email string) (c Composed, ok bool, err error) {
	l := Letter{ID: ground.NewID(), ParcelID: parcel, LineID: line, Kind: letter.Delivery, ToName: name, ToEmail: email}
	about, ok, err := s.store.Subject(ctx, l)
	if err != nil || !ok {
		return c, false, err
	}
	c = s.compose(l, about, s.now())
	return c, c.Link != "", nil
}

func (s *Service) compose(l Letter, about Subject, now time.Time) Composed {
	c := Composed{
		Kind: l.Kind, ToName: l.ToName, ToEmail: l.ToEmail, StudioName: about.StudioName, SenderName: about.SenderName,
		SenderEmail: about.SenderEmail,
		Title:       about.Title, CoverLetter: about.CoverLetter, Items: about.Items, Weight: transfer.Size(about.Weight),
		MayTake:    about.Rights.Has(right.Take),
		Return:     returning + s.keys.ReturnTag(l.ID),
		Passphrase: about.Door.Needs() == door.APassphrase, GuestName: about.LineName, Message: l.Data["message"], MessageID: l.ID,
	}
	c.Look, c.SignOff = about.Head.look(), about.Head.SignOff
	if about.Head.Logo != "" {
		c.Logo = s.keys.BaseURL() + about.Head.Logo
	}
	if letter.All.Get(l.Kind).To == letter.Producer {
		c.Link = s.keys.PackageURL(l.ParcelID)
		if l.Kind == letter.Asked && l.Data["about"] != "" {
			c.Link = s.keys.KnockURL(l.Data["about"])
		}
		return c
	}
	if c.Link = s.keys.LinkURL(about.LinkNonce); l.Kind == letter.Reminder {
		c.Quiet = c.Link + "/quiet"
	}
	if code := l.Data["code_id"]; code != "" {
		c.Code = s.keys.DoorCode(code)
	}
	c.EndsWhen = about.Rule.When()
	zoneName := about.LineZone
	if zoneName == "" {
		zoneName = about.Rule.Zone
	}
	if zone, err := expiry.LoadZone(zoneName); err == nil && !about.Moments.Ends.IsZero() {
		c.Ends, c.Left = expiry.Long(about.Moments.Ends, zone), expiry.Left(now, about.Moments.Ends)
	}
	return c
}
