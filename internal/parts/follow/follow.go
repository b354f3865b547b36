// Package follow is what the producer sees of what became of a package: the Desk,
// the list of packages, the ledger, the Story; and the check that what is kept of
// it agrees with what it was made from.
package follow

import (
	"time"

	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
)

// A Service follows packages. Make it with New.
type Service struct {
	rows        Rows
	contentRows pack.ContentRows
	coverRows   receive.CoverRows
	keepRows    keep.Rows
	packRows    pack.Rows
	pack        *pack.Service
	keys        *ground.Keys
	now         func() time.Time
}

// New makes a service.
func New(store *db.DB, packing *pack.Service, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{
		Rows{store}, pack.ContentRows{DB: store}, receive.CoverRows{DB: store}, keep.Rows{DB: store},
		pack.Rows{DB: store},
		packing, keys, now,
	}
}
