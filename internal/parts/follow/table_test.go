package follow_test

import (
	"fmt"
	"testing"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// titles are those of a whole table, page by page.
func titles(t *testing.T, h *apptest.House, m account.Member, q follow.Query, page int) (all []string) {
	t.Helper()
	for {
		rows, err := h.Follow.Table(t.Context(), m, q, page)
		require.NoError(t, err)
		for _, row := range rows {
			all = append(all, row.Parcel.Title)
		}
		if len(rows) < page {
			return all
		}
		q.After = rows[len(rows)-1].Parcel.ID
	}
}

// named sends a package with a title, of a size, for some days.
func named(t *testing.T, h *apptest.House, title string, size, days int, address string) (pack.Parcel, []pack.Line) {
	t.Helper()
	item := h.File(h.Mara, "", title+".mov", fmt.Sprintf("%0*d", size, 0))
	p, lines := h.Draft(h.Mara, []string{item.ID}, address)
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Title: &title,
		EndRule: &expiry.Rule{Kind: expiry.AfterDays, Days: days, Zone: "Europe/London"}})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	h.Wait(time.Minute)
	if title == "Teaser" { // Tove has it all
		takes(t, h, lines[0], item.VersionID, int64(size), int64(size))
	}
	return p, lines
}

func TestTheTableIsFilteredFoundAndOrdered(t *testing.T) {
	h := apptest.Build(t, pg)
	stopped, _ := named(t, h, "Brand kit", 30, 9, "hanne@kelpwick.example")
	_, _ = named(t, h, "Teaser", 50, 1, "tove@northmoor.example")
	_, _ = named(t, h, "audio guide", 10, 20, "hanne@kelpwick.example")
	_, _ = named(t, h, "100 % wool", 20, 5, "bram@brindlefen.example")
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "Rushes.mov", "x").ID}, "late@kelpwick.example")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, stopped.ID))
	rushes, err := h.Pack.ParcelOf(t.Context(), h.Mara, draft.ID)
	require.NoError(t, err)

	for what, c := range map[string]struct {
		q    follow.Query
		want []string
	}{
		"newest":     {follow.Query{Filter: follow.AllOf, Order: follow.Newest}, []string{rushes.Title, "100 % wool", "audio guide", "Teaser", "Brand kit"}},
		"by end":     {follow.Query{Filter: follow.AllOf, Order: follow.Ends}, []string{"Brand kit", "Teaser", "100 % wool", "audio guide", rushes.Title}},
		"by title":   {follow.Query{Filter: follow.Open, Order: follow.Titles}, []string{"100 % wool", "audio guide", "Teaser"}},
		"by weight":  {follow.Query{Filter: follow.AllOf, Order: follow.Weight}, []string{"Teaser", "Brand kit", "100 % wool", "audio guide", rushes.Title}},
		"soon":       {follow.Query{Filter: follow.Soon, Order: follow.Newest}, []string{"Teaser"}},
		"lacking":    {follow.Query{Filter: follow.Lacking, Order: follow.Ends}, []string{"100 % wool", "audio guide"}},
		"shut":       {follow.Query{Filter: follow.Shut, Order: follow.Newest}, []string{"Brand kit"}},
		"drafts":     {follow.Query{Filter: follow.Drafts, Order: follow.Newest}, []string{rushes.Title}},
		"cleared":    {follow.Query{Filter: follow.Cleared, Order: follow.Newest}, nil},
		"a person":   {follow.Query{Filter: follow.AllOf, Order: follow.Ends, Words: []string{"HANNE"}}, []string{"Brand kit", "audio guide"}},
		"both words": {follow.Query{Filter: follow.AllOf, Order: follow.Ends, Words: []string{"kelpwick", "guide"}}, []string{"audio guide"}},
		"a percent":  {follow.Query{Filter: follow.AllOf, Order: follow.Ends, Words: []string{"%"}}, []string{"100 % wool"}},
		"a line":     {follow.Query{Filter: follow.AllOf, Order: follow.Ends, Words: []string{"w_ol"}}, nil},
		"nothing":    {follow.Query{Filter: follow.AllOf, Order: follow.Ends, Words: []string{"zeppelin"}}, nil},
	} {
		for _, page := range []int{1, 2, 50} {
			assert.Equal(t, c.want, titles(t, h, h.Mara, c.q, page), "%s, by %d", what, page)
		}
		assert.Empty(t, titles(t, h, h.Odd, c.q, 50), "another studio")
	}
	assert.Equal(t, "Teaser", titles(t, h, h.Mara, follow.Query{Filter: follow.AllOf, Order: follow.Seen}, 2)[0], "who gave a sign of life last")
	foreign := follow.Query{Filter: follow.AllOf, Order: follow.Newest, After: rushes.ID}
	_, err = h.Follow.Table(t.Context(), h.Odd, foreign, 50)
	assert.Equal(t, "invalid", apptest.Code(t, err), "the place in another studio's list is none")
}
