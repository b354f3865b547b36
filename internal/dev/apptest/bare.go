package apptest

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/preview"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/require"
)

// Open is a new database with everything in it but rows.
func Open(t testing.TB, pg *pgserver.Server) *db.DB {
	t.Helper()
	store, err := db.Open(t.Context(), Migrated(t, pg))
	require.NoError(t, err)
	t.Cleanup(store.Close)
	return store
}

// Parcel makes a package with one item of size bytes and n recipients.
func Parcel(t testing.TB, store *db.DB, n int, size int64) (parcel, version string, lines []string) {
	t.Helper()
	ctx := t.Context()
	owner := account.Member{ID: ground.NewID(), StudioID: ground.NewID(), Name: "Marit Oyelaran", Email: "marit@lowtide.example",
		Role: "owner"}
	parcel, version = ground.NewID(), ground.NewID()
	item, blob := ground.NewID(), ground.NewID()
	require.NoError(t, store.Tx(ctx, func(ctx context.Context) error {
		for _, err := range []error{
			(account.Rows{DB: store}).CreateStudio(ctx, owner.StudioID, "Low Tide Pictures", "Europe/London"), (account.Rows{DB: store}).CreateMember(ctx, owner),
			(pack.Rows{DB: store}).InsertParcel(ctx, pack.Parcel{ID: parcel, StudioID: owner.StudioID, Title: "Lifeboat", Door: "open", CreatedBy: owner.ID,
				CreatedAt: time.Now()}),
			(keep.Rows{DB: store}).InsertBlob(ctx, keep.Blob{ID: blob, StudioID: owner.StudioID, Size: size}),
			(gather.ThingRows{DB: store}).InsertItem(ctx, gather.Item{ID: item, StudioID: owner.StudioID, Kind: "file", Name: "a.mov", CreatedBy: owner.ID}),
			(gather.ThingRows{DB: store}).InsertVersion(ctx, gather.Version{ItemID: item, Piece: gather.Piece{VersionID: version, Number: 1, FileName: "a.mov",
				BlobID: blob, What: thing.Film, Mime: "video/mp4", MediaState: preview.None}}),
		} {
			if err != nil {
				return err
			}
		}
		if _, err := (pack.ContentRows{DB: store}).PutItems(ctx, parcel, []pack.Put{{ItemID: item}}, nil); err != nil {
			return err
		}
		for i := range n {
			person := people.Person{ID: ground.NewID(), StudioID: owner.StudioID, Name: fmt.Sprint(i), Email: fmt.Sprintf("%d@kelpwick.example", i)}
			line := pack.Line{ID: ground.NewID(), ParcelID: parcel, PersonID: person.ID, Name: person.Name, Email: person.Email,
				Rights: right.Rights{right.See, right.Take},
				Way:    pack.Way{WayID: ground.NewID(), WayKind: pack.Personal, LinkNonce: []byte{1}, LinkHash: []byte(person.ID), Since: time.Now()}}
			lines = append(lines, line.ID)
			if err := errors.Join((people.Rows{DB: store}).InsertPerson(ctx, person), (pack.LineRows{DB: store}).InsertLine(ctx, line)); err != nil {
				return err
			}
		}
		return nil
	}))
	return parcel, version, lines
}
