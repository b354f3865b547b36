package follow_test

import (
	"fmt"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	reviewing "aftergust/internal/parts/review"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// takes lets a line have a part of an item's current version.
func takes(t *testing.T, h *apptest.House, l pack.Line, version string, size, upto int64) {
	t.Helper()
	e := h.Enter(l, "one")
	require.NoError(t, h.Receive.Visited(t.Context(), e, "Europe/London"))
	h.Receive.Recorder.Delivered(e.Delivery(version, size), coverage.Range{End: upto})
	require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
}

func TestTheStoryIsThatOfOnePackageAndNoOther(t *testing.T) {
	h := apptest.Build(t, pg)
	item, their := h.File(h.Mara, "", "a.mov", "0123456789"), h.File(h.Odd, "", "b.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	second, others := h.Sent(h.Mara, []string{item.ID}, "tove@kelpwick.example")
	third, strangers := h.Sent(h.Odd, []string{their.ID}, "oda@northmoor.example")
	takes(t, h, lines[0], item.VersionID, 10, 10)
	takes(t, h, others[0], item.VersionID, 10, 10)
	takes(t, h, strangers[0], their.VersionID, 10, 10)
	story := func(m account.Member, parcel string) (said []string) {
		t.Helper()
		events, err := h.Follow.Story(t.Context(), m, parcel, follow.Moment{}, 100)
		require.NoError(t, err)
		for _, e := range events {
			assert.Equal(t, parcel, e.ParcelID)
			assert.Equal(t, m.StudioID, e.StudioID)
			said = append(said, e.Say())
		}
		return said
	}
	assert.Equal(t, []string{"Hanne has everything.", "Hanne has a.mov to the last byte, 10 bytes.", "Hanne opened it."}, story(h.Mara, p.ID)[:3])
	assert.Len(t, story(h.Mara, p.ID), 4)
	assert.Equal(t, "Tove opened it.", story(h.Mara, second.ID)[2])
	assert.Equal(t, "Oda opened it.", story(h.Odd, third.ID)[2])
	_, err := h.Follow.Story(t.Context(), h.Odd, p.ID, follow.Moment{}, 100)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Follow.Ledger(t.Context(), h.Odd, p.ID, pack.Place{})
	assert.Equal(t, "not_found", apptest.Code(t, err))
}

func TestPagesOfTheStoryMeetWithoutGapOrOverlap(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	for range 9 {
		require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[0], "one"), ""))
	}
	whole, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	require.Len(t, whole, 10)
	var paged []int64
	var before follow.Moment
	for {
		page, err := h.Follow.Story(t.Context(), h.Mara, p.ID, before, 3)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, e := range page {
			paged = append(paged, e.ID)
		}
		before = follow.Moment{At: page[len(page)-1].At, ID: page[len(page)-1].ID}
	}
	require.Len(t, paged, 10)
	for i, e := range whole {
		assert.Equal(t, e.ID, paged[i])
	}
}

func TestARenameDoesNotRewriteWhatHappened(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "Hanne Orrick <hanne@kelpwick.example>")
	takes(t, h, lines[0], item.VersionID, 10, 10)
	_, err := h.Things.Rename(t.Context(), h.Mara, item.ID, "quite another.mov")
	require.NoError(t, err)
	name := "Somebody Else"
	_, err = h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Name: &name})
	require.NoError(t, err)
	title := "Another title"
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Title: &title})
	require.NoError(t, err)
	story, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	for _, e := range story {
		if e.Kind == event.Took {
			assert.Equal(t, "Hanne Orrick has a.mov to the last byte, 10 bytes.", e.Say())
			assert.Equal(t, "a", e.Facts.Title)
			assert.Equal(t, int64(10), e.Facts.Size)
		}
	}
}

func TestTheDeskShowsWhatIsOutWithWhatEachHasAndLacks(t *testing.T) {
	h := apptest.Build(t, pg)
	a, b := h.File(h.Mara, "", "a.mov", "0123456789"), h.File(h.Mara, "", "b.mov", "01234")
	p, lines := h.Sent(h.Mara, []string{a.ID, b.ID}, "hanne@kelpwick.example", "tove@kelpwick.example", "mirek@kelpwick.example")
	_, drafted := h.Draft(h.Mara, []string{a.ID}, "hanne@kelpwick.example")
	require.Len(t, drafted, 1)
	stopped, _ := h.Sent(h.Mara, []string{a.ID}, "hanne@kelpwick.example")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, stopped.ID))
	h.Sent(h.Odd, []string{h.File(h.Odd, "", "c.mov", "c").ID}, "hanne@kelpwick.example")
	takes(t, h, lines[0], a.VersionID, 10, 10)
	takes(t, h, lines[0], b.VersionID, 5, 5)
	takes(t, h, lines[1], a.VersionID, 10, 9)

	desk, err := h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, desk.Out, 1, "neither a draft, nor what was stopped, nor another studio's")
	row := desk.Out[0]
	assert.Equal(t, p.ID, row.Parcel.ID)
	require.Len(t, row.Strands, 3)
	sums := map[string]string{}
	for _, s := range row.Strands {
		sums[s.Line.Name] = fmt.Sprintf("%s %v", s.Sum().Status, s.Sum().Outstanding)
	}
	assert.Equal(t, map[string]string{"Hanne": "everything false", "Tove": "partly true", "Mirek": "not_opened true"}, sums)
	assert.EqualValues(t, 15, desk.Used, "bytes of this studio, each once")
	require.Len(t, desk.Freed, 1)
	assert.Equal(t, row.Parcel.EndsAt.Add(expiry.HoldAfterEnd), desk.Freed[0].At)
	assert.EqualValues(t, 15, desk.Freed[0].Bytes)
}

func TestTheDeskSaysWhatNeedsAnAnswerUntilItHasOne(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	inside, err := h.Receive.Inside(t.Context(), h.Enter(lines[0], "one"), pack.Place{})
	require.NoError(t, err)
	needs := func(m account.Member) (out []string) {
		desk, err := h.Follow.Desk(t.Context(), m)
		require.NoError(t, err)
		for _, n := range desk.Needs {
			if n.Kind != follow.NeedLetters { // nobody hands letters over here
				out = append(out, fmt.Sprintf("%s %s %d", n.Kind, n.Line, n.Count))
			}
		}
		return out
	}
	assert.Empty(t, needs(h.Mara))
	note, err := h.Review.Write(t.Context(), reviewing.Guest(h.Enter(lines[0], "one")), inside.Contents[0].ID, reviewing.Draft{Body: "Louder here."})
	require.NoError(t, err)
	assert.Equal(t, []string{"notes  1"}, needs(h.Mara))
	require.NoError(t, h.Review.SetDone(t.Context(), reviewing.Studio(h.Mara), note.ID, true))
	assert.Empty(t, needs(h.Mara))
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	require.NoError(t, h.Receive.Ask(t.Context(), h.Enter(lines[0], "one"), "", "Please."))
	assert.Equal(t, []string{"asked Hanne 1"}, needs(h.Mara))
	assert.Empty(t, needs(h.Odd), "another studio hears of none of it")
	h.Wait(time.Hour)
	require.NoError(t, h.Pack.Extend(t.Context(), h.Mara, p.ID, expiry.Rule{Kind: expiry.AfterDays, Days: 3, Zone: "Europe/London"}))
	assert.Empty(t, needs(h.Mara), "it was answered")
}
