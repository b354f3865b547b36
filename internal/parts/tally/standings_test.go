package tally_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/preview"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A desk is a package with which anything may happen.
type desk struct {
	t        *rapid.T
	store    *db.DB
	studio   string
	parcel   string
	items    []string
	versions map[string][]string // of each item, the oldest first
	sizes    map[string]int64    // of each version
	contents map[string]string   // item of the package by item
	lines    []string
}

func (d *desk) tx(do func(ctx context.Context) error) {
	require.NoError(d.t, d.store.Tx(context.Background(), do))
}

func (d *desk) version(ctx context.Context, item string) error {
	size := rapid.SampledFrom([]int64{0, 1, 7, 100, 1000}).Draw(d.t, "size")
	blob, version := ground.NewID(), ground.NewID()
	d.versions[item], d.sizes[version] = append(d.versions[item], version), size
	return errors.Join(
		keep.Rows{DB: d.store}.InsertBlob(ctx, keep.Blob{ID: blob, StudioID: d.studio, Size: size}),
		gather.ThingRows{DB: d.store}.InsertVersion(
			ctx,
			gather.Version{ItemID: item, Piece: gather.Piece{VersionID: version, Number: len(d.versions[item]), FileName: "a", BlobID: blob,
				What: thing.Film, Mime: "video/mp4", MediaState: preview.None}},
		),
	)
}

func (d *desk) given(ctx context.Context, items ...string) error {
	_, err := gather.ThingRows{DB: d.store}.Given(ctx, items, true)
	return err
}

// acts are what may happen.
func (d *desk) acts() map[string]func(*rapid.T) {
	return map[string]func(*rapid.T){
		"somebody gets a stretch": func(t *rapid.T) {
			d.t = t
			item := rapid.SampledFrom(d.items).Draw(t, "item")
			version := rapid.SampledFrom(d.versions[item]).Draw(t, "version")
			size := d.sizes[version]
			from := rapid.Int64Range(0, size).Draw(t, "from")
			to := rapid.Int64Range(from, size).Draw(t, "to")
			if rapid.Bool().Draw(t, "all") {
				from, to = 0, size
			}
			got := receive.Receipts{
				Delivery: receive.Delivery{
					Studio:  d.studio,
					Parcel:  d.parcel,
					Line:    rapid.SampledFrom(d.lines).Draw(t, "line"),
					Version: version,
					Size:    size,
				},
				Bytes: coverage.Of(coverage.Range{Start: from, End: to}),
				Whole: size == 0,
			}
			d.tx(func(ctx context.Context) error {
				done, err := receive.CoverRows{DB: d.store}.AddCoverage(ctx, []receive.Receipts{got}, time.Now())
				var took []happen.Happening
				for _, one := range done {
					took = append(took, happen.Happening{Kind: event.Took, ParcelID: one.Parcel, LineID: one.Line, Version: one.Version})
				}
				if len(took) > 0 {
					_, more := happen.Rows{DB: d.store}.InsertEvents(ctx, took)
					err = errors.Join(err, more)
				}
				return err
			})
		},
		"somebody is there": func(t *rapid.T) {
			d.t = t
			kind := rapid.SampledFrom([]event.Kind{event.Opened, event.Looked, event.Noted, event.Reminded}).Draw(t, "kind")
			h := happen.Happening{Kind: kind, ParcelID: d.parcel, LineID: rapid.SampledFrom(d.lines).Draw(t, "line")}
			if kind == event.Looked {
				h.Version = rapid.SampledFrom(d.versions[rapid.SampledFrom(d.items).Draw(t, "item")]).Draw(t, "version")
			}
			d.tx(func(ctx context.Context) error {
				_, err := happen.Rows{DB: d.store}.InsertEvents(ctx, []happen.Happening{h})
				return err
			})
		},
		"a new version": func(t *rapid.T) {
			d.t = t
			item := rapid.SampledFrom(d.items).Draw(t, "item")
			d.tx(func(ctx context.Context) error { return errors.Join(d.version(ctx, item), d.given(ctx, item)) })
		},
		"another version is current": func(t *rapid.T) {
			d.t = t
			item := rapid.SampledFrom(d.items).Draw(t, "item")
			version := rapid.SampledFrom(d.versions[item]).Draw(t, "version")
			d.tx(func(ctx context.Context) error {
				return errors.Join(gather.ThingRows{DB: d.store}.SetCurrent(ctx, item, version), d.given(ctx, item))
			})
		},
		"an item is withdrawn": func(t *rapid.T) {
			d.t = t
			item := rapid.SampledFrom(d.items).Draw(t, "item")
			d.tx(func(ctx context.Context) error {
				return pack.ContentRows{DB: d.store}.WithdrawItem(ctx, d.parcel, d.contents[item], time.Now())
			})
		},
		"an item goes to a project": func(t *rapid.T) {
			d.t = t
			item := rapid.SampledFrom(d.items).Draw(t, "item")
			d.tx(func(ctx context.Context) error {
				return errors.Join(gather.SelectionRows{DB: d.store}.MoveItems(ctx, []string{item}, "project-"+d.studio), d.given(ctx, item))
			})
		},
	}
}

