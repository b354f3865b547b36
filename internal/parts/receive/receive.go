// Package receive is what the holder of a link does: come in by a way in, pass
// the door, look, take, listen, ask. What they took and heard is gathered by the
// Recorder.
package receive

import (
	"context"
	"log/slog"
	"time"

	"aftergust/core/coverage"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/ground/shelf"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/tries"
)

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	Given
	Guests
	Knocks
	Devices
	LineByLink(ctx context.Context, hash []byte) (pack.Line, bool, error)
	LineByName(ctx context.Context, name string) (pack.Line, bool, error)
	ParcelByID(ctx context.Context, id string) (pack.Parcel, bool, error)
	// Gates are packages and lines as they are now, for many downloads at once,
	// with the items of these packages that were withdrawn.
	Gates(ctx context.Context, parcels, lines []string) (Gates, error)

	// QuietLine keeps that somebody does not want to be reminded; first is false where that was known.
	QuietLine(ctx context.Context, line string, at time.Time) (first bool, err error)
	InsertDoorCode(ctx context.Context, id, line string, device []byte, expires time.Time) error
	// LastDoorCode is the newest code that was sent for a device. The six digits
	// are derived from its id and are nowhere written down.
	LastDoorCode(ctx context.Context, line string, device []byte) (id string, ok bool, err error)
	// SpendDoorCode counts one try of a code; ok is false where it has had most,
	// is too old or was used.
	SpendDoorCode(ctx context.Context, id string, most int, now time.Time) (ok bool, err error)
	// UseDoorCode uses a code up; ok is false where it was used already.
	UseDoorCode(ctx context.Context, id string, now time.Time) (ok bool, err error)

	// SetRates moves what is known of how fast people download, in bits a second, some way to a new measure.
	SetRates(ctx context.Context, rates map[string]int64) error
	CoversOf(ctx context.Context, line string, versions []string) (map[string]Cover, error)
	// AddCoverage adds receipts and returns those whose last byte they brought.
	AddCoverage(ctx context.Context, batch []Receipts, now time.Time) (completed []Delivery, err error)
	// KeepWhole notes that somebody's page found a version whole on their disk.
	KeepWhole(ctx context.Context, parcel, line, version string, at time.Time) error
	// KeptInPart is what was acknowledged of a version that somebody's page found whole on their
	// disk; ok is false where they have not, or where all of it was.
	KeptInPart(ctx context.Context, line, version string) (d Delivery, had coverage.Set, ok bool, err error)
	// HaveAll are those of some lines that have every item of their package to the last byte.
	HaveAll(ctx context.Context, lines []string) ([]string, error)
	// Waiting are those of some packages whose end waits for what people do.
	Waiting(ctx context.Context, parcels []string) ([]string, error)
}

// Devices is what the service needs of the devices that people come on.
type Devices interface {
	VisitOf(ctx context.Context, line string, device []byte) (Visit, bool, error)
	// TouchVisit records that a device is in, by whatever door, on a clock in zone.
	TouchVisit(ctx context.Context, v Visit, device []byte, at time.Time) error
	PassVisit(ctx context.Context, v Visit, device []byte, at time.Time) error
	// RenameDevice gives a device another secret, everywhere it is known.
	RenameDevice(ctx context.Context, from, to []byte) error
	// Elsewhere reports whether a line was in on another device than this one.
	Elsewhere(ctx context.Context, line string, device []byte) (bool, error)
}

// Guests is what the service needs of those who leave their address.
type Guests interface {
	LineByID(ctx context.Context, id string) (pack.Line, bool, error)
	CountGuests(ctx context.Context, of string) (int, error)
	InsertLine(ctx context.Context, l pack.Line) error
}

// Given is what the service needs to know of what packages give.
type Given interface {
	archive.Keeper
	Contents(ctx context.Context, parcel string, after pack.Place, limit int) ([]pack.Content, error)
	ContentByID(ctx context.Context, id string) (pack.Content, bool, error)
	// Entries are all files of a package, in order, or those of them that were
	// chosen, with as little as a ZIP needs; and the revision in which it has them.
	Entries(ctx context.Context, parcel string, chosen []string) (entries []archive.Entry, rev int64, err error)
	// GivesAll reports whether a package gives all of some items now: none was
	// withdrawn, or taken out before it went.
	GivesAll(ctx context.Context, parcel string, items []string) (bool, error)
	// GaveBefore is an older version of an item of a package that was the current one
	// after the package had gone out.
	GaveBefore(ctx context.Context, content, version string) (archive.Entry, bool, error)
	// RestOf are the items of a package of which a line has not every byte.
	RestOf(ctx context.Context, parcel, line string) ([]string, error)
	KeepChoice(ctx context.Context, id, parcel string, items []string) error
	ChoiceByID(ctx context.Context, id, parcel string) (items []string, ok bool, err error)
}

// A Service lets people in. Make it with New.
type Service struct {
	Recorder *Recorder

	store   Store
	book    *people.Book
	events  *happen.Log
	letters *letters.Service
	tries   *tries.Guard
	keys    *ground.Keys
	pack    *pack.Service
	plans   *shelf.Shelf[*archive.Plan]
	now     func() time.Time
}

// keptEntries is how many entries of planned ZIPs are kept in memory, about 300
// bytes each.
const keptEntries = 400_000

// New makes a service. Its Recorder must be run by the caller.
func New(store Store, book *people.Book, events *happen.Log, post *letters.Service, guard *tries.Guard, keys *ground.Keys,
	packing *pack.Service, now func() time.Time, log *slog.Logger) *Service {
	return &Service{store: store, book: book, events: events, letters: post, tries: guard, keys: keys, pack: packing,
		plans:    archive.NewPlans(keptEntries),
		now:      now,
		Recorder: newRecorder(store, events, now, log)}
}
