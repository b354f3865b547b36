package postgres_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/coverage"
	"aftergust/internal/pgserver"
	"aftergust/internal/postgres"
	"aftergust/internal/studio"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
	"pgregory.net/rapid"
)

var pg *pgserver.Server

func TestMain(m *testing.M) {
	pgserver.Main(m, func(s *pgserver.Server) { pg = s })
}

func open(t *testing.T) *postgres.Store {
	t.Helper()
	url := pg.Fresh(t)
	require.NoError(t, postgres.Migrate(t.Context(), url))
	require.NoError(t, postgres.Migrate(t.Context(), url), "migrating twice changes nothing")
	store, err := postgres.Open(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(store.Close)
	return store
}

// Reference: PostgreSQL's range_agg over int8multirange.
func TestCoverageAgreesWithRangeAgg(t *testing.T) {
	store := open(t)
	rapid.Check(t, func(rt *rapid.T) {
		n := rapid.IntRange(1, 30).Draw(rt, "n")
		var ranges []coverage.Range
		var starts, ends []int64
		for range n {
			start := rapid.Int64Range(0, 1000).Draw(rt, "start")
			end := start + rapid.Int64Range(0, 200).Draw(rt, "length")
			ranges = append(ranges, coverage.Range{Start: start, End: end})
			starts, ends = append(starts, start), append(ends, end)
		}
		var union, gaps string
		require.NoError(rt, store.Pool().QueryRow(context.Background(), `
			with u as (select range_agg(int8range(s, e)) as r from unnest($1::bigint[], $2::bigint[]) as x (s, e))
			select r::text, ('{[0,1200)}'::int8multirange - r)::text from u`, starts, ends).Scan(&union, &gaps))
		ours := coverage.Of(ranges...)
		require.Equal(rt, union, ours.String())
		require.Equal(rt, gaps, coverage.Of(ours.Gaps(coverage.Range{End: 1200})...).String())
	})
}

// fixture makes a package with one item of size bytes and n recipients.
func fixture(t *testing.T, store *postgres.Store, n int, size int64) (parcel, version string, recipients []string) {
	t.Helper()
	ctx := t.Context()
	owner := studio.Member{ID: studio.NewID(), StudioID: studio.NewID(), Name: "Marit Oyelaran", Email: "marit@lowtide.example", Role: "owner"}
	parcel, version = studio.NewID(), studio.NewID()
	item, blob := studio.NewID(), studio.NewID()
	require.NoError(t, store.Tx(ctx, func(r studio.Records) error {
		for _, err := range []error{
			r.CreateStudio(ctx, owner.StudioID, "Low Tide Pictures", "Europe/London"), r.CreateMember(ctx, owner),
			r.InsertParcel(ctx, studio.Parcel{ID: parcel, StudioID: owner.StudioID, Title: "Lifeboat", Door: "open", CreatedBy: owner.ID, CreatedAt: time.Now()}),
			r.InsertBlob(ctx, studio.Blob{ID: blob, StudioID: owner.StudioID, Size: size}),
			r.InsertItem(ctx, studio.Item{ID: item, StudioID: owner.StudioID, Kind: "file", Name: "a.mov", CreatedBy: owner.ID}),
			r.InsertVersion(ctx, studio.Version{ID: version, ItemID: item, Number: 1, FileName: "a.mov", BlobID: blob, Kind: "film", Mime: "video/mp4", MediaState: "none"}),
			r.InsertParcelItem(ctx, studio.ParcelItem{ID: studio.NewID(), ParcelID: parcel, ItemID: item}),
		} {
			if err != nil {
				return err
			}
		}
		for i := range n {
			id := studio.NewID()
			recipients = append(recipients, id)
			if err := r.InsertRecipient(ctx, studio.Recipient{ID: id, ParcelID: parcel, Name: fmt.Sprint(i), Email: fmt.Sprintf("%d@kelpwick.example", i), LinkNonce: []byte{1}, LinkHash: []byte(id)}); err != nil {
				return err
			}
		}
		return nil
	}))
	return parcel, version, recipients
}

func TestReceiptsFromManyProcessesCompleteEachRecipientExactlyOnce(t *testing.T) {
	store := open(t)
	const people, pieces, size = 6, 40, 4000
	parcel, version, recipients := fixture(t, store, people, size)
	completed := make(chan studio.Delivery, people*pieces)
	var group errgroup.Group
	for range 4 { // four processes, each with every piece in an order of its own
		group.Go(func() error {
			for _, piece := range rand.Perm(pieces) {
				var batch []studio.Receipts
				for _, r := range recipients {
					from := int64(piece) * size / pieces
					batch = append(batch, studio.Receipts{Delivery: studio.Delivery{Parcel: parcel, Recipient: r, Version: version, Size: size}, Bytes: coverage.Of(coverage.Range{Start: from, End: from + size/pieces})})
				}
				if err := store.Tx(context.Background(), func(r studio.Records) error {
					done, err := r.AddCoverage(context.Background(), batch, time.Now())
					for _, d := range done {
						completed <- d
					}
					return err
				}); err != nil {
					return err
				}
			}
			return nil
		})
	}
	require.NoError(t, group.Wait())
	close(completed)
	seen := map[string]int{}
	for d := range completed {
		seen[d.Recipient]++
	}
	assert.Len(t, seen, people)
	for _, n := range seen {
		assert.Equal(t, 1, n)
	}
}

func TestEventsAreOnlyAppended(t *testing.T) {
	store := open(t)
	parcel, _, recipients := fixture(t, store, 1, 10)
	require.NoError(t, store.InsertEvent(t.Context(), studio.Event{StudioID: "s", ParcelID: parcel, RecipientID: recipients[0], Kind: "opened"}))
	for _, change := range []string{"update event set kind = 'sent'", "delete from event"} {
		_, err := store.Pool().Exec(t.Context(), change)
		assert.ErrorContains(t, err, "events are only appended")
	}
}

func TestATransactionThatFailsLeavesNoJobAndNoLetter(t *testing.T) {
	store := open(t)
	parcel, _, recipients := fixture(t, store, 1, 10)
	p, _, err := store.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	boom := fmt.Errorf("boom")
	err = store.Tx(t.Context(), func(r studio.Records) error {
		if err := r.InsertLetter(t.Context(), studio.Letter{ID: "l", StudioID: p.StudioID, ParcelID: parcel, RecipientID: recipients[0], Kind: "delivery"}); err != nil {
			return err
		}
		if err := r.Enqueue(t.Context(), studio.LetterJob{LetterID: "l"}); err != nil {
			return err
		}
		return boom
	})
	assert.ErrorIs(t, err, boom)
	var letters, jobs int
	require.NoError(t, store.Pool().QueryRow(t.Context(), "select (select count(*) from letter), (select count(*) from river_job)").Scan(&letters, &jobs))
	assert.Zero(t, letters+jobs)
	assert.Error(t, store.Enqueue(t.Context(), studio.LetterJob{}), "a job without its transaction is refused")
}

func TestBytesAreMarkedBeforeTheyAreDeletedAndNeverWhileSomethingNeedsThem(t *testing.T) {
	store := open(t)
	parcel, _, _ := fixture(t, store, 0, 10)
	ctx := t.Context()
	later := time.Now().Add(time.Hour)
	marked := func() []string {
		require.NoError(t, store.MarkUnreferenced(ctx, later))
		ids, err := store.MarkedBlobs(ctx, later, 10)
		require.NoError(t, err)
		return ids
	}
	assert.Empty(t, marked())
	_, err := store.Pool().Exec(ctx, "update parcel set sent_at = now() - interval '30 days', ends_at = now() - interval '20 days' where id = $1", parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "it has ended, but its bytes are held")
	cleared, err := store.ClearParcels(ctx, time.Now(), time.Now().Add(-14*24*time.Hour))
	require.NoError(t, err)
	require.Len(t, cleared, 1)
	assert.Equal(t, "Lifeboat", cleared[0].Title)
	assert.Len(t, marked(), 1)
	_, err = store.Pool().Exec(ctx, "update parcel set cleared_at = null where id = $1", parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "needed again before it was deleted: the mark goes")
}

func TestPagesOfPackagesMeetWithoutGapOrOverlap(t *testing.T) {
	store := open(t)
	parcel, _, _ := fixture(t, store, 0, 10)
	first, _, err := store.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	at := time.Now()
	for range 24 { // several share a moment, as after an import
		require.NoError(t, store.InsertParcel(t.Context(), studio.Parcel{ID: studio.NewID(), StudioID: first.StudioID, Title: "x", Door: "open", CreatedBy: first.CreatedBy, CreatedAt: at}))
	}
	seen := map[string]bool{}
	var cursor studio.Cursor
	for {
		page, err := store.ParcelPage(t.Context(), first.StudioID, false, time.Now(), cursor, 7)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, p := range page {
			assert.False(t, seen[p.ID])
			seen[p.ID] = true
		}
		last := page[len(page)-1]
		cursor = studio.Cursor{CreatedAt: last.CreatedAt, ID: last.ID}
	}
	assert.Len(t, seen, 25)
}
