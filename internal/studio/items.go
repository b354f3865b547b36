package studio

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"aftergust/core/find"
	"aftergust/core/naming"
)

// An Item is a thing that can be delivered, with its current version.
type Item struct {
	ID          string
	StudioID    string
	PlaceID     string // empty: it lies only in packages
	Kind        string // file, link, swatch, sheet
	Name        string
	Tags        []string
	StarredAt   *time.Time
	RenditionOf string  // the item that stands for it; empty for most
	Position    float64 // order by hand
	CreatedAt   time.Time
	ChangedAt   time.Time
	CreatedBy   string
	Adder       string // name of who added it
	Binned      bool
	Renditions  int // other formats that it stands for
	Versions    int

	VersionID  string
	Number     int
	Label      string
	FileName   string // as the current version was uploaded
	BlobID     string
	Size       int64
	CRC32      uint32
	XXH3       []byte
	SHA256     []byte
	What       string // kind of the current version: still, film, …
	Mime       string
	MediaState string
	MediaError string
	MediaShare float64
	Facts      Facts
	Data       Data
	Made       []string
	Pages      int
	VersionAt  time.Time
}

// Data is what a link, swatch or sheet says.
type Data struct {
	URL    string `json:"url,omitempty" doc:"of a link"`
	Colour string `json:"colour,omitempty" doc:"of a swatch, as #RRGGBB"`
	Text   string `json:"text,omitempty" doc:"of a sheet, in Markdown"`
}

// The orders of a list.
const (
	ByName    = "name"
	ByHand    = "hand"
	BySize    = "size"
	ByLength  = "length"
	ByAdded   = "added"
	ByChanged = "changed"
)

// An ItemQuery says which items, in which order, from where on.
type ItemQuery struct {
	Studio  string
	Place   string // directly in this place
	Under   string // path of a place: anywhere below it
	Loose   bool   // those that lie only in packages
	Starred bool
	Find    find.Query
	What    []string // kinds; empty for all
	Tag     string
	Since   time.Time // added since
	Order   string
	Down    bool
	After   *ItemCursor // nil: from the beginning
	Limit   int
}

// An ItemCursor is a place in a list: the value that it is ordered by, as text,
// and the item.
type ItemCursor struct{ Value, ID string }

type itemRecords interface {
	InsertItem(ctx context.Context, i Item) error
	ItemByID(ctx context.Context, id string) (Item, bool, error)
	ItemsByID(ctx context.Context, ids []string) ([]Item, error)
	Items(ctx context.Context, q ItemQuery) ([]Item, error)
	// ItemsUnder are the items that lie anywhere in the places, those in the bin left out.
	ItemsUnder(ctx context.Context, places []string) ([]Item, error)
	RenditionsOf(ctx context.Context, leads []string) ([]Item, error)
	TwinsOf(ctx context.Context, i Item, limit int) ([]Item, error)
	RenameItem(ctx context.Context, id, name string) error
	TagItems(ctx context.Context, ids, add, remove []string) error
	StarItems(ctx context.Context, ids []string, at *time.Time) error
	StarPlaces(ctx context.Context, ids []string, at *time.Time) error
	MoveItems(ctx context.Context, ids []string, place string) error
	CopyItem(ctx context.Context, from, to, place, name, member string) error
	SetRendition(ctx context.Context, ids []string, lead string) error
	SetPosition(ctx context.Context, id string, position float64) error
	SpreadPositions(ctx context.Context, place string) error
	// RefreshItem brings what lists are sorted, filtered and found by in step with the current version.
	RefreshItem(ctx context.Context, id string, search string) error
	TagsOf(ctx context.Context, studio string) ([]Counted, error)
	KeepSelection(ctx context.Context, id, studio string, sel Selection) error
	SelectionByID(ctx context.Context, id string) (studio string, sel Selection, ok bool, err error)
	StorageOf(ctx context.Context, studio string) (Storage, error)
}

// A Counted is a name and how often it is there.
type Counted struct {
	Name  string `json:"name"`
	Count int64  `json:"count"`
}

// A Selection is what somebody has chosen: single items, and whole places.
type Selection struct {
	Items  []string `json:"items" maxItems:"20000"`
	Places []string `json:"places" maxItems:"2000"`
}

func (s *Service) itemOf(ctx context.Context, m Member, id string) (Item, error) {
	item, ok, err := s.records.ItemByID(ctx, id)
	if err != nil {
		return item, err
	}
	if !ok || item.StudioID != m.StudioID {
		return Item{}, notFound("item")
	}
	return item, nil
}

// Item is an item of the studio.
func (s *Service) Item(ctx context.Context, m Member, id string) (Item, error) {
	return s.itemOf(ctx, m, id)
}

// Items are a page of items. The query's studio is set here; a place or path in
// it must be the member's.
func (s *Service) Items(ctx context.Context, m Member, q ItemQuery) ([]Item, error) {
	q.Studio = m.StudioID
	return s.records.Items(ctx, q)
}

