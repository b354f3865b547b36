package gather_test

import (
	"fmt"
	"strings"
	"testing"

	"aftergust/core/file/find"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/gather"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Reference program: PostgreSQL's ICU collation "en-u-kn", an implementation of
// natural order of its own.
func TestNamesSortAsICUSortsThem(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	studioID := shelf(t, store, 1)
	names := []string{"Zebra.mov", "apple 2.wav", "apple 10.wav", "Apple 3.wav", "émile.wav", "emu.wav", "Stills 2", "Stills", "stills 10b",
		"_notes.txt", "(draft) a.txt", "1 start.wav", "02 end.wav", "10 credits.wav",
		"cut_v2.mov", "cut_v10.mov", "cut-v3.mov", "harbour_17_take123.mov", "harbour_17_take99.mov", "harbour_9_take5.mov", "Ωmega.mov",
		"港 2.mov", "港 10.mov", "ß.txt", "straße 7.txt", "strasse 8.txt",
		"0.wav", "1.wav", "9.wav", "0", "9", "take 0.wav", "take 00b.wav", "take 1.wav", "take 10.wav", "take a.wav"}
	for i, name := range names {
		require.NoError(
			t,
			gather.ThingRows{
				DB: store,
			}.InsertItem(
				t.Context(),
				gather.Item{ID: fmt.Sprintf("n%02d", i), StudioID: studioID, PlaceID: "p", Kind: "file",
					Name: name},
			),
		)
	}
	_, err := store.Pool().Exec(t.Context(), "create collation icu_order (provider = icu, locale = 'en-u-kn')")
	require.NoError(t, err)
	read := func(order string) (out []string) {
		rows, err := store.Pool().Query(t.Context(), "select name from item where id like 'n%' order by "+order)
		require.NoError(t, err)
		for rows.Next() {
			var name string
			require.NoError(t, rows.Scan(&name))
			out = append(out, name)
		}
		return out
	}
	assert.Equal(t, read("name collate icu_order"), read("name_key"))
}

func TestPlacesAndItemsWithoutAKeyGetOne(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	shelf(t, store, 12)
	_, err := store.Pool().Exec(t.Context(), "update item set name_key = null; update place set name_key = null")
	require.NoError(t, err)
	require.NoError(t, gather.ThingRows{DB: store}.OrderNames(t.Context()))
	var without int
	require.NoError(t, store.Pool().QueryRow(t.Context(),
		"select (select count(*) from item where name_key is null) + (select count(*) from place where name_key is null)").Scan(&without))
	assert.Zero(t, without)
}

// An item with many words has none of them in the indexes by name.
func TestAWalkAlsoFindsWhatHasManyWords(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	studioID := shelf(t, store, 7000)
	_, err := store.Pool().Exec(t.Context(), "update item set search = search || $1 where id in ('i3', 'i77')",
		" longish"+strings.Repeat(" padding", 60))
	require.NoError(t, err)
	for typed, want := range map[string]string{"early": "i1 i2 i3 i4 i5", "longish": "i3 i77", "early longish": "i3 i77",
		"take over 2 bytes": "i3 i4 i5 i6 i7"} {
		page, err := gather.NewListRows(store).Items(
			t.Context(),
			gather.ItemQuery{Studio: studioID, Find: find.Parse(typed), Order: gather.ByName, Limit: 5},
		)
		require.NoError(t, err)
		ids := make([]string, len(page))
		for i, item := range page {
			ids[i] = item.ID
		}
		assert.Equal(t, want, strings.Join(ids, " "), typed)
	}
}
