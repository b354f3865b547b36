package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/coverage"
	"aftergust/core/event"
	"aftergust/core/letter"
	"aftergust/core/preview"
	"aftergust/core/right"
	"aftergust/core/thing"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/receive"
	"aftergust/internal/postgres"
	"aftergust/internal/who/account"

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
	store, err := postgres.Open(t.Context(), pg.Like(t, "migrated", func(ctx context.Context, url string) error {
		return errors.Join(postgres.Migrate(ctx, url), postgres.Migrate(ctx, url)) // the second changes nothing
	}))
	require.NoError(t, err)
	t.Cleanup(store.Close)
	return store
}

// Reference: PostgreSQL's range_agg over int8multirange.
func TestCoverageAgreesWithRangeAgg(t *testing.T) {
	t.Parallel()
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
func fixture(t *testing.T, store *postgres.Store, n int, size int64) (parcel, version string, lines []string) {
	t.Helper()
	ctx := t.Context()
	owner := account.Member{ID: ground.NewID(), StudioID: ground.NewID(), Name: "Marit Oyelaran", Email: "marit@lowtide.example",
		Role: "owner"}
	parcel, version = ground.NewID(), ground.NewID()
	item, blob := ground.NewID(), ground.NewID()
	require.NoError(t, store.Tx(ctx, func(ctx context.Context) error {
		for _, err := range []error{
			store.CreateStudio(ctx, owner.StudioID, "Low Tide Pictures", "Europe/London"), store.CreateMember(ctx, owner),
			store.InsertParcel(ctx, pack.Parcel{ID: parcel, StudioID: owner.StudioID, Title: "Lifeboat", Door: "open", CreatedBy: owner.ID,
				CreatedAt: time.Now()}),
			store.InsertBlob(ctx, keep.Blob{ID: blob, StudioID: owner.StudioID, Size: size}),
			store.InsertItem(ctx, gather.Item{ID: item, StudioID: owner.StudioID, Kind: "file", Name: "a.mov", CreatedBy: owner.ID}),
			store.InsertVersion(ctx, gather.Version{ItemID: item, Piece: gather.Piece{VersionID: version, Number: 1, FileName: "a.mov",
				BlobID: blob, What: thing.Film, Mime: "video/mp4", MediaState: preview.None}}),
		} {
			if err != nil {
				return err
			}
		}
		if _, err := store.PutItems(ctx, parcel, []pack.Put{{ItemID: item}}, nil); err != nil {
			return err
		}
		for i := range n {
			person := people.Person{ID: ground.NewID(), StudioID: owner.StudioID, Name: fmt.Sprint(i), Email: fmt.Sprintf("%d@kelpwick.example", i)}
			line := pack.Line{ID: ground.NewID(), ParcelID: parcel, PersonID: person.ID, Name: person.Name, Email: person.Email,
				Rights: right.Rights{right.See, right.Take},
				Way:    pack.Way{WayID: ground.NewID(), WayKind: pack.Personal, LinkNonce: []byte{1}, LinkHash: []byte(person.ID), Since: time.Now()}}
			lines = append(lines, line.ID)
			if err := errors.Join(store.InsertPerson(ctx, person), store.InsertLine(ctx, line)); err != nil {
				return err
			}
		}
		return nil
	}))
	return parcel, version, lines
}

func TestReceiptsFromManyProcessesCompleteEachRecipientExactlyOnce(t *testing.T) {
	t.Parallel()
	store := open(t)
	const people, pieces, size = 6, 40, 4000
	parcel, version, lines := fixture(t, store, people, size)
	completed := make(chan receive.Delivery, people*pieces)
	var group errgroup.Group
	for range 4 { // four processes, each with every piece in an order of its own
		group.Go(func() error {
			for _, piece := range rand.Perm(pieces) {
				var batch []receive.Receipts
				for _, r := range lines {
					from := int64(piece) * size / pieces
					batch = append(batch, receive.Receipts{Delivery: receive.Delivery{Parcel: parcel, Line: r, Version: version, Size: size},
						Bytes: coverage.Of(coverage.Range{Start: from, End: from + size/pieces})})
				}
				if err := store.Tx(context.Background(), func(ctx context.Context) error {
					done, err := store.AddCoverage(ctx, batch, time.Now())
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
		seen[d.Line]++
	}
	assert.Len(t, seen, people)
	for _, n := range seen {
		assert.Equal(t, 1, n)
	}
}

func TestEventsAreOnlyAppended(t *testing.T) {
	t.Parallel()
	store := open(t)
	parcel, _, lines := fixture(t, store, 1, 10)
	written, err := store.InsertEvents(t.Context(), []happen.Happening{{ParcelID: parcel, LineID: lines[0], Kind: event.Opened}})
	require.NoError(t, err)
	require.True(t, written[0].First, "nobody had opened it before")
	for _, change := range []string{"update event set kind = 'sent'", "delete from event"} {
		_, err := store.Pool().Exec(t.Context(), change)
		assert.ErrorContains(t, err, "events are only appended")
	}
}

func TestATransactionThatFailsLeavesNoJobAndNoLetter(t *testing.T) {
	t.Parallel()
	store := open(t)
	parcel, _, lines := fixture(t, store, 1, 10)
	p, _, err := store.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	boom := fmt.Errorf("boom")
	err = store.Tx(t.Context(), func(ctx context.Context) error {
		if err := store.InsertLetter(ctx, letters.Letter{ID: "l", StudioID: p.StudioID, ParcelID: parcel, LineID: lines[0],
			Kind: letter.Delivery}); err != nil {
			return err
		}
		if err := store.Enqueue(ctx, ground.LetterJob{LetterID: "l"}); err != nil {
			return err
		}
		return boom
	})
	assert.ErrorIs(t, err, boom)
	var posted, jobs int
	require.NoError(t, store.Pool().QueryRow(t.Context(),
		"select (select count(*) from letter), (select count(*) from river_job)").Scan(&posted, &jobs))
	assert.Zero(t, posted+jobs)
	assert.Error(t, store.Enqueue(t.Context(), ground.LetterJob{}), "a job without its transaction is refused")
}

func TestBytesAreMarkedBeforeTheyAreDeletedAndNeverWhileSomethingNeedsThem(t *testing.T) {
	t.Parallel()
	store := open(t)
	parcel, _, _ := fixture(t, store, 0, 10)
	ctx := t.Context()
	later := time.Now().Add(time.Hour)
	marked := func() []string {
		require.NoError(t, store.MarkUnreferenced(ctx, later, time.Now()))
		ids, err := store.MarkedBlobs(ctx, later, 10)
		require.NoError(t, err)
		return ids
	}
	assert.Empty(t, marked())
	_, err := store.Pool().Exec(ctx, `update parcel set sent_at = now() - interval '30 days', ends_at = now() - interval '20 days'
		where id = $1`, parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "it has ended, but its bytes are held")
	cleared, err := store.ClearParcels(ctx, time.Now(), time.Now().Add(-14*24*time.Hour), 10)
	require.NoError(t, err)
	require.Len(t, cleared, 1)
	assert.Equal(t, "Lifeboat", cleared[0].Title)
	assert.Len(t, marked(), 1)
	_, err = store.Pool().Exec(ctx, "update parcel set cleared_at = null where id = $1", parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "needed again before it was deleted: the mark goes")
}

func TestPagesOfPackagesMeetWithoutGapOrOverlap(t *testing.T) {
	t.Parallel()
	store := open(t)
	parcel, _, _ := fixture(t, store, 0, 10)
	first, _, err := store.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	at := time.Now()
	for range 24 { // several share a moment, as after an import
		require.NoError(t, store.InsertParcel(t.Context(), pack.Parcel{ID: ground.NewID(), StudioID: first.StudioID, Title: "x", Door: "open",
			CreatedBy: first.CreatedBy, CreatedAt: at}))
	}
	seen := map[string]bool{}
	query := follow.Query{Filter: follow.AllOf, Order: follow.Newest}
	for {
		page, err := store.ParcelTable(t.Context(), first.StudioID, query, time.Now(), 7)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, p := range page {
			assert.False(t, seen[p.ID])
			seen[p.ID] = true
		}
		query.After = page[len(page)-1].ID
	}
	assert.Len(t, seen, 25)
}

// The size of the pool is set in the address of the database, as pgx has it.
func TestAnAddressThatSetsThePoolIsMigratedAndOpened(t *testing.T) {
	t.Parallel()
	url := pg.Fresh(t) + "&pool_max_conns=3"
	require.NoError(t, postgres.Migrate(t.Context(), url))
	store, err := postgres.Open(t.Context(), url)
	require.NoError(t, err)
	defer store.Close()
	assert.EqualValues(t, 3, store.Pool().Config().MaxConns)
	require.NoError(t, store.Ping(t.Context()))
}
