package gather

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/link/state"
	"aftergust/core/media/preview"
	"aftergust/core/time/expiry"
	"aftergust/internal/who/account"
)

// A PlaceSum says what lies in a place and below it. Things that were let go and
// formats of other things are not counted.
type PlaceSum struct {
	PlaceID string
	Things  int
	Bytes   int64
	Last    string    // name of what changed last; empty where nothing lies
	LastAt  time.Time // when
	Newest  []string  // ids of the things that changed last, the newest first
	Out     []OutFrom // packages that are out and give something from there, the next to end first
}

// OutFrom is a package that is out.
type OutFrom struct {
	ID    string      `json:"id"`
	Title string      `json:"title"`
	Ends  time.Time   `json:"ends"`
	State state.State `json:"state"`
}

// A Look is a place with what lies there, its newest pictures, and what lies
// directly in it.
type Look struct {
	Place
	PlaceSum
	Pictures []Item
	Inside   []Look // without pictures
}

const (
	stripPictures = 3
	// looked is how many of the newest things are looked at for a strip: not all have pictures.
	looked = 12
)

// Overview is what lies in each of the places of a parent, and in each place
// directly in these; the clients for an empty parent. It costs what lies in what
// is shown, not what lies elsewhere.
func (s *Places) Overview(ctx context.Context, m account.Member, parent string) ([]Look, error) {
	places, err := s.PlacesIn(ctx, m, parent)
	if err != nil {
		return nil, err
	}
	now := s.now()
	sums, err := s.placeRows.PlaceSums(ctx, m.StudioID, parent, now, looked)
	if err != nil {
		return nil, err
	}
	of, newest := map[string]PlaceSum{}, []string{}
	for _, sum := range sums {
		slices.SortFunc(sum.Out, func(a, b OutFrom) int { return cmp.Or(a.Ends.Compare(b.Ends), strings.Compare(a.ID, b.ID)) })
		for i, p := range sum.Out {
			sum.Out[i].State = expiry.Moments{Sent: now, Ends: p.Ends}.At(now)
		}
		of[sum.PlaceID] = sum
	}
	for _, p := range places {
		newest = append(newest, of[p.ID].Newest...)
	}
	items, err := s.thingRows.ItemsByID(ctx, newest)
	if err != nil {
		return nil, err
	}
	byID := map[string]Item{}
	for _, i := range items {
		byID[i.ID] = i
	}
	out := make([]Look, len(places))
	at := map[string]*Look{}
	for i, p := range places {
		out[i] = Look{Place: p, PlaceSum: of[p.ID], Pictures: pictures(of[p.ID].Newest, byID)}
		at[p.ID] = &out[i]
	}
	inside, err := s.placeRows.PlacesInside(ctx, slices.Collect(maps.Keys(at)))
	if err != nil {
		return nil, err
	}
	for _, p := range inside {
		above := at[p.ParentID]
		above.Inside = append(above.Inside, Look{Place: p, PlaceSum: of[p.ID]})
	}
	return out, nil
}

// shows says whether an item is recognised by sight: a picture, a waveform, a colour.
func shows(i Item) bool {
	return slices.Contains(i.Made, preview.Poster) || slices.Contains(i.Made, preview.Peaks) || i.Kind == thing.Swatch
}

// pictures are the first of the newest things that are recognised by sight.
func pictures(newest []string, of map[string]Item) []Item {
	var out []Item
	for _, id := range newest {
		if i, ok := of[id]; ok && shows(i) && len(out) < stripPictures {
			out = append(out, i)
		}
	}
	return out
}
