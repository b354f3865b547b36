package studio

import (
	"context"
	"errors"
	"slices"
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

// A Candidate is a file that is about to be added.
type Candidate struct {
	Name   string `json:"name" maxLength:"400"`
	Folder string `json:"folder,omitempty" maxLength:"2000" doc:"slash-separated, below the place"`
	Size   int64  `json:"size" doc:"bytes"`
}

// An Offer proposes what a file that is about to be added seems to be, beside
// something that is there already. Nothing is done by it.
type Offer struct {
	Index  int    `json:"index" doc:"of the candidate"`
	Kind   string `json:"kind" enum:"same,twin,version,rendition" doc:"same name and size; same name; next version by its number; another format by its stem"`
	Item   string `json:"item"`
	Beside string `json:"beside" doc:"name of that item"`
}

// maxOffered is in how many items of one folder partners are looked for.
const maxOffered = 5000

// Offers looks at files that are about to be added to a place, with the folders
// in which they come, and offers what they seem to be.
func (s *Service) Offers(ctx context.Context, m Member, place string, candidates []Candidate) ([]Offer, error) {
	top, err := s.placeOf(ctx, m, place)
	if err != nil {
		return nil, err
	}
	below, err := s.records.Subplaces(ctx, []string{top.Path})
	if err != nil {
		return nil, err
	}
	all := map[string]Place{}
	for _, p := range below {
		all[p.ID] = p
	}
	folders := map[string]string{"": place} // by folded path
	for _, p := range below {
		if p.ID != place {
			_, inside, _ := strings.Cut(relative(all, map[string]bool{place: true}, p.ID), "/")
			folders[naming.TwinKey(inside)] = p.ID
		}
	}
	byFolder := map[string][]int{}
	for i, c := range candidates {
		folder := ""
		if c.Folder != "" {
			folder = naming.TwinKey(naming.PortablePath(c.Folder))
		}
		if id := folders[folder]; id != "" {
			byFolder[id] = append(byFolder[id], i)
		}
	}
	out := []Offer{}
	for id, indexes := range byFolder {
		there, err := s.records.Items(ctx, ItemQuery{Studio: m.StudioID, Place: id, Order: ByName, Limit: maxOffered})
		if err != nil {
			return nil, err
		}
		out = append(out, offers(candidates, indexes, there)...)
	}
	slices.SortFunc(out, func(a, b Offer) int { return a.Index - b.Index })
	return out, nil
}

func offers(candidates []Candidate, indexes []int, there []Item) (out []Offer) {
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
	for _, i := range indexes {
		name := naming.Display(candidates[i].Name)
		offer := func(kind string, item Item) {
			out = append(out, Offer{Index: i, Kind: kind, Item: item.ID, Beside: item.Name})
		}
		series, n, counts := naming.Series(name)
		if item, ok := byName[naming.TwinKey(name)]; ok && item.Size == candidates[i].Size {
			offer("same", item)
		} else if ok {
			offer("twin", item)
		} else if item, ok := bySeries[series]; ok && counts && n > number[series] {
			offer("version", item)
		} else if item, ok := byName[naming.TwinKey(naming.Uncounted(name))]; ok && counts && n > 1 {
			offer("version", item) // the first one had no number
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
