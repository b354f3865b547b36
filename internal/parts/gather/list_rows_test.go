package gather_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"aftergust/core/file/find"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shelf fills a studio with n items in one project, by plain SQL.
func shelf(t *testing.T, store *db.DB, n int) (studioID string) {
	t.Helper()
	ctx := t.Context()
	owner := account.Member{ID: ground.NewID(), StudioID: ground.NewID(), Name: "Marit Oyelaran", Email: "marit@lowtide.example",
		Role: "owner"}
	require.NoError(t, store.Tx(ctx, func(ctx context.Context) error {
		if err := (account.Rows{DB: store}).CreateStudio(ctx, owner.StudioID, "Low Tide Pictures", "Europe/London"); err != nil {
			return err
		}
		return account.Rows{DB: store}.CreateMember(ctx, owner)
	}))
	for _, sql := range []string{
		"insert into place (id, studio_id, kind, name, path) values ('c', $1, 'client', 'C', '/c/')",
		"insert into place (id, studio_id, parent_id, kind, name, path) values ('p', $1, 'c', 'project', 'P', '/c/p/')",
		fmt.Sprintf("insert into blob (id, studio_id, size, crc32) select 'b' || n, $1, n, n from generate_series(1, %d) n", n),
		fmt.Sprintf(`insert into item (id, studio_id, place_id, kind, name, what, size, length_us, search)
			select 'i' || n, $1, 'p', 'file', 'take ' || n, 'film', n, n, format('take %%s word%%s %%s', n, n %% 50, case when n > %d then 'late'
			    else 'early' end) from generate_series(1, %d) n`, n-30, n),
	} {
		_, err := store.Pool().Exec(ctx, sql, owner.StudioID)
		require.NoError(t, err)
	}
	for _, sql := range []string{
		`insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state) select 'v' || substr(id, 2), id, 1, name,
			'b' || substr(id, 2), 'film', 'video/mp4', 'none' from item`,
		"update item set current_version_id = 'v' || substr(id, 2)", "analyze item",
	} {
		_, err := store.Pool().Exec(ctx, sql)
		require.NoError(t, err)
	}
	require.NoError(t, gather.ThingRows{DB: store}.OrderNames(ctx))
	return owner.StudioID
}

// Whichever way a search goes (along the order, or by the index of words), its
// pages together are what a plain look at every row gives.
func TestASearchGivesTheSameWhicheverWayItGoes(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	const n = 7000 // more than one walk looks at
	studioID := shelf(t, store, n)
	for _, c := range []struct {
		typed string
		fits  func(i int) bool
	}{
		{"late", func(i int) bool { return i > n-30 }},                                                      // only behind the walk
		{"word7", func(i int) bool { return i%50 == 7 }},                                                    // some before it, some behind
		{"take late", func(i int) bool { return i > n-30 }},                                                 // a common word and a rare one
		{"tak earl 69", func(i int) bool { return i <= n-30 && strings.HasPrefix(fmt.Sprint(i), "69") }},    // beginnings
		{"early", func(i int) bool { return i <= n-30 }},                                                    // nearly all
		{"nothing", func(int) bool { return false }},                                                        // none
		{"late over 6990 bytes", func(i int) bool { return i > 6990 }},                                      // with a bound
		{"word1 shorter than 0.001 s", func(i int) bool { return (i%50 == 1 || i%50/10 == 1) && i < 1000 }}, // a bound and many words
	} {
		for _, down := range []bool{false, true} {
			var want, got []int
			for i := 1; i <= n; i++ {
				if c.fits(i) {
					want = append(want, i)
				}
			}
			if down {
				slices.Reverse(want)
			}
			var after *gather.ItemCursor
			for {
				page, err := gather.NewListRows(store).Items(
					t.Context(),
					gather.ItemQuery{Studio: studioID, Find: find.Parse(c.typed), Order: gather.ByName, Down: down,
						After: after, Limit: 70},
				)
				require.NoError(t, err, c.typed)
				for _, item := range page {
					var i int
					_, err := fmt.Sscanf(item.Name, "take %d", &i)
					require.NoError(t, err)
					got = append(got, i)
				}
				if len(page) < 70 {
					break
				}
				last := page[len(page)-1]
				after = &gather.ItemCursor{Value: last.Name, ID: last.ID}
			}
			assert.Equal(t, want, got, "%s, down %v", c.typed, down)
		}
	}
}
