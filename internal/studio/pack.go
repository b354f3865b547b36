package studio

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/access"
	"aftergust/core/expiry"
	"aftergust/core/naming"
	"aftergust/core/sentence"
)

// Untitled is the title of a package that nobody and nothing has named yet.
const Untitled = "Untitled package"

const stateCleared = expiry.Cleared

// A Parcel is a package: what is sent.
type Parcel struct {
	ID             string
	StudioID       string
	Title          string
	CoverLetter    string
	Door           access.Door
	PassphraseHash string
	EndRule        expiry.Rule
	ContentsRev    int64
	CreatedBy      string
	CreatedAt      time.Time
	SentAt         *time.Time
	EndsAt         *time.Time
	StoppedAt      *time.Time
	ClearedAt      *time.Time
	SenderName     string // of the member who made it
	SenderEmail    string
	StudioName     string
}

// Moments are the dates that decide the state.
func (p Parcel) Moments() expiry.Moments {
	return expiry.Moments{Sent: when(p.SentAt), Ends: when(p.EndsAt), Stopped: when(p.StoppedAt), Cleared: when(p.ClearedAt)}
}

// State is the state at the moment now.
func (p Parcel) State(now time.Time) expiry.State { return p.Moments().At(now) }

// Stopped reports whether it was closed by hand.
func (p Parcel) Stopped() bool { return p.StoppedAt != nil }

func (p Parcel) gate(now time.Time) access.Parcel {
	return access.Parcel{State: p.State(now), Stopped: p.Stopped(), Door: p.Door}
}

