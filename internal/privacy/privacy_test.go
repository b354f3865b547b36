package privacy_test

import (
	reviewing "aftergust/internal/review"

	"encoding/json"
	"testing"

	"aftergust/core/coverage"
	"aftergust/core/review"
	"aftergust/internal/apptest"
	"aftergust/internal/follow"
	"aftergust/internal/pack"
	"aftergust/internal/receive"
	"aftergust/internal/seen"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// whole is a package that Hanne took, and wrote a note on; and Tove did not.
func whole(t *testing.T, h *apptest.House) (pack.Parcel, []pack.Line) {
	t.Helper()
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "Hanne Orrick <hanne@kelpwick.example>", "tove@kelpwick.example")
	e := h.Enter(lines[0], "her laptop")
	require.NoError(t, h.Receive.Visited(t.Context(), e, "Europe/London"))
	h.Receive.Recorder.Delivered(receive.Delivery{Studio: h.Mara.StudioID, Parcel: p.ID, Line: lines[0].ID, Way: lines[0].WayID,
		Version: item.VersionID, Size: 10}, coverage.Range{End: 10})
	require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
	contents, err := h.Pack.Contents(t.Context(), h.Mara, p.ID, pack.Place{})
	require.NoError(t, err)
	require.NoError(t, h.Seen.Saw(t.Context(), e, contents[0].ID, seen.Sign{Key: "monday-morning", Pages: []int64{4000}}))
	_, err = h.Review.Write(t.Context(), reviewing.Guest(e), contents[0].ID, reviewing.Draft{Anchor: anchor(t), Body: "Louder at the end."})
	require.NoError(t, err)
	return p, lines
}

// anchor is a place on a whole item.
func anchor(t *testing.T) review.Anchor {
	t.Helper()
	var a review.Anchor
	require.NoError(t, json.Unmarshal([]byte(`{}`), &a))
	return a
}

func TestAllThatIsKeptOfSomebodyIsShown(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := whole(t, h)
	f, err := h.Privacy.File(t.Context(), h.Mara, lines[0].PersonID)
	require.NoError(t, err)
	assert.Equal(t, []string{"Hanne Orrick", "hanne@kelpwick.example", "Europe/London"}, []string{f.Name, f.Email, f.Zone})
	require.Len(t, f.Packages, 1)
	assert.Equal(t, p.Title, f.Packages[0].Title)
	assert.EqualValues(t, 10, f.Packages[0].Delivered)
	assert.Len(t, f.Letters, 1)
	require.Len(t, f.Notes, 1)
	assert.Equal(t, "Louder at the end.", f.Notes[0].Body)
	require.Len(t, f.Viewings, 1)
	assert.EqualValues(t, 4000, f.Viewings[0].Stayed)
	assert.Equal(t, 1, f.Devices)
	assert.GreaterOrEqual(t, len(f.Deeds), 3)
	text, err := json.Marshal(f)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "tove", "nothing of anybody else")

	_, err = h.Privacy.File(t.Context(), h.Odd, lines[0].PersonID)
	assert.Equal(t, "not_found", apptest.Code(t, err), "another studio")
	assert.Equal(t, "not_found", apptest.Code(t, h.Privacy.Erase(t.Context(), h.Odd, lines[0].PersonID)))
}

func TestWhoeverIsErasedIsNowhereAndTheCountsAndTheChainHold(t *testing.T) {
	for what, chained := range map[string]bool{"chained before": true, "chained after": false} {
		h := apptest.Build(t, pg)
		p, lines := whole(t, h)
		second, again := h.Sent(h.Mara, []string{h.File(h.Mara, "", "b.mov", "x").ID}, "hanne@kelpwick.example")
		if chained {
			require.NoError(t, h.Proofs.LinkAll(t.Context()))
		}
		require.NoError(t, h.Privacy.Erase(t.Context(), h.Mara, lines[0].PersonID))
		require.NoError(t, h.Privacy.Erase(t.Context(), h.Mara, lines[0].PersonID), "twice is once")
		require.NoError(t, h.Proofs.LinkAll(t.Context()))

		// Nobody finds her in any row of any table.
		rows, err := h.Store.Pool().Query(t.Context(), `select table_name from information_schema.tables where table_schema = 'public' and table_type = 'BASE TABLE'`)
		require.NoError(t, err)
		var tables []string
		for rows.Next() {
			var name string
			require.NoError(t, rows.Scan(&name))
			tables = append(tables, name)
		}
		for _, table := range tables {
			var n int
			require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from "+table+" x where x::text ilike '%hanne%' or x::text ilike '%orrick%'").Scan(&n))
			assert.Zero(t, n, "%s: %s", what, table)
		}
		ledger, err := h.Follow.Ledger(t.Context(), h.Mara, p.ID, pack.Place{})
		require.NoError(t, err)
		var delivered int64
		for _, row := range ledger.Rows {
			delivered += row.Delivered
		}
		assert.EqualValues(t, 10, delivered, "what was taken stays counted")
		story, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 100)
		require.NoError(t, err)
		said := ""
		for _, e := range story {
			said += e.Say() + "\n"
		}
		assert.Contains(t, said, "Somebody has a.mov to the last byte")
		_, err = h.Verifier.Verify(t.Context(), false, func(d follow.Difference) {
			assert.Fail(t, "the chain holds, and what is kept agrees with what it is made of", "%s: %v", what, d)
		})
		require.NoError(t, err)

		for _, l := range []pack.Line{lines[0], again[0]} {
			link := h.Pack.LinkURL(l)
			e, err := h.Receive.Enter(t.Context(), link[len("http://studio.example/r/"):], "d", nil)
			if err == nil {
				assert.NotEqual(t, "allowed", string(e.Standing(h.Now())), "her links are dead")
			}
		}
		_ = second
		// She may be met again, as somebody new.
		_, err = h.Pack.AddLine(t.Context(), h.Mara, p.ID, pack.Guest{Address: "hanne@kelpwick.example"})
		require.NoError(t, err)
		tove, err := h.Privacy.File(t.Context(), h.Mara, lines[1].PersonID)
		require.NoError(t, err)
		assert.Equal(t, "tove@kelpwick.example", tove.Email, "the others are as they were")
	}
}
