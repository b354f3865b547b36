package gather

import (
	"context"
	"slices"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/internal/who/account"
)

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
func (s *Places) Offers(ctx context.Context, m account.Member, place string, candidates []Candidate) ([]Offer, error) {
	top, err := s.PlaceOf(ctx, m, place)
	if err != nil {
		return nil, err
	}
	below, err := s.placeRows.Subplaces(ctx, []string{top.Path})
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
		there, err := s.listRows.Items(ctx, ItemQuery{Studio: m.StudioID, Place: id, Order: ByName, Limit: maxOffered})
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
		if item.Kind != thing.File {
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