// PlacesFound are the places whose names hold all words of a query.
func (s *Service) PlacesFound(ctx context.Context, m Member, under string, q find.Query) ([]Place, error) {
	if len(q.Words) == 0 {
		return nil, nil
	}
	return s.records.PlacesFound(ctx, m.StudioID, under, q.Words, 30)
}

// PlacesStarred are the starred places.
func (s *Service) PlacesStarred(ctx context.Context, m Member) ([]Place, error) {
	return s.records.PlacesStarred(ctx, m.StudioID)
}

// Tags are all tags of the studio with how many items have them.
func (s *Service) Tags(ctx context.Context, m Member) ([]Counted, error) {
	return s.records.TagsOf(ctx, m.StudioID)
}

// Renditions are the other formats that an item stands for.
func (s *Service) Renditions(ctx context.Context, item string) ([]Item, error) {
	return s.records.RenditionsOf(ctx, []string{item})
}

// itemChanged is the last step of every change of an item: lists, search and the
// packages in which it lies come in step. inside says whether what packages
// deliver has changed.
func (s *Service) itemChanged(ctx context.Context, r Records, studio, id string, inside bool) error {
	item, ok, err := r.ItemByID(ctx, id)
	if err != nil || !ok {
		return err
	}
	version, _, err := r.VersionByID(ctx, item.VersionID)
	if err != nil {
		return err
	}
	if err := r.RefreshItem(ctx, id, strings.Join(searchWords(item, version), " ")); err != nil {
		return err
	}
	parcels, err := r.ParcelsWithItem(ctx, id)
	if err != nil {
		return err
	}
	for _, parcel := range parcels {
		if inside {
			err = s.contentsChanged(ctx, r, studio, parcel)
		} else {
			err = r.Announce(ctx, Change{Studio: studio, Parcel: parcel, What: ContentsChanged})
		}
		if err != nil {
			return err
		}
	}
	return s.gatherChanged(ctx, r, studio)
}

// searchWords are the words under which an item is found.
func searchWords(i Item, v Version) []string {
	f := v.Facts
	facts := []string{v.Kind, words[v.Kind], v.Mime, f.Codec, f.SoundCodec, f.Colour, f.Family, v.Data.URL, v.Data.Colour, v.Label}
	add := func(ok bool, format string, args ...any) {
		if ok {
			facts = append(facts, fmt.Sprintf(format, args...))
		}
	}
	add(f.SampleRate > 0, "%gk %gkhz %d", float64(f.SampleRate)/1000, float64(f.SampleRate)/1000, f.SampleRate)
	add(f.BitDepth > 0, "%dbit", f.BitDepth)
	add(f.Width > 0, "%dx%d %dp", f.Width, f.Height, f.Height)
	add(f.Channels == 1, "mono")
	add(f.Channels == 2, "stereo")
	add(f.Channels == 6, "surround")
	if rate := f.Timeline().Rate; rate.Num > 0 {
		facts = append(facts, strings.ReplaceAll(rate.String(), " ", "")+"fps", rate.String())
	}
	return find.Words(append([]string{i.Name, strings.Join(i.Tags, " "), strings.Join(facts, " ")}, v.Data.Text, v.Body)...)
}

// What people also call the kinds.
var words = map[string]string{"film": "video movie", "sound": "audio music", "still": "picture image photo", "artwork": "layered design",
	"document": "text page", "archive": "zip packed", "swatch": "colour color", "sheet": "text list", "link": "url web"}

// mine loads a selection and checks that all of it is the member's and not in the bin.
func (s *Service) mine(ctx context.Context, r Records, m Member, sel Selection) (items []Item, places []Place, err error) {
	if items, err = r.ItemsByID(ctx, sel.Items); err != nil {
		return nil, nil, err
	}
	if places, err = r.PlacesByID(ctx, sel.Places); err != nil {
		return nil, nil, err
	}
	strange := func(studio string) bool { return studio != m.StudioID }
	if len(items) != len(distinct(sel.Items)) || len(places) != len(distinct(sel.Places)) ||
		slices.ContainsFunc(items, func(i Item) bool { return strange(i.StudioID) || i.Binned }) ||
		slices.ContainsFunc(places, func(p Place) bool { return strange(p.StudioID) }) {
		return nil, nil, conflict("selection_changed", "Some of what you chose is not there any more. Nothing was done; look again and choose anew.")
	}
	return items, places, nil
}

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

// Rename gives an item another name. Packages deliver it under that name at once.
func (s *Service) Rename(ctx context.Context, m Member, id, name string) (Item, error) {
	item, err := s.itemOf(ctx, m, id)
	if err != nil {
		return Item{}, err
	}
	if strings.TrimSpace(name) == "" {
		return Item{}, invalid("name", "Give it a name.")
	}
	return s.changeItem(ctx, m, item.ID, true, func(r Records) error { return r.RenameItem(ctx, id, clip(naming.Display(name), 200)) })
}