func newDesk(t *rapid.T, store *db.DB, owner, studio string) *desk {
	d := &desk{
		t:        t,
		store:    store,
		studio:   studio,
		parcel:   ground.NewID(),
		versions: map[string][]string{},
		sizes:    map[string]int64{},
		contents: map[string]string{},
	}
	d.tx(func(ctx context.Context) error {
		if err := (pack.Rows{DB: store}).InsertParcel(ctx, pack.Parcel{ID: d.parcel, StudioID: studio, Title: "x", Door: "open", CreatedBy: owner,
			CreatedAt: time.Now()}); err != nil {
			return err
		}
		var puts []pack.Put
		for range 3 {
			item := ground.NewID()
			d.items = append(d.items, item)
			puts = append(puts, pack.Put{ItemID: item})
			if err := errors.Join((gather.ThingRows{DB: store}).InsertItem(ctx, gather.Item{ID: item, StudioID: studio, Kind: thing.File, Name: "a", CreatedBy: owner}),
				d.version(ctx, item)); err != nil {
				return err
			}
		}
		_, err := pack.ContentRows{DB: store}.PutItems(ctx, d.parcel, puts, nil)
		for range 2 {
			d.lines = append(d.lines, ground.NewID())
			person := people.Person{ID: ground.NewID(), StudioID: studio, Name: "x", Email: d.lines[len(d.lines)-1] + "@kelpwick.example"}
			line := pack.Line{
				ID:       d.lines[len(d.lines)-1],
				ParcelID: d.parcel,
				PersonID: person.ID,
				Name:     "x",
				Email:    person.Email,
				Rights:   right.Rights{right.Take},
				Way:      pack.Way{WayID: ground.NewID(), WayKind: pack.Personal, LinkNonce: []byte{1}, LinkHash: []byte(person.ID), Since: time.Now()},
			}
			err = errors.Join(err, people.Rows{DB: store}.InsertPerson(ctx, person), pack.LineRows{DB: store}.InsertLine(ctx, line))
		}
		return err
	})
	contents, err := pack.ContentRows{DB: store}.Contents(context.Background(), d.parcel, pack.Place{}, 10)
	require.NoError(t, err)
	for _, c := range contents {
		d.contents[c.ItemID] = c.ID
	}
	return d
}

// Whatever happens in whatever order, what is kept where it changes is what
// events, coverage and blobs come to (core/record/ledger.Fold says what that is).
func TestStandingsAndWeightsAgreeWithWhatTheyAreMadeOf(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	apptest.Parcel(t, store, 0, 10)
	var owner, studio string
	require.NoError(t, store.Pool().QueryRow(t.Context(), "select id, studio_id from member").Scan(&owner, &studio))
	for _, sql := range []string{"insert into place (id, studio_id, kind, name, path) values ('client-' || $1, $1, 'client', 'C', '/c/')",
		`insert into place (id, studio_id, parent_id, kind, name, path) values ('project-' || $1, $1, 'client-' || $1, 'project', 'P',
			'/c/p/')`} {
		_, err := store.Pool().Exec(t.Context(), sql, studio)
		require.NoError(t, err)
	}
	rapid.Check(t, func(t *rapid.T) {
		d := newDesk(t, store, owner, studio)
		acts := d.acts()
		acts[""] = func(t *rapid.T) {
			err := follow.NewVerifier(store).VerifyPackage(context.Background(), d.parcel, false, func(f follow.Difference) { t.Errorf("%s", f) })
			require.NoError(t, err)
		}
		t.Repeat(acts)
	})
}

