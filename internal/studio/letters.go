package studio

import (
	"context"
	"time"

	"aftergust/core/expiry"
	"aftergust/core/transfer"
)

// A Letter is a mail that goes out. Its text is composed when it goes, from
// the record, so that no link and no code is kept in the database.
type Letter struct {
	ID          string
	StudioID    string
	ParcelID    string
	RecipientID string
	Kind        string
	ToName      string
	ToEmail     string
	Data        map[string]string
	State       string
	Tries       int
	LastError   string
	CreatedAt   time.Time
	SentAt      *time.Time
}

// The kinds of letter.
const (
	LetterDelivery = "delivery" // a package for a recipient
	LetterReminder = "reminder" // it is still there to collect
	LetterCode     = "code"     // six digits for a new device
	LetterBlocked  = "blocked"  // to the producer: many wrong passphrases
	LetterAsked    = "asked"    // to the producer: somebody asks to be let in again
)

type letterRecords interface {
	InsertLetter(ctx context.Context, l Letter) error
	LetterByID(ctx context.Context, id string) (Letter, bool, error)
	Letters(ctx context.Context, parcel string) ([]Letter, error)
	LastLetter(ctx context.Context, recipient, kind string) (time.Time, error)
	LetterTried(ctx context.Context, id, state, problem string) error
}

func (s *Service) sendLetter(ctx context.Context, r Records, parcel Parcel, to Recipient, kind string) error {
	if !mayLetIn(to) {
		return nil
	}
	return s.post(ctx, r, Letter{StudioID: parcel.StudioID, ParcelID: parcel.ID, RecipientID: to.ID, Kind: kind, ToName: to.Name, ToEmail: to.Email})
}

func (s *Service) post(ctx context.Context, r Records, l Letter) error {
	l.ID = NewID()
	if err := r.InsertLetter(ctx, l); err != nil {
		return err
	}
	return r.Enqueue(ctx, LetterJob{LetterID: l.ID})
}

// A Composed letter is all that the mail package needs to write it.
type Composed struct {
	Kind        string
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
	MayTake     bool
	Passphrase  bool   // the door asks for one; it is not in the letter
	Code        string // for LetterCode
	GuestName   string // whom a letter to the producer is about
	Message     string
	MessageID   string
}

// Compose gathers what a letter says. ok is false where it should not go any
// more: it went already, or what it is about has ended meanwhile.
func (s *Service) Compose(ctx context.Context, id string) (letter Letter, c Composed, ok bool, err error) {
	letter, found, err := s.records.LetterByID(ctx, id)
	if err != nil || !found || letter.State != "waiting" {
		return letter, c, false, err
	}
	parcel, _, err := s.records.ParcelByID(ctx, letter.ParcelID)
	if err != nil {
		return letter, c, false, err
	}
	recipient, _, err := s.records.RecipientByID(ctx, letter.RecipientID)
	if err != nil {
		return letter, c, false, err
	}
	c = Composed{
		Kind: letter.Kind, ToName: letter.ToName, ToEmail: letter.ToEmail, StudioName: parcel.StudioName, SenderName: parcel.SenderName,
		SenderEmail: parcel.SenderEmail, Title: parcel.Title, CoverLetter: parcel.CoverLetter, MayTake: recipient.Rights.Has("take"),
		Passphrase: parcel.Door == "passphrase", GuestName: recipient.Name, Message: letter.Data["message"], MessageID: letter.ID,
	}
	now := s.now()
	switch letter.Kind {
	case LetterBlocked, LetterAsked:
		c.Link = s.PackageURL(parcel.ID)
		return letter, c, true, nil
	case LetterCode:
		c.Code = s.doorCode(letter.Data["code_id"])
	}
	if !parcel.State(now).Open() || recipient.RemovedAt != nil {
		return letter, c, false, s.records.LetterTried(ctx, id, "refused", "The package had ended before this letter could go.")
	}
	c.Link = s.LinkURL(recipient)
	contents, err := s.records.Contents(ctx, parcel.ID)
	if err != nil {
		return letter, c, false, err
	}
	var weight int64
	for _, item := range contents {
		if item.WithdrawnAt == nil {
			c.Items++
			weight += item.Size
		}
	}
	c.Weight = transfer.Size(weight)
	zoneName := recipient.Zone
	if zoneName == "" {
		zoneName = parcel.EndRule.Zone
	}
	if zone, err := expiry.LoadZone(zoneName); err == nil && parcel.EndsAt != nil {
		c.Ends = expiry.Long(*parcel.EndsAt, zone)
		c.Left = expiry.Left(now, *parcel.EndsAt)
	}
	return letter, c, true, nil
}

// LetterTried records the outcome of handing a letter over. With a problem the
// letter stays waiting.
func (s *Service) LetterTried(ctx context.Context, l Letter, problem string) error {
	state := "sent"
	if problem != "" {
		state = "waiting"
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.LetterTried(ctx, l.ID, state, problem); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: l.StudioID, Parcel: l.ParcelID, What: LettersChanged})
	})
}
