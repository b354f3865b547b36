package gather

import (
	"context"
	"path"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/core/media/preview"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// A Version is one state of an item.
type Version struct {
	ItemID    string
	StudioID  string
	Body      string // text by which it is found
	Label     string
	AddedBy   string // id of the member
	Adder     string // name of the member
	DeletedAt *time.Time
	Piece
}

// Version finds a version.
func (s *Things) Version(ctx context.Context, id string) (Version, error) {
	v, ok, err := s.thingRows.VersionByID(ctx, id)
	if err == nil && !ok {
		err = ground.Missing("version")
	}
	return v, err
}

// Next numbers a new version of an item. The item keeps its name, save the number in it.
func (s *Things) Next(ctx context.Context, v *Version) error {
	item, ok, err := s.thingRows.ItemByID(ctx, v.ItemID)
	if err != nil {
		return err
	}
	if !ok {
		return ground.Missing("item")
	}
	if v.Number, err = s.thingRows.NextVersionNumber(ctx, v.ItemID); err != nil {
		return err
	}
	return s.follow(ctx, item, v.FileName)
}

// follow names an item by another file of it: with its number where both count versions of one
// name, and nobody has renamed the item; else with its ending alone, which says what it opens in.
func (s *Things) follow(ctx context.Context, item Item, file string) error {
	was, is, name := path.Ext(item.FileName), path.Ext(file), item.Name
	switch {
	case item.Kind != thing.File:
		return nil
	case item.Name == item.FileName && naming.SameSeries(item.FileName, file):
		name = file
	case is != "" && strings.HasSuffix(item.Name, was):
		name = strings.TrimSuffix(item.Name, was) + is
	}
	if name == item.Name {
		return nil
	}
	return s.thingRows.NameItem(ctx, item.ID, &name, nil)
}

// Put records a version, makes it the current one and starts its jobs.
func (s *Things) Put(ctx context.Context, v Version) error {
	if err := s.thingRows.InsertVersion(ctx, v); err != nil {
		return err
	}
	jobs := []ground.Job{ground.DigestJob{BlobID: v.BlobID}}
	if v.MediaState == preview.Waiting {
		jobs = append(jobs, ground.MediaJob{VersionID: v.VersionID})
	}
	return s.listRows.Enqueue(ctx, jobs...)
}

// VersionOf is a version of the member's studio.
func (s *Things) VersionOf(ctx context.Context, m account.Member, id string) (Version, error) {
	v, err := s.Version(ctx, id)
	if err == nil && v.StudioID != m.StudioID {
		err = ground.Missing("version")
	}
	return v, err
}

// Versions are all versions of an item, the newest first; deleted ones are left
// out once their bytes are gone.
func (s *Things) Versions(ctx context.Context, m account.Member, item string) ([]Version, error) {
	if _, err := s.Item(ctx, m, item); err != nil {
		return nil, err
	}
	return s.thingRows.Versions(ctx, item)
}

// SetCurrent makes a version the one that packages give.
func (s *Things) SetCurrent(ctx context.Context, m account.Member, version string) error {
	v, err := s.VersionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if v.DeletedAt != nil {
		return ground.Clash("deleted", "This version is deleted. Take the deletion back first.")
	}
	_, err = s.changeItem(ctx, m, v.ItemID, true, func(ctx context.Context) error { return s.setCurrent(ctx, v) })
	return err
}

// setCurrent makes v the current version.
func (s *Things) setCurrent(ctx context.Context, v Version) error {
	item, ok, err := s.thingRows.ItemByID(ctx, v.ItemID)
	if err != nil {
		return err
	}
	if !ok {
		return ground.Missing("item")
	}
	if err := s.thingRows.SetCurrent(ctx, v.ItemID, v.VersionID); err != nil {
		return err
	}
	return s.follow(ctx, item, v.FileName)
}

const maxLabel = 80

// LabelVersion writes a few words on a version.
func (s *Things) LabelVersion(ctx context.Context, m account.Member, version, label string) error {
	v, err := s.VersionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if label = strings.TrimSpace(label); label != "" {
		label = naming.Clip(naming.Display(label), maxLabel)
	}
	_, err = s.changeItem(
		ctx,
		m,
		v.ItemID,
		false,
		func(ctx context.Context) error { return s.thingRows.LabelVersion(ctx, v.VersionID, label) },
	)
	return err
}

// DeleteVersion deletes a version, or takes the deletion back. Its bytes are kept
// as long as what was let go is kept; its record stays. The only version cannot be
// deleted without its item.
func (s *Things) DeleteVersion(ctx context.Context, m account.Member, version string, back bool) error {
	v, err := s.VersionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if back {
		_, err = s.changeItem(
			ctx,
			m,
			v.ItemID,
			true,
			func(ctx context.Context) error { return s.thingRows.DeleteVersion(ctx, v.VersionID, nil) },
		)
		return err
	}
	_, err = s.changeItem(ctx, m, v.ItemID, true, func(ctx context.Context) error {
		item, _, err := s.thingRows.ItemByID(ctx, v.ItemID)
		if err != nil {
			return err
		}
		now := s.now()
		if err := s.thingRows.DeleteVersion(ctx, v.VersionID, &now); err != nil {
			return err
		}
		if item.VersionID != v.VersionID {
			return nil
		}
		all, err := s.thingRows.Versions(ctx, v.ItemID)
		if err != nil {
			return err
		}
		for _, other := range all { // the newest that is left
			if other.DeletedAt == nil {
				return s.setCurrent(ctx, other)
			}
		}
		return ground.Clash("only_version", "This is the only version. Delete the whole item instead; nothing was changed.")
	})
	return err
}
