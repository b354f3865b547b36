package db_test

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/pack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var pg *pgserver.Server

func TestMain(m *testing.M) {
	pgserver.Main(m, func(s *pgserver.Server) { pg = s })
}

// Reference: PostgreSQL's range_agg over int8multirange.
func TestCoverageAgreesWithRangeAgg(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
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

func TestATransactionThatFailsLeavesNoJobAndNoLetter(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, _, lines := apptest.Parcel(t, store, 1, 10)
	p, _, err := pack.Rows{DB: store}.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	boom := fmt.Errorf("boom")
	err = store.Tx(t.Context(), func(ctx context.Context) error {
		if err := (letters.Rows{DB: store}).InsertLetter(ctx, letters.Letter{ID: "l", StudioID: p.StudioID, ParcelID: parcel, LineID: lines[0],
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

// The size of the pool is set in the address of the database, as pgx has it.
func TestAnAddressThatSetsThePoolIsMigratedAndOpened(t *testing.T) {
	t.Parallel()
	url := pg.Fresh(t) + "&pool_max_conns=3"
	require.NoError(t, db.Migrate(t.Context(), url))
	store, err := db.Open(t.Context(), url)
	require.NoError(t, err)
	defer store.Close()
	assert.EqualValues(t, 3, store.Pool().Config().MaxConns)
	require.NoError(t, store.Ping(t.Context()))
}

func TestANameIsHeldByOneProcessAndGivenBackWhenAskedFor(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	one, two := store.Locks(), store.Locks() // each is a process
	defer one.Close()
	defer two.Close()
	var asked atomic.Int32
	unlock, ok, err := one.TryLock(t.Context(), "upload-a", func() { asked.Add(1) })
	require.NoError(t, err)
	require.True(t, ok)
	_, ok, err = one.TryLock(t.Context(), "upload-a", func() {})
	require.NoError(t, err)
	assert.False(t, ok, "not twice in one process either")
	for range 50 {
		_, ok, err = two.TryLock(t.Context(), "upload-a", func() {})
		require.NoError(t, err)
		require.False(t, ok)
	}
	free, ok, err := two.TryLock(t.Context(), "upload-b", func() {})
	require.NoError(t, err)
	assert.True(t, ok, "another name is free")
	free()
	// Asking goes through the database to whoever holds the name; here the server passes it on.
	require.NoError(t, one.AskFor(t.Context(), "upload-a"))
	assert.EqualValues(t, 1, asked.Load())
	assert.False(t, two.Asked("upload-a"))
	unlock()
	unlock() // twice is once
	again, ok, err := two.TryLock(t.Context(), "upload-a", func() {})
	require.NoError(t, err)
	require.True(t, ok)
	again()
}

func TestALostSessionAsksEverybodyToLetGo(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	one, two := store.Locks(), store.Locks()
	defer one.Close()
	defer two.Close()
	lost := make(chan struct{}, 8)
	_, ok, err := one.TryLock(t.Context(), "upload-a", func() { lost <- struct{}{} })
	require.NoError(t, err)
	require.True(t, ok)
	// The database ends the session that holds the name, as a restart would.
	_, err = store.Pool().Exec(t.Context(), `
		select pg_terminate_backend(pid) from pg_locks join pg_database d on d.oid = database
		where locktype = 'advisory' and datname = current_database() and pid <> pg_backend_pid()`)
	require.NoError(t, err)
	select {
	case <-lost:
	case <-time.After(30 * time.Second):
		t.Fatal("nobody said that the name may be lost")
	}
	unlock, ok, err := two.TryLock(t.Context(), "upload-a", func() {})
	require.NoError(t, err)
	require.True(t, ok)
	unlock()
	unlock, ok, err = one.TryLock(t.Context(), "upload-a", func() {})
	require.NoError(t, err)
	require.True(t, ok, "it goes on in a new session")
	unlock()
}
