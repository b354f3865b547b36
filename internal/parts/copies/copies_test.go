package copies_test

import (
	"context"
	"io"
	"os"
	"syscall"
	"testing"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/piece"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func lying(t *testing.T, h *apptest.House, m account.Member, place string) []gather.Item {
	t.Helper()
	all, err := h.Things.Items(t.Context(), m, gather.ItemQuery{Place: place, Order: "name", Limit: 100})
	require.NoError(t, err)
	return all
}

func read(t *testing.T, h *apptest.House, blob string) string {
	t.Helper()
	f, err := h.Bytes.Open(t.Context(), blob, 0)
	require.NoError(t, err)
	defer f.Close()
	text, err := io.ReadAll(f)
	require.NoError(t, err)
	return string(text)
}

func inode(t *testing.T, h *apptest.House, blob string) uint64 {
	t.Helper()
	path, done, err := h.Bytes.Local(t.Context(), blob)
	require.NoError(t, err)
	defer done()
	info, err := os.Stat(path)
	require.NoError(t, err)
	return info.Sys().(*syscall.Stat_t).Ino
}

func TestWhoeverHasAStudioHereKeepsACopyAndNoBytesTravel(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick Harbour Museum", "Lifeboat")
	film := h.File(h.Mara, "", "lifeboat.mov", "the film")
	sheet, err := h.Things.NewThing(t.Context(), h.Mara, project.ID, thing.Sheet, "Hand-off", piece.Data{Text: "- [ ] Send the logo"})
	require.NoError(t, err)
	p, lines := h.Sent(h.Mara, []string{film.ID, sheet.ID}, "odd@kelpwick.example")
	odd := h.Enter(lines[0], "1")
	mine := h.Project(h.Odd, "Low Tide", "Taken over")

	n, err := h.Copies.Keep(t.Context(), odd, &h.Odd, mine.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	got := lying(t, h, h.Odd, mine.ID)
	require.Len(t, got, 2)
	kept := map[string]gather.Item{}
	for _, i := range got {
		kept[i.Name] = i
	}
	assert.Equal(t, "the film", read(t, h, kept["lifeboat.mov"].BlobID))
	assert.NotEqual(t, film.BlobID, kept["lifeboat.mov"].BlobID, "each studio's bytes are its own")
	assert.Equal(t, inode(t, h, film.BlobID), inode(t, h, kept["lifeboat.mov"].BlobID), "and yet they lie there once")
	assert.Equal(t, thing.Sheet, kept["Hand-off"].Kind)
	assert.Equal(t, "- [ ] Send the logo", kept["Hand-off"].Data.Text)
	used, _, err := keep.Rows{DB: h.Store}.Usage(t.Context(), h.Odd.StudioID)
	require.NoError(t, err)
	assert.Equal(t, film.Size+sheet.Size, used, "it weighs on the studio that keeps it")

	// What they keep they have, to the last byte, and the producer knows.
	require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
	rest, err := h.Receive.Rest(t.Context(), odd)
	require.NoError(t, err)
	assert.Empty(t, rest)
	story, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	said := []string{}
	for _, e := range story {
		if e.Kind == event.Kept {
			said = append(said, e.Say())
		}
	}
	assert.Equal(t, []string{lines[0].Name + " kept a copy of 2 items in a studio of their own."}, said)

	// Theirs outlives that of the sender, and the other way round.
	letGo, err := h.Chosen.Delete(t.Context(), h.Odd, gather.Selection{Items: []string{kept["lifeboat.mov"].ID}})
	require.NoError(t, err)
	require.NoError(t, h.Chosen.Forget(t.Context(), h.Odd, letGo.ID))
	for range 3 {
		h.Wait(expiry.ClearingGrace + time.Minute)
		require.NoError(t, h.Keep.Clear(t.Context()))
	}
	assert.Equal(t, "the film", read(t, h, film.BlobID))
	_, err = h.Bytes.Open(t.Context(), kept["lifeboat.mov"].BlobID, 0)
	require.Error(t, err, "the copy is gone")
}

func TestACopyIsKeptByThoseWhoMayTakeAndWhereThereIsAStudioAndRoom(t *testing.T) {
	h := apptest.Build(t, pg)
	film, second := h.File(h.Mara, "", "lifeboat.mov", "the film"), h.File(h.Mara, "", "teaser.mov", "teaser")
	p, lines := h.Sent(h.Mara, []string{film.ID, second.ID}, "odd@kelpwick.example", "tove@kelpwick.example")
	other, _ := h.Sent(h.Mara, []string{second.ID}, "odd@kelpwick.example")
	see := right.Rights{right.See}
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[1].ID, pack.LineEdit{Rights: &see})
	require.NoError(t, err)
	odd, tove := h.Enter(lines[0], "1"), h.Enter(lines[1], "1")
	mine, theirs := h.Project(h.Odd, "Low Tide", "Taken over"), h.Project(h.Mara, "Kelpwick", "Lifeboat")
	client, err := h.Places.PlaceOf(t.Context(), h.Odd, mine.ParentID)
	require.NoError(t, err)
	contents := func(id string) []pack.Content {
		all, err := pack.ContentRows{DB: h.Store}.Contents(t.Context(), id, pack.Place{}, 10)
		require.NoError(t, err)
		return all
	}
	keep := func(m *account.Member, at string, items ...string) string {
		_, err := h.Copies.Keep(t.Context(), odd, m, at, items)
		return apptest.Code(t, err)
	}
	assert.Equal(t, "no_studio", keep(nil, mine.ID))
	assert.Equal(t, "own_things", keep(&h.Mara, theirs.ID))
	assert.Equal(t, "not_found", keep(&h.Odd, theirs.ID), "a project of another studio")
	assert.Equal(t, "needs_project", keep(&h.Odd, client.ID))
	assert.Equal(t, "not_found", keep(&h.Odd, mine.ID, contents(other.ID)[0].ID), "an item of another package")
	_, err = h.Copies.Keep(t.Context(), tove, &h.Odd, mine.ID, nil)
	assert.Equal(t, "no_right", apptest.Code(t, err))
	_, err = h.Store.Pool().Exec(t.Context(), "update studio set quota_bytes = 5 where id = $1", h.Odd.StudioID)
	require.NoError(t, err)
	assert.Equal(t, "no_space", keep(&h.Odd, mine.ID))
	assert.Empty(t, lying(t, h, h.Odd, mine.ID))
	_, err = h.Store.Pool().Exec(t.Context(), "update studio set quota_bytes = 1000000 where id = $1", h.Odd.StudioID)
	require.NoError(t, err)
	one := contents(p.ID)[1].ID
	two := contents(p.ID)[0].ID
	assert.Empty(t, keep(&h.Odd, mine.ID, one, two, one))
	require.Len(t, lying(t, h, h.Odd, mine.ID), 2, "what was chosen twice is kept once")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	odd = h.Enter(lines[0], "1")
	assert.Equal(t, "stopped", keep(&h.Odd, mine.ID))
}