func when(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// A ParcelItem ties an item to a package.
type ParcelItem struct {
	ID       string
	ParcelID string
	ItemID   string
	Folder   string
	Position int // order in the package
}

// A Content is one item of a package with the version that it gives now.
type Content struct {
	ID          string // of the parcel item
	ParcelID    string
	ItemID      string
	Folder      string
	Position    int
	WithdrawnAt *time.Time
	Pinned      bool
	VersionID   string
	Number      int
	FileName    string
	Kind        string
	Mime        string
	MediaState  string
	MediaError  string
	Facts       Facts
	BlobID      string
	Size        int64
	CRC32       uint32
	XXH3        []byte
	AddedAt     time.Time
	Title       string // name of the item; differs from FileName for links, swatches and sheets
	Data        Data
	Loose       bool     // it lies in no project, so its bytes go when the package is cleared
	Made        []string // purposes of what was made from the version
	Pages       int      // previews of pages that are made
	Older       []string // earlier versions, oldest first
	Lead        string   // the parcel item of which it is another format; empty for most
}

// Path is the name under which the content lies in the package.
func (c Content) Path() string {
	if c.Folder == "" {
		return c.FileName
	}
	return c.Folder + "/" + c.FileName
}

// A Recipient is one line of the waybill: a person, or the link that anyone may use.
type Recipient struct {
	ID        string
	ParcelID  string
	Name      string
	Email     string // empty for the link that anyone may use
	Rights    access.Rights
	MayPassOn bool
	Zone      string // IANA name; empty while it is not known
	LinkNonce []byte
	LinkHash  []byte
	RemovedAt *time.Time
}

// Anyone reports whether this is the link that anyone may use.
func (r Recipient) Anyone() bool { return r.Email == "" }

type packRecords interface {
	InsertParcel(ctx context.Context, p Parcel) error
	UpdateParcel(ctx context.Context, p Parcel) error
	ParcelByID(ctx context.Context, id string) (Parcel, bool, error)
	LockParcel(ctx context.Context, id string) (Parcel, error)
	DiscardParcel(ctx context.Context, id string, at time.Time) error
	BumpContents(ctx context.Context, parcel string) error
	InsertParcelItem(ctx context.Context, i ParcelItem) error
	RemoveParcelItem(ctx context.Context, id string) error
	WithdrawParcelItem(ctx context.Context, id string, at *time.Time) error
	Contents(ctx context.Context, parcel string) ([]Content, error)
	ContentByID(ctx context.Context, id string) (Content, bool, error)
	Recipients(ctx context.Context, parcel string) ([]Recipient, error)
	RecipientByID(ctx context.Context, id string) (Recipient, bool, error)
	InsertRecipient(ctx context.Context, r Recipient) error
	UpdateRecipient(ctx context.Context, r Recipient) error
	DeleteRecipient(ctx context.Context, id string) error
	LastZoneOf(ctx context.Context, studio, email string) (string, error)
}

// parcelOf is a package of the member's studio, or not found.
func (s *Service) parcelOf(ctx context.Context, m Member, id string) (Parcel, error) {
	parcel, ok, err := s.records.ParcelByID(ctx, id)
	if err != nil {
		return parcel, err
	}
	if !ok || parcel.StudioID != m.StudioID {
		return Parcel{}, notFound("package")
	}
	return parcel, nil
}

// NewPackage makes an empty draft that would end in seven days.
func (s *Service) NewPackage(ctx context.Context, m Member) (Parcel, error) {
	parcel := Parcel{
		ID: NewID(), StudioID: m.StudioID, Title: Untitled, Door: access.DoorOpen, CreatedBy: m.ID, CreatedAt: s.now(),
		EndRule: expiry.Rule{Kind: expiry.AfterDays, Days: 7, Zone: m.Zone},
	}
	if err := s.records.InsertParcel(ctx, parcel); err != nil {
		return Parcel{}, err
	}
	return s.parcelOf(ctx, m, parcel.ID)
}

// An Edit changes what is written on a package. Nil fields stay as they are.
type Edit struct {
	Title       *string
	CoverLetter *string
	Door        *access.Door
	Passphrase  *string
	EndRule     *expiry.Rule
}

const (
	maxTitle       = 160
	maxLetter      = 8000
	minPassphrase  = 4
	maxPassphrase  = 200
	maxRecipients  = 500
	maxNameOfGuest = 120
)

// EditPackage changes what is written on a package. The end of one that is out
// is changed by Extend instead.
func (s *Service) EditPackage(ctx context.Context, m Member, id string, e Edit) (Parcel, error) {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return Parcel{}, err
	}
	passphraseHash := ""
	if e.Passphrase != nil {
		n := utf8.RuneCountInString(*e.Passphrase)
		if n < minPassphrase || n > maxPassphrase {
			return Parcel{}, invalid("passphrase", "A passphrase has %d to %d characters. Four words that do not belong together are good.", minPassphrase, maxPassphrase)
		}
		hash, err := HashPassword(*e.Passphrase)
		if err != nil {
			return Parcel{}, err
		}
		passphraseHash = hash
	}
	err := s.records.Tx(ctx, func(r Records) error {
		parcel, err := r.LockParcel(ctx, id)
		if err != nil {
			return err
		}
		if e.Title != nil {
			title := naming.Title(*e.Title)
			if strings.TrimSpace(*e.Title) == "" {
				title = Untitled
			}
			parcel.Title = clip(title, maxTitle)
		}
		if e.CoverLetter != nil {
			if utf8.RuneCountInString(*e.CoverLetter) > maxLetter {
				return invalid("cover_letter", "The cover letter may have up to %d characters.", maxLetter)
			}
			parcel.CoverLetter = strings.ToValidUTF8(*e.CoverLetter, "")
		}
		if e.Door != nil {
			if !e.Door.Valid() || *e.Door == access.DoorGuestBook {
				return invalid("door", "The door is open, passphrase or named.")
			}
			parcel.Door = *e.Door
		}
		if passphraseHash != "" {
			parcel.PassphraseHash = passphraseHash
		}
		if parcel.SentAt != nil && parcel.Door == access.DoorPassphrase && parcel.PassphraseHash == "" {
			return invalid("passphrase", "Set a passphrase together with this door; the package is out.")
		}
		if e.EndRule != nil {
			if parcel.SentAt != nil {
				return conflict("already_sent", "This package is out. Extend it to change its end.")
			}
			if _, err := expiry.LoadZone(e.EndRule.Zone); err != nil {
				return endProblem(err)
			}
			parcel.EndRule = *e.EndRule // an end that does not resolve yet is shown as such beside the Sentence
		}
		if err := r.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: parcel.StudioID, Parcel: id, What: WaybillChanged})
	})
	if err != nil {
		return Parcel{}, err
	}
	return s.parcelOf(ctx, m, id)
}

