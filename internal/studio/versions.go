package studio

import (
	"context"
	"errors"
	"strings"
	"time"

	"aftergust/core/naming"
)

type versionRecords interface {
	Versions(ctx context.Context, item string) ([]Version, error)
	SetCurrent(ctx context.Context, item, version string) error
	LabelVersion(ctx context.Context, id, label string) error
	DeleteVersion(ctx context.Context, id string, at *time.Time) error
	CopyDerived(ctx context.Context, from, to string) error
}

// versionOf is a version of the member's studio.
func (s *Service) versionOf(ctx context.Context, m Member, id string) (Version, error) {
	v, err := s.Version(ctx, id)
	if err == nil && v.StudioID != m.StudioID {
		err = notFound("version")
	}
	return v, err
}

// Versions are all versions of an item, the newest first; deleted ones are left
// out once their bytes are gone.
func (s *Service) Versions(ctx context.Context, m Member, item string) ([]Version, error) {
	if _, err := s.itemOf(ctx, m, item); err != nil {
		return nil, err
	}
	return s.records.Versions(ctx, item)
}

// SetCurrent makes a version the one that packages give, unless they are pinned.
func (s *Service) SetCurrent(ctx context.Context, m Member, version string) error {
	v, err := s.versionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if v.DeletedAt != nil {
		return conflict("deleted", "This version is deleted. Take the deletion back first.")
	}
	_, err = s.changeItem(ctx, m, v.ItemID, true, func(r Records) error { return s.setCurrent(ctx, r, v) })
	return err
}

// setCurrent makes v the current version. An item that still has the name of a
// version's file takes the name of this one's.
func (s *Service) setCurrent(ctx context.Context, r Records, v Version) error {
	item, ok, err := r.ItemByID(ctx, v.ItemID)
	if err != nil || !ok {
		return errors.Join(err, notFound("item"))
	}
	if err := r.SetCurrent(ctx, v.ItemID, v.ID); err != nil {
		return err
	}
	if item.Kind == "file" && item.Name == item.FileName {
		return r.RenameItem(ctx, item.ID, v.FileName)
	}
	return nil
}

const maxLabel = 80

// LabelVersion writes a few words on a version.
func (s *Service) LabelVersion(ctx context.Context, m Member, version, label string) error {
	v, err := s.versionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if label = strings.TrimSpace(label); label != "" {
		label = clip(naming.Display(label), maxLabel)
	}
	_, err = s.changeItem(ctx, m, v.ItemID, false, func(r Records) error { return r.LabelVersion(ctx, v.ID, label) })
	return err
}

// DeleteVersion deletes a version, or takes the deletion back. Its bytes are kept
// as long as the bin keeps things; its record stays. The only version cannot be
// deleted without its item.
func (s *Service) DeleteVersion(ctx context.Context, m Member, version string, back bool) error {
	v, err := s.versionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if back {
		_, err = s.changeItem(ctx, m, v.ItemID, true, func(r Records) error { return r.DeleteVersion(ctx, v.ID, nil) })
		return err
	}
	_, err = s.changeItem(ctx, m, v.ItemID, true, func(r Records) error {
		item, _, err := r.ItemByID(ctx, v.ItemID)
		if err != nil {
			return err
		}
		now := s.now()
		if err := r.DeleteVersion(ctx, v.ID, &now); err != nil {
			return err
		}
		if item.VersionID != v.ID {
			return nil
		}
		all, err := r.Versions(ctx, v.ItemID)
		if err != nil {
			return err
		}
		for _, other := range all { // the newest that is left
			if other.DeletedAt == nil {
				return s.setCurrent(ctx, r, other)
			}
		}
		return conflict("only_version", "This is the only version. Delete the whole item instead; nothing was changed.")
	})
	return err
}

// An Offer proposes what a name suggests: that a file that is about to be added
// is the next version of an item, or another format of it. Nothing is done by it.
type Offer struct {
	Name   string `json:"name" doc:"of the file that is about to be added"`
	Kind   string `json:"kind" enum:"version,rendition,twin" doc:"next version by its number, another format by its stem, or the very same name"`
	Item   string `json:"item"`
	Beside string `json:"beside" doc:"name of that item"`
}

// Offers looks at names that are about to be added to a place and offers what
// they seem to be.
func (s *Service) Offers(ctx context.Context, m Member, place string, names []string) ([]Offer, error) {
	if _, err := s.placeOf(ctx, m, place); err != nil {
		return nil, err
	}
	there, err := s.records.Items(ctx, ItemQuery{Studio: m.StudioID, Place: place, Order: ByName, Limit: maxOffered})
	if err != nil {
		return nil, err
	}
	return offers(names, there), nil
}

// maxOffered is in how many items of a place partners are looked for.
const maxOffered = 5000

func offers(names []string, there []Item) []Offer {
	out := []Offer{}
	byName, bySeries, byStem := map[string]Item{}, map[string]Item{}, map[string]Item{}
	number := map[string]int{}
	for _, item := range there {
		if item.Kind != "file" {
			continue
		}
		byName[naming.TwinKey(item.Name)] = item
		byStem[naming.Stem(item.Name)] = item
		if series, n, ok := naming.Series(item.Name); ok && n >= number[series] {
			bySeries[series], number[series] = item, n
		}
	}
	for _, name := range names {
		offer := func(kind string, item Item) {
			out = append(out, Offer{Name: name, Kind: kind, Item: item.ID, Beside: item.Name})
		}
		series, n, counts := naming.Series(name)
		if item, ok := byName[naming.TwinKey(name)]; ok {
			offer("twin", item)
		} else if item, ok := bySeries[series]; ok && counts && n > number[series] {
			offer("version", item)
		} else if item, ok := byStem[naming.Stem(name)]; ok {
			offer("rendition", item)
		}
	}
	return out
}

// Twins are items of the same place that have the stem of an item's name in
// another format, as are offered to be joined with it.
func (s *Service) Twins(ctx context.Context, i Item) ([]Item, error) {
	if i.PlaceID == "" || i.Kind != "file" || i.RenditionOf != "" {
		return nil, nil
	}
	return s.records.TwinsOf(ctx, i, 20)
}