// A process that dies between the bytes and the records leaves nothing behind.
func TestACopyThatIsBrokenOffIsNotThereAndItsBytesAreCleared(t *testing.T) {
	h := apptest.Build(t, pg)
	film := h.File(h.Mara, "", "lifeboat.mov", "the film")
	_, lines := h.Sent(h.Mara, []string{film.ID}, "odd@kelpwick.example")
	mine := h.Project(h.Odd, "Low Tide", "Taken over")
	_, err := h.Store.Pool().Exec(t.Context(), "alter table version add constraint broken check (number < 1 or added_by <> '"+h.Odd.ID+"')")
	require.NoError(t, err)
	_, err = h.Copies.Keep(t.Context(), h.Enter(lines[0], "1"), &h.Odd, mine.ID, nil)
	require.Error(t, err)
	assert.Empty(t, lying(t, h, h.Odd, mine.ID))
	require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
	rest, err := h.Receive.Rest(t.Context(), h.Enter(lines[0], "1"))
	require.NoError(t, err)
	assert.Len(t, rest, 1, "and nobody says that they have it")
	blobs := func() (n int) {
		require.NoError(t, h.Store.Pool().QueryRow(context.Background(), "select count(*) from blob where studio_id = $1 and deleted_at is null", h.Odd.StudioID).Scan(&n))
		return n
	}
	assert.Equal(t, 1, blobs())
	for range 3 {
		h.Wait(expiry.ClearingGrace + time.Minute)
		require.NoError(t, h.Keep.Clear(t.Context()))
	}
	assert.Equal(t, 0, blobs())
	assert.Equal(t, "the film", read(t, h, film.BlobID))
}
