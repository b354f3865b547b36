// Package receive is what the holder of a link does: come in by a way in, pass
// the door, look, take, listen, ask. What they took and heard is gathered by the
// Recorder.
package receive

import (
	"log/slog"
	"time"

	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/ground/shelf"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/tries"
)

// A Service lets people in. Make it with New.
type Service struct {
	Recorder *Recorder

	rows        Rows
	coverRows   CoverRows
	givenRows   GivenRows
	archiveRows archive.Rows
	contentRows pack.ContentRows
	lineRows    pack.LineRows
	packRows    pack.Rows
	book        *people.Book
	events      *happen.Log
	letters     *letters.Service
	tries       *tries.Guard
	keys        *ground.Keys
	pack        *pack.Service
	plans       *shelf.Shelf[*archive.Plan]
	now         func() time.Time
}

// keptEntries is how many entries of planned ZIPs are kept in memory, about 300
// bytes each.
const keptEntries = 400_000

// New makes a service. Its Recorder must be run by the caller.
func New(store *db.DB, book *people.Book, events *happen.Log, post *letters.Service, guard *tries.Guard, keys *ground.Keys,
	packing *pack.Service, now func() time.Time, log *slog.Logger) *Service {
	return &Service{
		rows: Rows{store}, coverRows: CoverRows{store}, givenRows: GivenRows{store},
		archiveRows: archive.Rows{DB: store}, contentRows: pack.ContentRows{DB: store},
		lineRows: pack.LineRows{DB: store}, packRows: pack.Rows{DB: store},
		book: book, events: events, letters: post, tries: guard, keys: keys, pack: packing,
		plans: archive.NewPlans(keptEntries), now: now, Recorder: newRecorder(store, events, now, log),
	}
}
