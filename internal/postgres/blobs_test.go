package postgres_test

import (
	"sync/atomic"
	"testing"
	"time"

	"aftergust/internal/postgres"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What holds a blob and is not known to the rules would lose it after an hour.
func TestTheBlobRulesKnowEveryTableThatCanHoldABlob(t *testing.T) {
	t.Parallel()
	store := open(t)
	rows, err := store.Pool().Query(t.Context(), `
		select c.conrelid::regclass::text || '.' || a.attname from pg_constraint c
		join pg_attribute a on a.attrelid = c.conrelid and a.attnum = any(c.conkey)
		where c.contype = 'f' and c.confrelid = 'blob'::regclass`)
	require.NoError(t, err)
	schema, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.ElementsMatch(t, schema, postgres.HoldersOfBlobs())
	// A column that is called like a reference is one.
	rows, err = store.Pool().Query(t.Context(), `
		select table_name || '.' || column_name from information_schema.columns where table_schema = 'public' and column_name like '%blob%'
		and column_name <> 'blob_id'`)
	require.NoError(t, err)
	strange, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Empty(t, strange)
}

func TestANameIsHeldByOneProcessAndGivenBackWhenAskedFor(t *testing.T) {
	t.Parallel()
	store := open(t)
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
	store := open(t)
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