func (s *Service) changeItem(ctx context.Context, m Member, id string, inside bool, change func(Records) error) (Item, error) {
	err := s.records.Tx(ctx, func(r Records) error {
		if err := change(r); err != nil {
			return err
		}
		return s.itemChanged(ctx, r, m.StudioID, id, inside)
	})
	if err != nil {
		return Item{}, err
	}
	return s.itemOf(ctx, m, id)
}

const (
	maxTags = 40
	maxTag  = 60
)

// tidyTags are tags as they are kept: trimmed, each once.
func tidyTags(tags []string) []string {
	out := []string{}
	for _, t := range tags {
		if t = strings.Join(strings.Fields(strings.ReplaceAll(t, ",", " ")), " "); t == "" {
			continue
		}
		if t = clip(naming.Display(t), maxTag); !slices.Contains(out, t) && len(out) < maxTags {
			out = append(out, t)
		}
	}
	return out
}

// Tag puts tags on items and takes others off.
func (s *Service) Tag(ctx context.Context, m Member, ids, add, remove []string) error {
	return s.records.Tx(ctx, func(r Records) error {
		items, _, err := s.mine(ctx, r, m, Selection{Items: ids})
		if err != nil {
			return err
		}
		if err := r.TagItems(ctx, ids, tidyTags(add), remove); err != nil {
			return err
		}
		for _, item := range items {
			if err := s.itemChanged(ctx, r, m.StudioID, item.ID, false); err != nil {
				return err
			}
		}
		return nil
	})
}

// Star stars things, or takes the star off.
func (s *Service) Star(ctx context.Context, m Member, sel Selection, on bool) error {
	return s.records.Tx(ctx, func(r Records) error {
		if _, _, err := s.mine(ctx, r, m, sel); err != nil {
			return err
		}
		var at *time.Time
		if on {
			now := s.now()
			at = &now
		}
		return errors.Join(r.StarItems(ctx, sel.Items, at), r.StarPlaces(ctx, sel.Places, at), s.gatherChanged(ctx, r, m.StudioID))
	})
}

// Reorder puts items, in the order given, before another item of the same place,
// or at its end where before is empty.
func (s *Service) Reorder(ctx context.Context, m Member, ids []string, before string) error {
	return s.records.Tx(ctx, func(r Records) error {
		items, _, err := s.mine(ctx, r, m, Selection{Items: ids})
		if err != nil || len(items) == 0 {
			return err
		}
		place := items[0].PlaceID
		if slices.ContainsFunc(items, func(i Item) bool { return i.PlaceID != place }) || place == "" {
			return conflict("other_place", "Only things of one place can be put in order.")
		}
		if err := r.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		// Even numbers first, so that there is always room between two.
		if err := r.SpreadPositions(ctx, place); err != nil {
			return err
		}
		start := s.now().Add(24 * time.Hour).Sub(time.Unix(0, 0)).Seconds()
		if before != "" {
			anchor, ok, err := r.ItemByID(ctx, before)
			if err != nil {
				return err
			}
			if !ok || anchor.PlaceID != place {
				return notFound("item in this place")
			}
			start = anchor.Position - 1
		}
		for i, id := range ids {
			if err := r.SetPosition(ctx, id, start+float64(i+1)/float64(len(ids)+1)); err != nil {
				return err
			}
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
}

// Join makes items renditions of lead: the same thing in other formats, shown as one.
func (s *Service) Join(ctx context.Context, m Member, lead string, others []string) error {
	others = slices.DeleteFunc(distinct(others), func(id string) bool { return id == lead })
	if len(others) == 0 {
		return invalid("items", "Choose at least two formats of one thing.")
	}
	return s.records.Tx(ctx, func(r Records) error {
		items, _, err := s.mine(ctx, r, m, Selection{Items: append([]string{lead}, others...)})
		if err != nil {
			return err
		}
		for _, item := range items {
			if item.Kind != "file" {
				return conflict("not_a_file", "Only files are renditions of each other.")
			}
			if item.ID == lead && item.RenditionOf != "" {
				return conflict("is_rendition", "It is a rendition of another thing itself. Part them first.")
			}
		}
		inner, err := r.RenditionsOf(ctx, others)
		if err != nil {
			return err
		}
		return errors.Join(r.SetRendition(ctx, append(others, idsOf(inner)...), lead), s.itemChanged(ctx, r, m.StudioID, lead, false))
	})
}

// Part makes a rendition a thing of its own again.
func (s *Service) Part(ctx context.Context, m Member, id string) error {
	if _, err := s.itemOf(ctx, m, id); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		return errors.Join(r.SetRendition(ctx, []string{id}, ""), s.itemChanged(ctx, r, m.StudioID, id, false))
	})
}
