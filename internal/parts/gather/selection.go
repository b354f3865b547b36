package gather

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// A Selection is what somebody has chosen: single items, and whole places.
type Selection struct {
	Items  []string `json:"items" maxItems:"20000"`
	Places []string `json:"places" maxItems:"2000"`
}

// mine loads a selection and checks that all of it is the member's and not let go.
func (s *Selections) mine(ctx context.Context, m account.Member, sel Selection) (items []Item, places []Place, err error) {
	if items, err = s.thingRows.ItemsByID(ctx, sel.Items); err != nil {
		return nil, nil, err
	}
	if places, err = s.places.placeRows.PlacesByID(ctx, sel.Places); err != nil {
		return nil, nil, err
	}
	strange := func(studio string) bool { return studio != m.StudioID }
	if len(items) != len(distinct(sel.Items)) || len(places) != len(distinct(sel.Places)) ||
		slices.ContainsFunc(items, func(i Item) bool { return strange(i.StudioID) || i.LetGo }) ||
		slices.ContainsFunc(places, func(p Place) bool { return strange(p.StudioID) }) {
		return nil, nil, errSelectionChanged
	}
	return items, places, nil
}

// owned checks that all of a selection is the member's and not let go,
// without loading it.
func (s *Selections) owned(ctx context.Context, m account.Member, sel Selection) error {
	items, places, err := s.selectionRows.Mine(ctx, m.StudioID, sel)
	if err != nil {
		return err
	}
	if items != len(distinct(sel.Items)) || places != len(distinct(sel.Places)) {
		return errSelectionChanged
	}
	return nil
}

var errSelectionChanged = ground.Clash("selection_changed",
	"Some of what you chose is not there any more. Nothing was done; look again and choose anew.")

func distinct(ids []string) []string {
	sorted := slices.Clone(ids)
	slices.Sort(sorted)
	return slices.Compact(sorted)
}

func idsOf(items []Item) []string {
	out := make([]string, len(items))
	for i, item := range items {
		out[i] = item.ID
	}
	return out
}

