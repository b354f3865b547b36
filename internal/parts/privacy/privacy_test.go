package privacy_test

import (
	"encoding/json"
	"testing"

	"aftergust/core/file/coverage"
	"aftergust/core/notes/review"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	reviewing "aftergust/internal/parts/review"
	"aftergust/internal/parts/seen"

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

// traces are what else tells who Hanne is: a link with her name, an entry in the guest book of
// somebody's link, what she wrote at a shut door, and a voice at her note.
func traces(t *testing.T, h *apptest.House, p pack.Parcel, lines []pack.Line) {
	t.Helper()
	for _, sql := range []string{
		`insert into link_name (name, line_id) select 'hanne-orrick-lifeboat', id from line where id = $1`,
		`insert into text_message (id, studio_id, line_id, number, created_at) select 't1', s.id, $1, '+44 20 7946 0000', now() from studio s limit 1`,
		`with c as (insert into card (studio_id, name, email, salt) select studio_id, 'H. Orrick', 'Hanne@kelpwick.example', salt from card
		    where id = (select card_id from line where id = $1) returning id)
		 insert into line (id, parcel_id, card_id, rights, guest_of) select 'guest', l.parcel_id, c.id, l.rights, l.id from line l, c where l.id = $1`,
		`insert into standing (line_id, parcel_id) select 'guest', parcel_id from line where id = $1`,
		`insert into attachment (id, parcel_id, note_id, kind, blob_id, mime, created_at) select 'voice', n.parcel_id, n.id, 'voice', v.blob_id,
		    'audio/mp4', now() from note n join version v on v.id = n.version_id where n.line_id = $1`,
	} {
		_, err := h.Store.Pool().Exec(t.Context(), sql, lines[0].ID)
		require.NoError(t, err, sql)
	}
	f, err := h.Privacy.File(t.Context(), h.Mara, lines[0].PersonID)
	require.NoError(t, err)
	assert.Equal(t, "+44 20 7946 0000", f.Texts[0].Number)
	assert.Equal(t, "hanne-orrick-lifeboat", f.LinkNames[0].Name)
	require.Len(t, f.Signed, 1)
	assert.Equal(t, "H. Orrick", f.Signed[0].Name)
}

func TestWhoeverIsErasedIsNowhereAndTheCountsAndTheChainHold(t *testing.T) {
	for what, chained := range map[string]bool{"chained before": true, "chained after": false} {
		h := apptest.Build(t, pg)
		p, lines := whole(t, h)
		second, again := h.Sent(h.Mara, []string{h.File(h.Mara, "", "b.mov", "x").ID}, "hanne@kelpwick.example")
		traces(t, h, p, lines)
		if chained {
			require.NoError(t, h.Proofs.LinkAll(t.Context()))
		}
		require.NoError(t, h.Privacy.Erase(t.Context(), h.Mara, lines[0].PersonID))
		require.NoError(t, h.Privacy.Erase(t.Context(), h.Mara, lines[0].PersonID), "twice is once")
		require.NoError(t, h.Proofs.LinkAll(t.Context()))

		var voices int
		require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from attachment where kind = 'voice'").Scan(&voices))
		assert.Zero(t, voices, "nobody hears her either")
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
