package pack

import (
	"context"
	"time"

	"aftergust/core/expiry"
	"aftergust/core/password"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// DraftStore is what Drafts needs of the database beside what the service does.
type DraftStore interface {
	Store
	// Reorder puts items of a package behind another, or to its beginning where after is empty.
	Reorder(ctx context.Context, parcel string, ids []string, after string) error
	SetHeading(ctx context.Context, parcel, id, heading string) error
	// CopyItems puts the items of a package that were not withdrawn into another, in order.
	CopyItems(ctx context.Context, from, to string) error
	// Going are drafts whose moment to go has come, with nothing on its way into them,
	// and News packages whose moment to tell of what was added has.
	Going(ctx context.Context, now time.Time, limit int) ([]Parcel, error)
	News(ctx context.Context, now time.Time, limit int) ([]Parcel, error)
	// Progress is what people have done with a package that is out.
	Progress(ctx context.Context, parcel string) (expiry.Progress, error)
	MemberByID(ctx context.Context, id string) (account.Member, bool, error)

	Presets(ctx context.Context, studio string) ([]Preset, error)
	PresetByID(ctx context.Context, id string) (Preset, bool, error)
	InsertPreset(ctx context.Context, p Preset) error
	DeletePreset(ctx context.Context, id string) error
}

// Drafts is what is done with a package before it goes, and what goes by itself: made
// of an earlier one or a preset, put in order, mended where the Sentence warns, sent at
// an hour. Make it with NewDrafts.
type Drafts struct {
	pack  *Service
	store DraftStore
}

// NewDrafts makes a Drafts of the service that packs.
func NewDrafts(store DraftStore, packing *Service) *Drafts { return &Drafts{packing, store} }

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
	return d.store.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if parcel.SentAt != nil {
			return ground.Clash("already_sent", "This package was sent. Stop it instead; its record is kept.")
		}
		if err := d.store.DiscardParcel(ctx, id, d.pack.now()); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}