// KeepAtHand keeps things at hand, or puts them back.
func (s *Selections) KeepAtHand(ctx context.Context, m account.Member, sel Selection, on bool) error {
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.owned(ctx, m, sel); err != nil {
			return err
		}
		var at *time.Time
		if on {
			now := s.now()
			at = &now
		}
		if err := s.selectionRows.KeepItemsAtHand(ctx, sel.Items, at); err != nil {
			return err
		}
		if err := s.selectionRows.KeepPlacesAtHand(ctx, sel.Places, at); err != nil {
			return err
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
}

// Reorder puts items, in the order given, before another item of the same place,
// or at its end where before is empty.
func (s *Selections) Reorder(ctx context.Context, m account.Member, ids []string, before string) error {
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		items, _, err := s.mine(ctx, m, Selection{Items: ids})
		if err != nil || len(items) == 0 {
			return err
		}
		place := items[0].PlaceID
		if slices.ContainsFunc(items, func(i Item) bool { return i.PlaceID != place }) || place == "" {
			return ground.Clash("other_place", "Only things of one place can be put in order.")
		}
		if err := s.places.teamRows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		// Even numbers first, so that there is always room between two.
		if err := s.selectionRows.SpreadPositions(ctx, place); err != nil {
			return err
		}
		start := s.now().Add(24 * time.Hour).Sub(time.Unix(0, 0)).Seconds()
		if before != "" {
			anchor, ok, err := s.thingRows.ItemByID(ctx, before)
			if err != nil {
				return err
			}
			if !ok || anchor.PlaceID != place {
				return ground.Missing("item in this place")
			}
			start = anchor.Position - 1
		}
		for i, id := range ids {
			if err := s.selectionRows.SetPosition(ctx, id, start+float64(i+1)/float64(len(ids)+1)); err != nil {
				return err
			}
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
}

// relative is the folder of a place as seen from the roots: the names from the
// root that holds it down to it. A place outside of all roots has none.
func relative(all map[string]Place, roots map[string]bool, id string) string {
	var names []string
	for p, ok := all[id]; ok; p, ok = all[p.ParentID] {
		names = append(names, p.Name)
		if roots[p.ID] {
			slices.Reverse(names)
			return strings.Join(names, "/")
		}
	}
	return ""
}

// A Chosen is an item of a selection with the folder in which it lies, seen from
// what was chosen.
type Chosen struct {
	Item
	Folder string
}

// Path is the name with the folders.
func (c Chosen) Path() string { return path.Join(c.Folder, c.Name) }

// Chosen are all items of a selection: those named, in their order, and those
// in the places, each once. Renditions come after the item that stands for them.
func (s *Selections) Chosen(ctx context.Context, m account.Member, sel Selection) ([]Chosen, error) {
	items, places, err := s.mine(ctx, m, sel)
	if err != nil {
		return nil, err
	}
	byID := map[string]Item{}
	for _, i := range items {
		byID[i.ID] = i
	}
	var out []Chosen
	for _, id := range sel.Items {
		out = append(out, Chosen{Item: byID[id]})
	}
	if len(places) > 0 {
		inside, err := s.inPlaces(ctx, places)
		if err != nil {
			return nil, err
		}
		out = append(out, inside...)
	}
	if out, err = s.withRenditions(ctx, out); err != nil {
		return nil, err
	}
	return out, nil
}

// A reach is all that lies below some places.
type reach struct {
	roots map[string]bool // the places themselves
	all   map[string]Place
}

// folder is the folder of a place as seen from the roots.
func (r reach) folder(id string) string { return relative(r.all, r.roots, id) }

func (s *Selections) below(ctx context.Context, places []Place) (reach, error) {
	r := reach{map[string]bool{}, map[string]Place{}}
	var paths []string
	for _, p := range places {
		r.roots[p.ID], paths = true, append(paths, p.Path)
	}
	below, err := s.places.placeRows.Subplaces(ctx, paths)
	for _, p := range below {
		r.all[p.ID] = p
	}
	return r, err
}

func (s *Selections) inPlaces(ctx context.Context, places []Place) ([]Chosen, error) {
	below, err := s.below(ctx, places)
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(places))
	for i, p := range places {
		ids[i] = p.ID
	}
	items, err := s.selectionRows.ItemsUnder(ctx, ids)
	if err != nil {
		return nil, err
	}
	var out []Chosen
	for _, i := range items {
		out = append(out, Chosen{i, below.folder(i.PlaceID)})
	}
	slices.SortStableFunc(out, func(a, b Chosen) int { return strings.Compare(a.Folder, b.Folder) })
	return out, nil
}

// EmptyFolders are the folders of a selection in which nothing of it lies, also not
// in folders below them; chosen is what Chosen gave for it.
func (s *Selections) EmptyFolders(ctx context.Context, m account.Member, sel Selection, chosen []Chosen) ([]string, error) {
	if len(sel.Places) == 0 {
		return nil, nil
	}
	_, places, err := s.mine(ctx, m, Selection{Places: sel.Places})
	if err != nil {
		return nil, err
	}
	below, err := s.below(ctx, places)
	if err != nil {
		return nil, err
	}
	full := map[string]bool{}
	keep := func(folder string) {
		for ; folder != "." && folder != ""; folder = path.Dir(folder) {
			full[folder] = true
		}
	}
	for _, c := range chosen {
		keep(c.Folder)
	}
	var folders []string
	for id := range below.all {
		folders = append(folders, below.folder(id))
	}
	slices.SortFunc(folders, func(a, b string) int { return cmp.Or(len(b)-len(a), strings.Compare(a, b)) }) // the innermost first
	var out []string
	for _, folder := range folders {
		if folder != "" && !full[folder] {
			out = append(out, folder)
			keep(folder)
		}
	}
	slices.Sort(out)
	return out, nil
}

func (s *Selections) withRenditions(ctx context.Context, all []Chosen) ([]Chosen, error) {
	var leads []string
	for _, c := range all {
		if c.Renditions > 0 {
			leads = append(leads, c.ID)
		}
	}
	renditions := map[string][]Item{}
	if len(leads) > 0 {
		found, err := s.things.thingRows.RenditionsOf(ctx, leads)
		if err != nil {
			return nil, err
		}
		for _, i := range found {
			renditions[i.RenditionOf] = append(renditions[i.RenditionOf], i)
		}
	}
	seen := map[string]bool{}
	var out []Chosen
	add := func(c Chosen) {
		if !seen[c.ID] {
			seen[c.ID] = true
			out = append(out, c)
		}
	}
	for _, c := range all {
		add(c)
		for _, i := range renditions[c.ID] {
			add(Chosen{i, c.Folder})
		}
	}
	return out, nil
}