func endProblem(err error) error {
	for _, known := range []error{expiry.ErrPast, expiry.ErrRule, expiry.ErrSkipped, expiry.ErrZone} {
		if errors.Is(err, known) {
			return invalid("ends", "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		}
	}
	return err
}

// Discard throws away a draft. What is out is stopped instead.
func (s *Service) Discard(ctx context.Context, m Member, id string) error {
	parcel, err := s.parcelOf(ctx, m, id)
	if err != nil {
		return err
	}
	if parcel.SentAt != nil {
		return conflict("already_sent", "This package was sent. Stop it instead; its record is kept.")
	}
	return s.records.DiscardParcel(ctx, id, s.now())
}

// contentsChanged is the last step of every change of what is in a package.
func (s *Service) contentsChanged(ctx context.Context, r Records, studio, parcel string) error {
	if err := r.BumpContents(ctx, parcel); err != nil {
		return err
	}
	return r.Announce(ctx, Change{Studio: studio, Parcel: parcel, What: ContentsChanged})
}

// RemoveItem takes an item out of a package: out of a draft without a trace,
// out of one that was sent by withdrawing it at once, with its record kept.
func (s *Service) RemoveItem(ctx context.Context, m Member, id string) error {
	content, parcel, err := s.contentOf(ctx, m, id)
	if err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		if parcel.SentAt == nil {
			err = r.RemoveParcelItem(ctx, id)
		} else {
			now := s.now()
			if err = r.WithdrawParcelItem(ctx, id, &now); err == nil {
				err = r.InsertEvent(ctx, Event{StudioID: m.StudioID, ParcelID: parcel.ID, MemberID: m.ID, VersionID: content.VersionID, Kind: EventWithdrawn})
			}
		}
		if err != nil {
			return err
		}
		return s.contentsChanged(ctx, r, m.StudioID, parcel.ID)
	})
}

func (s *Service) contentOf(ctx context.Context, m Member, id string) (Content, Parcel, error) {
	content, ok, err := s.records.ContentByID(ctx, id)
	if err != nil {
		return content, Parcel{}, err
	}
	if !ok {
		return content, Parcel{}, notFound("item")
	}
	parcel, err := s.parcelOf(ctx, m, content.ParcelID)
	return content, parcel, err
}

// A Packed package is everything that the package screen shows of it.
type Packed struct {
	Parcel     Parcel
	State      expiry.State
	Contents   []Content
	Recipients []Recipient
	Uploads    []Upload
	Letters    []Letter
	Sentence   []sentence.Part
	Warnings   []sentence.Warning
	WouldEnd   time.Time // where the rule leads if it is sent now; zero where it does not resolve
}

// Package is everything that the package screen shows.
func (s *Service) Package(ctx context.Context, m Member, id string) (Packed, error) {
	parcel, err := s.parcelOf(ctx, m, id)
	if err != nil {
		return Packed{}, err
	}
	return s.packed(ctx, s.records, parcel)
}

func (s *Service) packed(ctx context.Context, r Records, parcel Parcel) (Packed, error) {
	p := Packed{Parcel: parcel, State: parcel.State(s.now())}
	var err error
	if p.Contents, err = r.Contents(ctx, parcel.ID); err != nil {
		return p, err
	}
	if p.Recipients, err = r.Recipients(ctx, parcel.ID); err != nil {
		return p, err
	}
	if p.Uploads, err = r.UploadsOf(ctx, parcel.ID); err != nil {
		return p, err
	}
	if p.Letters, err = r.Letters(ctx, parcel.ID); err != nil {
		return p, err
	}
	plan := s.plan(p)
	p.Sentence, p.Warnings, p.WouldEnd = sentence.Write(plan), sentence.Warnings(plan), plan.Ends
	return p, nil
}

func (s *Service) plan(p Packed) sentence.Plan {
	now := s.now()
	plan := sentence.Plan{Door: p.Parcel.Door, HasPassphrase: p.Parcel.PassphraseHash != "", Now: now, Zone: time.UTC, Ends: when(p.Parcel.EndsAt)}
	if zone, err := expiry.LoadZone(p.Parcel.EndRule.Zone); err == nil {
		plan.Zone = zone
	}
	if plan.Ends.IsZero() {
		ends, err := p.Parcel.EndRule.Resolve(now)
		if err != nil {
			plan.EndProblem = err.Error()
		}
		plan.Ends = ends
	}
	for _, c := range p.Contents {
		if c.WithdrawnAt == nil {
			plan.Items = append(plan.Items, sentence.Item{Name: c.Path(), Size: c.Size, Empty: c.Size == 0})
		}
	}
	for _, u := range p.Uploads {
		if u.State == "arriving" && u.ItemID == "" {
			plan.Items = append(plan.Items, sentence.Item{Name: u.Name, Size: u.Size, Arrive: true})
		}
	}
	for _, r := range p.Recipients {
		if r.RemovedAt != nil {
			continue
		}
		line := sentence.Recipient{ID: r.ID, Name: r.Name, Rights: r.Rights, Anyone: r.Anyone()}
		if zone, err := expiry.LoadZone(r.Zone); err == nil {
			line.Zone = zone
		}
		plan.Recipients = append(plan.Recipients, line)
	}
	return plan
}
