// Package gather is everything a studio has before it is sent: places (clients,
// projects, folders), things in them with their versions and formats, lists, and
// what is done with a selection of them at once.
//
// Three services share the work: Places is the tree, Things is what lies in it,
// Selections is what is done with many at once.
package gather

import (
	"context"
	"io"
	"time"

	"aftergust/internal/files/archive"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// PlaceStore is what Places needs of the database.
type PlaceStore interface {
	ground.Records
	PlaceByID(ctx context.Context, id string) (Place, bool, error)
	PlacesByID(ctx context.Context, ids []string) ([]Place, error)
	PlacesIn(ctx context.Context, studio, parent string) ([]Place, error)
	// PlacesInside lie directly in any of the parents.
	PlacesInside(ctx context.Context, parents []string) ([]Place, error)
	PlaceNamed(ctx context.Context, studio, parent, name string) (Place, bool, error)
	PlacesFound(ctx context.Context, studio, under string, words []string, limit int) ([]Place, error)
	PlacesAtHand(ctx context.Context, studio string) ([]Place, error)
	// Subplaces are places and all that lie in them, those that were let go left out.
	Subplaces(ctx context.Context, paths []string) ([]Place, error)
	// InsertPlace does nothing and reports false where its name is taken.
	InsertPlace(ctx context.Context, p Place) (bool, error)
	UpdatePlace(ctx context.Context, p Place) error
	MovePlace(ctx context.Context, from Place, to Place) error
	// LockStudio makes changes of a studio's tree wait for each other.
	LockStudio(ctx context.Context, studio string) error
	Items(ctx context.Context, q ItemQuery) ([]Item, error)
	// PlaceSums say what lies in each place of a parent, the clients for an empty one, and in each place
	// directly in these. pictures is how many of the newest things of each are named.
	PlaceSums(ctx context.Context, studio, parent string, now time.Time, pictures int) ([]PlaceSum, error)
	ItemsByID(ctx context.Context, ids []string) ([]Item, error)
}

// ThingStore is what Things needs of the database.
type ThingStore interface {
	ground.Records
	InsertBlob(ctx context.Context, b keep.Blob) error
	InsertItem(ctx context.Context, i Item) error
	ItemByID(ctx context.Context, id string) (Item, bool, error)
	Items(ctx context.Context, q ItemQuery) ([]Item, error)
	// NameItem gives an item another name or description; nil leaves as it is.
	NameItem(ctx context.Context, id string, name, about *string) error
	RenditionsOf(ctx context.Context, leads []string) ([]Item, error)
	SetRendition(ctx context.Context, ids []string, lead string) error
	TwinsOf(ctx context.Context, i Item, limit int) ([]Item, error)
	TagsOf(ctx context.Context, studio string) ([]ground.Counted, error)
	// Searched are items with what their search words are made of; Refresh brings
	// what lists are sorted, filtered and found by in step with the current versions.
	// Searched are items for whoever changes them in this transaction.
	Searched(ctx context.Context, ids []string) ([]Searched, error)
	Refresh(ctx context.Context, ids, words []string) error
	// Given brings packages in step with what they give of the items now, and
	// returns those that give any of them. inside says whether what they deliver has changed.
	Given(ctx context.Context, items []string, inside bool) (parcels []string, err error)
	InsertVersion(ctx context.Context, v Version) error
	NextVersionNumber(ctx context.Context, item string) (int, error)
	VersionByID(ctx context.Context, id string) (Version, bool, error)
	Versions(ctx context.Context, item string) ([]Version, error)
	SetCurrent(ctx context.Context, item, version string) error
	LabelVersion(ctx context.Context, id, label string) error
	DeleteVersion(ctx context.Context, id string, at *time.Time) error
	CopyDerived(ctx context.Context, from, to string) error
}

// SelectionStore is what Selections needs of the database.
type SelectionStore interface {
	ground.Records
	archive.Keeper
	ItemByID(ctx context.Context, id string) (Item, bool, error)
	ItemsByID(ctx context.Context, ids []string) ([]Item, error)
	// ItemsUnder are the items that lie anywhere in the places, those that were let go left out.
	ItemsUnder(ctx context.Context, places []string) ([]Item, error)
	// Mine counts which of the items and places are the studio's and not let go.
	Mine(ctx context.Context, studio string, sel Selection) (items, places int, err error)
	// TagItems writes the tags of items, and the words under which they are found then.
	TagItems(ctx context.Context, ids []string, tags [][]string, words []string) error
	KeepItemsAtHand(ctx context.Context, ids []string, at *time.Time) error
	KeepPlacesAtHand(ctx context.Context, ids []string, at *time.Time) error
	MoveItems(ctx context.Context, ids []string, place string) error
	CopyItem(ctx context.Context, from, to, place, name, member string) error
	SetPosition(ctx context.Context, id string, position float64) error
	SpreadPositions(ctx context.Context, place string) error
	KeepSelection(ctx context.Context, id, studio string, sel Selection) error
	SelectionByID(ctx context.Context, id string) (studio string, sel Selection, ok bool, err error)
	// LetGoThings marks the items and places, and all that lies in the places, as
	// deleted. What was let go before stays with its own deletion.
	LetGoThings(ctx context.Context, d Deletion, studio, member string, sel Selection) error
	LetGo(ctx context.Context, studio string, since time.Time) ([]Deletion, error)
	LetGoByID(ctx context.Context, id string) (studio string, ok bool, err error)
	// TakeBack takes a deletion back. It reports a name whose own parent is let go
	// itself, where there is one; nothing is changed then.
	TakeBack(ctx context.Context, id string) (under string, err error)
	// ForgetLetGo forgets a deletion, so that it cannot be taken back.
	ForgetLetGo(ctx context.Context, id string) error
}

// Room refuses what would not fit.
type Room interface {
	Room(ctx context.Context, m account.Member, name string, size int64) error
}

// Bytes is what Things needs of the blob store.
type Bytes interface {
	Put(ctx context.Context, id string, content io.Reader) (size int64, crc32 uint32, xxh3 [16]byte, err error)
}

// Places is the tree of clients, projects and folders. Make it with NewPlaces.
type Places struct {
	store PlaceStore
	now   func() time.Time
}

// NewPlaces makes the service of the tree.
func NewPlaces(store PlaceStore, now func() time.Time) *Places { return &Places{store, now} }

// Things is what lies in places or in packages. Make it with NewThings.
type Things struct {
	store  ThingStore
	places *Places
	keep   Room
	bytes  Bytes
	now    func() time.Time
}

// NewThings makes the service of items and their versions.
func NewThings(store ThingStore, places *Places, room Room, bytes Bytes, now func() time.Time) *Things {
	return &Things{store, places, room, bytes, now}
}

// Selections is what is done with many things at once. Make it with NewSelections.
type Selections struct {
	store  SelectionStore
	places *Places
	things *Things
	now    func() time.Time
}

// NewSelections makes the service of selections.
func NewSelections(store SelectionStore, places *Places, things *Things, now func() time.Time) *Selections {
	return &Selections{store, places, things, now}
}
