// Package pack is how things are put together, addressed and sent: the package
// (in Go: a parcel, since package is a keyword), its waybill, and its state from
// draft to cleared.
package pack

import (
	"context"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
)

// A Service packs and sends. Make it with New.
type Service struct {
	rows        Rows
	contentRows ContentRows
	lineRows    LineRows
	memoryRows  MemoryRows
	lettersRows letters.Rows
	peopleRows  people.Rows
	uploadRows  gather.UploadRows
	chosen      *gather.Selections
	book        *people.Book
	events      *happen.Log
	keys        *ground.Keys
	now         func() time.Time
}

// New makes a service.
func New(store *db.DB, chosen *gather.Selections, book *people.Book, events *happen.Log, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{
		Rows{store}, ContentRows{store}, LineRows{store}, MemoryRows{store}, letters.Rows{DB: store},
		people.Rows{DB: store}, gather.UploadRows{DB: store},
		chosen, book, events, keys, now,
	}
}

// Now is the moment by the service's clock.
func (s *Service) Now() time.Time { return s.now() }

// Untitled is the title of a package that nobody and nothing has named yet.
const Untitled = "Untitled package"

// ParcelOf is a package of the member's studio, or not found.
func (s *Service) ParcelOf(ctx context.Context, m account.Member, id string) (Parcel, error) {
	parcel, ok, err := s.rows.ParcelByID(ctx, id)
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
	parcel, ok, err := s.rows.LockParcel(ctx, id)
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
	if err := s.rows.InsertParcel(ctx, parcel); err != nil {
		return Parcel{}, err
	}
	return s.ParcelOf(ctx, m, parcel.ID)
}

// waybillChanged tells screens of a change that is no event.
func (s *Service) waybillChanged(ctx context.Context, p Parcel) error {
	return s.rows.Announce(ctx, ground.Change{Studio: p.StudioID, Parcel: p.ID, What: ground.WaybillChanged})
}
