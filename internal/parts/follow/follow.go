// Package follow is what the producer sees of what became of a package: the Desk,
// the list of packages, the ledger, the Story; and the check that what is kept of
// it agrees with what it was made from.
package follow

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
)

// Store is what the service needs of the database.
type Store interface {
	Calendars
	ParcelByID(ctx context.Context, id string) (pack.Parcel, bool, error)
	// ParcelTable is a page of the packages of a studio.
	ParcelTable(ctx context.Context, studio string, q Query, now time.Time, limit int) ([]pack.Parcel, error)
	// Strands are the lines of packages with what they have, those that were
	// removed left out unless gone is set.
	Strands(ctx context.Context, parcels []string, gone bool) (map[string][]Strand, error)
	OpenNoteCounts(ctx context.Context, parcels []string) (map[string]int, error)
	// ClientsOf are the names of the clients that packages are for; those for none are left out.
	ClientsOf(ctx context.Context, parcels []string) (map[string]string, error)
	WaitingLetters(ctx context.Context, parcels []string) (map[string]int, error)
	// NeedsYou is what waits for a member of a studio.
	NeedsYou(ctx context.Context, studio, member string, since time.Time) ([]Need, error)
	// LastTo are the packages that went to somebody last, with their line in each.
	LastTo(ctx context.Context, studio, person string, limit int) ([]pack.Parcel, map[string]Strand, error)
	Usage(ctx context.Context, studio string) (used, quota int64, err error)
	Contents(ctx context.Context, parcel string, after pack.Place, limit int) ([]pack.Content, error)
	// Covers are what all lines of a package got of some versions.
	Covers(ctx context.Context, parcel string, versions []string) ([]receive.Cover, error)
	Events(ctx context.Context, parcel string, before Moment, limit int) ([]happen.Event, error)
}

// A Service follows packages. Make it with New.
type Service struct {
	store Store
	pack  *pack.Service
	keys  *ground.Keys
	now   func() time.Time
}

// New makes a service.
func New(store Store, packing *pack.Service, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{store, packing, keys, now}
}
