package gather

import (
	"context"
	"slices"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// An Item is a thing that can be delivered, with its current version.
type Item struct {
	ID          string
	StudioID    string
	PlaceID     string // empty: it lies only in packages
	Kind        thing.Kind
	Name        string
	About       string // what it is, in a line
	Tags        []string
	AtHandSince *time.Time
	RenditionOf string  // the item that stands for it; empty for most
	Position    float64 // order by hand
	CreatedAt   time.Time
	ChangedAt   time.Time
	CreatedBy   string
	Adder       string // name of who added it
	LetGo       bool
	Renditions  int // other formats that it stands for
	Versions    int

	Label string // of the current version
	Piece        // the current version
}

// Item is an item of the member's studio.
func (s *Things) Item(ctx context.Context, m account.Member, id string) (Item, error) {
	item, ok, err := s.thingRows.ItemByID(ctx, id)
	if err != nil {
		return item, err
	}
	if !ok || item.StudioID != m.StudioID {
		return Item{}, ground.Missing("item")
	}
	return item, nil
}

// A Searched is an item with what the words under which it is found are made of.
type Searched struct {
	ID    string
	Name  string
	About string
	Tags  []string
	Kind  thing.What
	Mime  string
	Label string
	Facts piece.Facts
	Data  piece.Data
	Body  string
}

// refreshedAtOnce is how many items are brought in step by one statement; more
// would hold too many texts in memory.
const refreshedAtOnce = 2000

// Changed is the last step of every change of items: lists, search and the
// packages that give them come in step, whatever their number, in a few
// statements. inside says whether what packages deliver has changed.
func (s *Things) Changed(ctx context.Context, studio string, inside bool, ids ...string) error {
	for some := range slices.Chunk(ids, refreshedAtOnce) {
		all, err := s.thingRows.Searched(ctx, some)
		if err != nil {
			return err
		}
		found, words := make([]string, len(all)), make([]string, len(all))
		for i, one := range all {
			found[i], words[i] = one.ID, strings.Join(one.words(), " ")
		}
		if err := s.thingRows.Refresh(ctx, found, words); err != nil {
			return err
		}
	}
	return s.given(ctx, studio, inside, ids)
}

// given brings the packages in step that give the items.
func (s *Things) given(ctx context.Context, studio string, inside bool, ids []string) error {
	parcels, err := s.thingRows.Given(ctx, ids, inside)
	if err != nil {
		return err
	}
	for _, parcel := range parcels {
		if err := s.listRows.Announce(ctx, ground.Change{Studio: studio, Parcel: parcel, What: ground.ContentsChanged}); err != nil {
			return err
		}
	}
	return s.places.gatherChanged(ctx, studio)
}

// Rename gives an item another name. Packages deliver it under that name at once.
func (s *Things) Rename(ctx context.Context, m account.Member, id, name string) (Item, error) {
	item, err := s.Item(ctx, m, id)
	if err != nil {
		return Item{}, err
	}
	if strings.TrimSpace(name) == "" {
		return Item{}, ground.Wrong("name", "Give it a name.")
	}
	return s.changeItem(ctx, m, item.ID, true, func(ctx context.Context) error {
		name := naming.Clip(naming.Display(name), 200)
		return s.thingRows.NameItem(ctx, id, &name, nil)
	})
}

// Describe says what an item is, in a line.
func (s *Things) Describe(ctx context.Context, m account.Member, id, about string) (Item, error) {
	item, err := s.Item(ctx, m, id)
	if err != nil {
		return Item{}, err
	}
	if about, err = aboutLine(about); err != nil {
		return Item{}, err
	}
	return s.changeItem(ctx, m, item.ID, false, func(ctx context.Context) error { return s.thingRows.NameItem(ctx, id, nil, &about) })
}

func (s *Things) changeItem(ctx context.Context, m account.Member, id string, inside bool, change func(context.Context) error) (Item,
	error) {
	err := s.listRows.Tx(ctx, func(ctx context.Context) error {
		if err := change(ctx); err != nil {
			return err
		}
		return s.Changed(ctx, m.StudioID, inside, id)
	})
	if err != nil {
		return Item{}, err
	}
	return s.Item(ctx, m, id)
}
