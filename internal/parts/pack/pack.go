// Package pack is how things are put together, addressed and sent: the package
// (in Go: a parcel, since package is a keyword), its waybill, and its state from
// draft to cleared.
package pack

import (
	"context"
	"time"

	"aftergust/core/door"
	"aftergust/core/expiry"
	"aftergust/core/right"
	"aftergust/core/sentence"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
)

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	LineStore
	Memory
	InsertParcel(ctx context.Context, p Parcel) error
	ParcelByID(ctx context.Context, id string) (Parcel, bool, error)
	// LockParcel is ParcelByID for whoever changes it in this transaction.
	LockParcel(ctx context.Context, id string) (Parcel, bool, error)
	// UpdateParcel writes what is on a package that was locked.
	UpdateParcel(ctx context.Context, p Parcel) error
	// TitleParcel gives a package another title if it still has the one before.
	TitleParcel(ctx context.Context, id, before, title string) error
	DiscardParcel(ctx context.Context, id string, at time.Time) error
	// ClearParcels marks packages as cleared that ended or were stopped before a
	// moment, at most so many at a time.
	ClearParcels(ctx context.Context, now, endedBefore time.Time, limit int) ([]Parcel, error)

	// PutItems adds items that are not in a package yet, in order behind those
	// that are, and folders with nothing in them; it returns how many items it added.
	PutItems(ctx context.Context, parcel string, items []Put, folders []string) (added int, err error)
	RemoveItem(ctx context.Context, parcel, id string) error
	WithdrawItem(ctx context.Context, parcel, id string, at time.Time) error
	Contents(ctx context.Context, parcel string, after Place, limit int) ([]Content, error)
	ContentByID(ctx context.Context, id string) (Content, bool, error)
	UploadsOf(ctx context.Context, parcel string) ([]gather.Upload, error)

	// Letters are those that brought links, and those that have not gone.
	Letters(ctx context.Context, parcel string) ([]letters.Letter, error)
}

// LineStore is what the service needs to know of lines.
type LineStore interface {
	Lines(ctx context.Context, parcel string) ([]Line, error)
	LineByID(ctx context.Context, id string) (Line, bool, error)
	// InsertLine writes a line with its way in.
	InsertLine(ctx context.Context, l Line) error
	// EnterPeople puts all who are on a waybill into the contact book.
	EnterPeople(ctx context.Context, parcel string) error
	UpdateLine(ctx context.Context, l Line) error
	// UpdateGuests lets those who came by a link for anyone follow its line: what it
	// may they may, and they go with it.
	UpdateGuests(ctx context.Context, of Line) error
	DeleteLine(ctx context.Context, id string) error
}

// A Memory is what is known from before of a draft's people and things.
type Memory interface {
	// Pasts is what is known of the people on a waybill, by line.
	Pasts(ctx context.Context, parcel string) (map[string]sentence.Past, error)
	// LinkNames are names of one's own for links of a package, by line.
	LinkNames(ctx context.Context, parcel string) (map[string]string, error)
	// SetName gives a line's link a name, or none; ok is false where another has it.
	SetName(ctx context.Context, line, name string) (ok bool, err error)
	// LetterheadOf is the letterhead that a package has as it is now; empty for none.
	LetterheadOf(ctx context.Context, parcel string) (id string, err error)
	// LetterheadIsOf reports whether a letterhead is one of a studio's.
	LetterheadIsOf(ctx context.Context, studio, id string) (bool, error)
	// KnownItems are the items of a package that each of some lines' people has to the
	// last byte in the version that it gives now, from whatever package.
	KnownItems(ctx context.Context, parcel string, lines []string) (ids []string, err error)
	// ClientOf is the client whose things are in a package; empty where there are several, or none.
	ClientOf(ctx context.Context, parcel string) (name string, err error)
	// Sounds are the sounds of a package, at most so many.
	Sounds(ctx context.Context, parcel string, limit int) ([]Content, error)
	// PinItems keeps items of a package in the versions that they have now.
	PinItems(ctx context.Context, parcel string) error
	// AddedSince is how many items came into a package after a moment, on the clock of
	// the records, and when the last did.
	AddedSince(ctx context.Context, parcel string, after time.Time) (n int, last time.Time, err error)
}

// A Service packs and sends. Make it with New.
type Service struct {
	store  Store
	chosen *gather.Selections
	book   *people.Book
	events *happen.Log
	keys   *ground.Keys
	now    func() time.Time
}

// New makes a service.
func New(store Store, chosen *gather.Selections, book *people.Book, events *happen.Log, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{store, chosen, book, events, keys, now}
}

// Now is the moment by the service's clock.
func (s *Service) Now() time.Time { return s.now() }

// Untitled is the title of a package that nobody and nothing has named yet.
const Untitled = "Untitled package"

// ParcelOf is a package of the member's studio, or not found.
func (s *Service) ParcelOf(ctx context.Context, m account.Member, id string) (Parcel, error) {
	parcel, ok, err := s.store.ParcelByID(ctx, id)
	if err != nil {
		return parcel, err
	}
	if !ok || parcel.StudioID != m.StudioID {
		return Parcel{}, ground.Missing("package")
	}
	return parcel, nil
}

// Lock is ParcelOf for whoever changes it in this transaction.
func (s *Service) Lock(ctx context.Context, m account.Member, id string) (Parcel, error) {
	parcel, ok, err := s.store.LockParcel(ctx, id)
	if err != nil {
		return parcel, err
	}
	if !ok || parcel.StudioID != m.StudioID {
		return Parcel{}, ground.Missing("package")
	}
	return parcel, nil
}

// draftDays is how long a package would be out that nobody has given an end.
const draftDays = 7

// NewPackage makes an empty draft that would end in seven days.
func (s *Service) NewPackage(ctx context.Context, m account.Member) (Parcel, error) {
	parcel := Parcel{
		ID: ground.NewID(), StudioID: m.StudioID, Title: Untitled, Door: door.Open, CreatedBy: m.ID, CreatedAt: s.now(),
		EndRule:       expiry.Rule{Kind: expiry.AfterDays, Days: draftDays, Zone: m.Zone},
		DefaultRights: right.Rights{right.See, right.Note, right.Take},
	}
	if err := s.store.InsertParcel(ctx, parcel); err != nil {
		return Parcel{}, err
	}
	return s.ParcelOf(ctx, m, parcel.ID)
}

// waybillChanged tells screens of a change that is no event.
func (s *Service) waybillChanged(ctx context.Context, p Parcel) error {
	return s.store.Announce(ctx, ground.Change{Studio: p.StudioID, Parcel: p.ID, What: ground.WaybillChanged})
}
