package pack

import (
	"context"

	"aftergust/core/link/password"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/who/account"
)

// Drafts is what is done with a package before it goes, and what goes by itself: made
// of an earlier one or a preset, put in order, mended where the Sentence warns, sent at
// an hour. Make it with NewDrafts.
type Drafts struct {
	pack        *Service
	rows        Rows
	contentRows ContentRows
	draftRows   DraftRows
	lineRows    LineRows
	memoryRows  MemoryRows
	accountRows account.Rows
}

// NewDrafts makes a Drafts of the service that packs.
func NewDrafts(store *db.DB, packing *Service) *Drafts {
	return &Drafts{packing, Rows{store}, ContentRows{store}, DraftRows{store}, LineRows{store}, MemoryRows{store}, account.Rows{DB: store}}
}

// WeighPassphrase says how long a passphrase would stand at the door of a package.
func (d *Drafts) WeighPassphrase(ctx context.Context, m account.Member, id, passphrase string) (password.Grade, string, error) {
	p, err := d.pack.ParcelOf(ctx, m, id)
	if err != nil {
		return "", "", err
	}
	grade, says := password.Strength(passphrase, p.read()...)
	return grade, ground.InFull(says), nil
}

// Discard throws away a draft. What is out is stopped instead.
func (d *Drafts) Discard(ctx context.Context, m account.Member, id string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if parcel.SentAt != nil {
			return ground.Clash("already_sent", "This package was sent. Stop it instead; its record is kept.")
		}
		if err := d.rows.DiscardParcel(ctx, id, d.pack.now()); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}
