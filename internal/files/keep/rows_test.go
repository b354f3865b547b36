package keep_test

import (
	"testing"
	"time"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBytesAreMarkedBeforeTheyAreDeletedAndNeverWhileSomethingNeedsThem(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, _, _ := apptest.Parcel(t, store, 0, 10)
	ctx := t.Context()
	later := time.Now().Add(time.Hour)
	marked := func() []string {
		require.NoError(t, keep.Rows{DB: store}.MarkUnreferenced(ctx, later, time.Now()))
		ids, err := keep.Rows{DB: store}.MarkedBlobs(ctx, later, 10)
		require.NoError(t, err)
		return ids
	}
	assert.Empty(t, marked())
	_, err := store.Pool().Exec(ctx, `update parcel set sent_at = now() - interval '30 days', ends_at = now() - interval '20 days'
		where id = $1`, parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "it has ended, but its bytes are held")
	cleared, err := pack.Rows{DB: store}.ClearParcels(ctx, time.Now(), time.Now().Add(-14*24*time.Hour), 10)
	require.NoError(t, err)
	require.Len(t, cleared, 1)
	assert.Equal(t, "Lifeboat", cleared[0].Title)
	assert.Len(t, marked(), 1)
	_, err = store.Pool().Exec(ctx, "update parcel set cleared_at = null where id = $1", parcel)
	require.NoError(t, err)
	assert.Empty(t, marked(), "needed again before it was deleted: the mark goes")
}

// What holds a blob and is not known to the rules would lose it after an hour.
func TestTheBlobRulesKnowEveryTableThatCanHoldABlob(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	rows, err := store.Pool().Query(t.Context(), `
		select c.conrelid::regclass::text || '.' || a.attname from pg_constraint c
		join pg_attribute a on a.attrelid = c.conrelid and a.attnum = any(c.conkey)
		where c.contype = 'f' and c.confrelid = 'blob'::regclass`)
	require.NoError(t, err)
	schema, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.ElementsMatch(t, schema, keep.HoldersOfBlobs())
	// A column that is called like a reference is one.
	rows, err = store.Pool().Query(t.Context(), `
		select table_name || '.' || column_name from information_schema.columns where table_schema = 'public' and column_name like '%blob%'
		and column_name <> 'blob_id'`)
	require.NoError(t, err)
	strange, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Empty(t, strange)
}