// What was counted wrongly is named, and set right by mending; a second look then
// finds nothing.
func TestAWrongCountIsNamedAndMended(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, version, lines := apptest.Parcel(t, store, 2, 100)
	require.NoError(t, store.Tx(t.Context(), func(ctx context.Context) error {
		_, err := receive.CoverRows{DB: store}.AddCoverage(
			ctx,
			[]receive.Receipts{
				{Delivery: receive.Delivery{Parcel: parcel, Line: lines[0], Version: version, Size: 100}, Bytes: coverage.Of(coverage.Range{End: 60})},
			},
			time.Now(),
		)
		return err
	}))
	verifier := follow.NewVerifier(store)
	look := func(mend bool) (found []string) {
		packages, err := verifier.Verify(t.Context(), mend, func(d follow.Difference) { found = append(found, d.What) })
		require.NoError(t, err)
		assert.Equal(t, 1, packages)
		return found
	}
	assert.Empty(t, look(false))
	for what, sql := range map[string]string{
		"line " + lines[0] + " of package " + parcel: "update standing set delivered = delivered + 1 where delivered > 0",
		"package " + parcel:                          "update parcel set weight = weight + 1",
		"receipts of package " + parcel:              "update coverage set gaps = 9",
	} {
		_, err := store.Pool().Exec(t.Context(), sql)
		require.NoError(t, err)
		assert.Equal(t, []string{what}, look(false), sql)
		assert.Equal(t, []string{what}, look(true))
		assert.Empty(t, look(false), "mended: %s", what)
	}
	_, err := store.Pool().Exec(t.Context(), "delete from standing where line_id = $1", lines[0])
	require.NoError(t, err)
	assert.Contains(t, look(true), "line "+lines[0]+" of package "+parcel, "a standing that is gone")
	assert.Empty(t, look(false))
	var studio string
	require.NoError(t, store.Pool().QueryRow(t.Context(), "update studio set held_bytes = held_bytes + 5 returning id").Scan(&studio))
	assert.Equal(t, []string{"studio " + studio}, look(true))
	assert.Empty(t, look(false))
}

func TestWhatAStudioHoldsFollowsItsBlobsAndUploads(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, _, _ := apptest.Parcel(t, store, 0, 100)
	p, _, err := pack.Rows{DB: store}.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	var member string
	require.NoError(t, store.Pool().QueryRow(t.Context(), "select id from member").Scan(&member))
	used := func() int64 {
		used, _, err := keep.Rows{DB: store}.Usage(t.Context(), p.StudioID)
		require.NoError(t, err)
		return used
	}
	assert.EqualValues(t, 100, used())
	require.NoError(t, keep.Rows{DB: store}.InsertBlob(t.Context(), keep.Blob{ID: "b2", StudioID: p.StudioID, Size: 50}))
	assert.EqualValues(t, 150, used())
	upload := gather.Upload{
		ID:       "u1",
		StudioID: p.StudioID,
		MemberID: member,
		ParcelID: parcel,
		Name:     "a",
		Size:     30,
		State:    gather.Arriving,
		Tags:     []string{},
	}
	require.NoError(t, gather.UploadRows{DB: store}.InsertUpload(t.Context(), upload))
	assert.EqualValues(t, 180, used())
	require.NoError(t, keep.Rows{DB: store}.Sweep(t.Context(), time.Now()))
	assert.EqualValues(t, 180, used(), "added up, and still the same")
	require.NoError(t, gather.UploadRows{DB: store}.SetUpload(t.Context(), "u1", gather.Arrived, "", ""))
	assert.EqualValues(t, 150, used())
	require.NoError(t, keep.Rows{DB: store}.BlobDeleted(t.Context(), "b2"))
	assert.EqualValues(t, 100, used())
	require.NoError(t, keep.Rows{DB: store}.Sweep(t.Context(), time.Now()))
	assert.EqualValues(t, 100, used())
	other := fmt.Sprint(ground.NewID())
	_, err = store.Pool().Exec(t.Context(), "insert into studio (id, name, zone) values ($1, 'Other', 'Europe/London')", other)
	require.NoError(t, err)
	require.NoError(t, keep.Rows{DB: store}.InsertBlob(t.Context(), keep.Blob{ID: "b3", StudioID: other, Size: 7}))
	assert.EqualValues(t, 100, used(), "what another studio holds is not counted here")
}
