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
	"aftergust/internal/ground/db"
	"aftergust/internal/who/account"
)

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
	listRows  ListRows
	placeRows PlaceRows
	thingRows ThingRows
	teamRows  account.TeamRows
	now       func() time.Time
}

// NewPlaces makes the service of the tree.
func NewPlaces(store *db.DB, now func() time.Time) *Places {
	return &Places{NewListRows(store), PlaceRows{store}, ThingRows{store}, account.TeamRows{DB: store}, now}
}

// Things is what lies in places or in packages. Make it with NewThings.
type Things struct {
	listRows  ListRows
	thingRows ThingRows
	keepRows  keep.Rows
	places    *Places
	keep      Room
	bytes     Bytes
	now       func() time.Time
}

// NewThings makes the service of items and their versions.
func NewThings(store *db.DB, places *Places, room Room, bytes Bytes, now func() time.Time) *Things {
	return &Things{places.listRows, ThingRows{store}, keep.Rows{DB: store}, places, room, bytes, now}
}

// Selections is what is done with many things at once. Make it with NewSelections.
type Selections struct {
	selectionRows SelectionRows
	thingRows     ThingRows
	archiveRows   archive.Rows
	places        *Places
	things        *Things
	now           func() time.Time
}

// NewSelections makes the service of selections.
func NewSelections(store *db.DB, places *Places, things *Things, now func() time.Time) *Selections {
	return &Selections{SelectionRows{store}, ThingRows{store}, archive.Rows{DB: store}, places, things, now}
}
