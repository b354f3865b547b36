package gather

import (
	"context"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/file/thing"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

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
	Studio string
	Place  string // directly in this place
	Under  string // path of a place: anywhere below it
	Loose  bool   // those that lie only in packages
	AtHand bool
	Find   find.Query
	What   []thing.What // empty for all
	Tag    string
	Since  time.Time // added since
	Order  string
	Down   bool
	After  *ItemCursor // nil: from the beginning
	Limit  int
}

// An ItemCursor is a place in a list: the value that it is ordered by, as text,
// and the item.
type ItemCursor struct{ Value, ID string }

// Items are a page of the member's items. The query's studio is set here.
func (s *Things) Items(ctx context.Context, m account.Member, q ItemQuery) ([]Item, error) {
	if q.Place != "" {
		if _, err := s.places.PlaceOf(ctx, m, q.Place); err != nil {
			return nil, err
		}
	}
	q.Studio = m.StudioID
	return s.listRows.Items(ctx, q)
}

// Tags are all tags of the studio with how many items have them.
func (s *Things) Tags(ctx context.Context, m account.Member) ([]ground.Counted, error) {
	return s.thingRows.TagsOf(ctx, m.StudioID)
}
