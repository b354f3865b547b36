package seen_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/core/media/viewing"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/seen"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A screening is a film of a hundred seconds that went to two people.
type screening struct {
	*apptest.House
	parcel      pack.Parcel
	version     string
	size        int64
	item        string
	hanne, ines receive.Entrant
}

func screen(t *testing.T) *screening {
	t.Helper()
	h := apptest.Build(t, pg)
	file := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{file.ID}, "hanne@kelpwick.example", "ines@kelpwick.example")
	s := &screening{
		House:   h,
		parcel:  p,
		version: file.VersionID,
		size:    file.Size,
		hanne:   h.Enter(lines[0], "one"),
		ines:    h.Enter(lines[1], "two"),
	}
	inside, err := h.Receive.Inside(t.Context(), s.hanne, pack.Place{})
	require.NoError(t, err)
	s.item = inside.Contents[0].ID
	require.NoError(t, previews.Rows{DB: h.Store}.SetMedia(t.Context(), file.VersionID,
		previews.Outcome{State: preview.Ready, Facts: &piece.Facts{LengthUS: 100_000_000}}))
	return s
}

func (s *screening) saw(t *testing.T, e receive.Entrant, key string, first int, at ...int64) string {
	t.Helper()
	sign := seen.Sign{Key: key, First: first}
	for i := 0; i < len(at); i += 2 {
		sign.Runs = append(sign.Runs, coverage.Range{Start: at[i], End: at[i+1]})
	}
	return apptest.Code(t, s.Seen.Saw(t.Context(), e, s.item, sign))
}

func (s *screening) of(t *testing.T) seen.Seen {
	t.Helper()
	of, err := s.Seen.Of(t.Context(), s.Mara, s.item)
	require.NoError(t, err)
	return of
}

func TestWhatSomebodySawIsACurveAndStandsInTheLedger(t *testing.T) {
	s := screen(t)
	assert.Empty(t, s.saw(t, s.hanne, "on-monday", 0, 0, 0))
	s.Wait(time.Minute)
	assert.Empty(t, s.saw(t, s.hanne, "on-monday", 0, 0, 40_000, 30_000, 35_000))
	assert.Empty(t, s.saw(t, s.hanne, "on-monday", 0, 0, 20_000), "a sign that is late takes nothing away")
	s.Wait(time.Hour)
	assert.Empty(t, s.saw(t, s.hanne, "on-tuesday", 0, 90_000, 95_000))
	s.Wait(time.Minute)
	assert.Empty(t, s.saw(t, s.hanne, "on-tuesday", 0, 90_000, 100_000))

	of := s.of(t)
	require.Len(t, of.People, 2)
	assert.EqualValues(t, 100_000, of.Length)
	require.Len(t, of.All, 100)
	hanne, ines := of.People[0], of.People[1]
	assert.Equal(t, "saw 0:50 of 1:40, came 2 times, went back 1 time", hanne.Says(of.Length, 0))
	assert.Equal(t, []viewing.Back{{From: 40_000, To: 30_000}}, hanne.Backs)
	assert.Equal(t, "has not looked at it yet", ines.Says(of.Length, 0))
	assert.Empty(t, of.Lefts, "the last time they came to the end")
	assert.Equal(t, viewing.Cell{Times: 2, People: 1}, of.All[32])
	assert.Equal(t, viewing.Cell{Times: 1, People: 1}, of.All[99])
	assert.Equal(t, viewing.Cell{}, of.All[60])
	assert.Equal(t, hanne.Curve, of.All)

	assert.Empty(t, s.saw(t, s.ines, "on-monday", 0, 30_000, 33_000), "the key of another's viewing is nobody else's")
	of = s.of(t)
	assert.Equal(t, viewing.Cell{Times: 3, People: 2}, of.All[31])
	assert.Equal(t, []int64{33_000}, of.Lefts)
	require.NoError(t, s.Receive.Recorder.Flush(t.Context()))
	l, err := s.Follow.Ledger(t.Context(), s.Mara, s.parcel.ID, pack.Place{})
	require.NoError(t, err)
	assert.Equal(t, "{[0,40000),[90000,100000)}", l.Rows[0].Cells[0].Played.String())
	_, err = s.Seen.Of(t.Context(), s.Odd, s.item)
	assert.Equal(t, "not_found", apptest.Code(t, err), "of another studio")
	_, err = s.Seen.Of(t.Context(), s.Mara, "nothing")
	assert.Equal(t, "not_found", apptest.Code(t, err))
}

func TestWhatSomebodyLookedAtIsForgottenAfterTwoYearsAndTheLedgerIsNot(t *testing.T) {
	s := screen(t)
	assert.Empty(t, s.saw(t, s.hanne, "long-ago", 0, 0, 0))
	s.Wait(time.Minute)
	assert.Empty(t, s.saw(t, s.hanne, "long-ago", 0, 0, 40_000))
	require.NoError(t, s.Receive.Recorder.Flush(t.Context()))
	began := s.Now().Add(-time.Minute)
	for _, at := range []struct {
		now  time.Time
		says string
	}{{began.Add(730*24*time.Hour - time.Second), "saw 0:40 of 1:40, left at 0:40"}, {began.Add(730*24*time.Hour + time.Second), "has not looked at it yet"}} {
		require.NoError(t, keep.Rows{DB: s.Store}.Sweep(t.Context(), at.now))
		assert.Equal(t, at.says, s.of(t).People[0].Says(100_000, 0))
	}
	l, err := s.Follow.Ledger(t.Context(), s.Mara, s.parcel.ID, pack.Place{})
	require.NoError(t, err)
	assert.Equal(t, "{[0,40000)}", l.Rows[0].Cells[0].Played.String())
}

func TestNobodySawMoreThanTimeAllows(t *testing.T) {
	s := screen(t)
	assert.Empty(t, s.saw(t, s.hanne, "all-at-once", 0, 0, 100_000))
	assert.Equal(t, "saw 0:10 of 1:40, left at 0:10", s.of(t).People[0].Says(100_000, 0))
	s.Wait(5 * time.Second)
	assert.Empty(t, s.saw(t, s.hanne, "all-at-once", 0, 0, 100_000))
	assert.Equal(t, "saw 0:30 of 1:40, left at 0:30", s.of(t).People[0].Says(100_000, 0), "four times as fast as it should, and not more")
	for _, key := range []string{"", "short-7", "with\x00nothing", "0123456789012345678901234567890123456789x"} {
		assert.Equal(t, "invalid", s.saw(t, s.hanne, key, 0, 0, 5000), "%q", key)
	}
	studio := s.ines
	studio.Studio = true
	assert.Empty(t, s.saw(t, studio, "a-shoulder", 0, 0, 5000))
	assert.Zero(t, s.of(t).People[1].Viewings, "the studio that looks over a shoulder leaves no trace")
}

func TestWhoMayNotSeeTellsNothing(t *testing.T) {
	s := screen(t)
	require.NoError(t, s.Pack.Stop(t.Context(), s.Mara, s.parcel.ID))
	e := s.Enter(s.hanne.Line, "one")
	assert.Equal(t, "stopped", s.saw(t, e, "too-late", 0, 0, 5000))
	assert.Equal(t, "stopped", apptest.Code(t, s.Seen.IsHere(t.Context(), e)))
	assert.Zero(t, s.of(t).People[0].Viewings)
	here, err := s.Seen.Now(t.Context(), s.Mara, "")
	require.NoError(t, err)
	assert.Empty(t, here)
}

func TestTheViewingsOfALinkAreBounded(t *testing.T) {
	s := screen(t)
	var all sync.WaitGroup
	for i := range 16 {
		all.Go(func() {
			for k := range 65 {
				assert.NoError(
					t,
					s.Seen.Saw(
						t.Context(),
						s.hanne,
						s.item,
						seen.Sign{Key: fmt.Sprintf("key-of-%d-%d", i, k), Runs: []coverage.Range{{End: 900}}},
					),
				)
			}
		})
	}
	all.Wait()
	n := s.of(t).People[0].Viewings
	assert.GreaterOrEqual(t, n, 1000)
	assert.Less(t, n, 1016, "those that began in the same instant may be a few more")
	assert.Empty(t, s.saw(t, s.hanne, "one-more", 0, 50_000, 55_000), "it counts in the ledger still")
	require.NoError(t, s.Receive.Recorder.Flush(t.Context()))
	l, err := s.Follow.Ledger(t.Context(), s.Mara, s.parcel.ID, pack.Place{})
	require.NoError(t, err)
	assert.Equal(t, "{[0,900),[50000,55000)}", l.Rows[0].Cells[0].Played.String())
}

func TestPagesCountForAsLongAsTheyWereInFront(t *testing.T) {
	s := screen(t)
	require.NoError(
		t,
		previews.Rows{DB: s.Store}.SetMedia(t.Context(), s.version, previews.Outcome{State: preview.Ready, Facts: &piece.Facts{Pages: 9}}),
	)
	for _, pages := range [][]int64{{4000}, {4000, 0, 5000}} {
		require.NoError(t, s.Seen.Saw(t.Context(), s.hanne, s.item, seen.Sign{Key: "leafing-through", Pages: pages, Place: 3}))
	}
	of := s.of(t)
	assert.Equal(t, []int64{4000, 0, 5000}, of.Pages)
	assert.Nil(t, of.All)
	assert.Equal(t, "had 2 of 9 pages in front for 0:09", of.People[0].Says(0, 9))
}

func TestWhoIsHereIsSaidWhileTheyAre(t *testing.T) {
	s := screen(t)
	now := func() (out []string) {
		here, err := s.Seen.Now(t.Context(), s.Mara, "")
		require.NoError(t, err)
		for _, p := range here {
			out = append(out, p.Name+" "+p.Says())
		}
		return out
	}
	assert.Empty(t, now())
	require.NoError(t, s.Seen.IsHere(t.Context(), s.hanne))
	assert.Equal(t, []string{"Hanne has the page open"}, now())
	require.NoError(t, s.Seen.Saw(t.Context(), s.hanne, s.item, seen.Sign{Key: "monday-one", Place: 63_000, Plays: true}))
	require.NoError(t, s.Seen.Saw(t.Context(), s.ines, s.item, seen.Sign{Key: "monday-two", Place: 1000}))
	assert.Equal(t, []string{"Hanne plays a.mov at 1:03", "Ines looks at a.mov"}, now(), "not besides that the page is open")
	s.Wait(14 * time.Second)
	assert.Equal(t, []string{"Hanne has the page open", "Ines looks at a.mov"}, now(), "who plays tells it more often")
	s.Wait(16 * time.Second)
	assert.Empty(t, now())

	big := int64(8_000_000)
	to := s.hanne.Delivery(s.version, big)
	for i := range int64(3) {
		s.Receive.Recorder.Delivered(to, coverage.Range{Start: i * 1_500_000, End: (i + 1) * 1_500_000})
		require.NoError(t, s.Receive.Recorder.Flush(t.Context()))
		s.Wait(time.Second)
	}
	here, err := s.Seen.Now(t.Context(), s.Mara, s.parcel.ID)
	require.NoError(t, err)
	require.Len(t, here, 1)
	assert.Equal(t, seen.Takes, here[0].Doing)
	assert.EqualValues(t, 4_500_000, here[0].Place)
	assert.EqualValues(t, 1_500_000, here[0].Rate)
	here[0].Size = big
	assert.Equal(t, "takes a.mov: 4.5 MB of 8.0 MB, 1.5 MB/s, done in 3 s", here[0].Says())
	here[0].Place = big
	assert.Equal(t, "has taken a.mov", here[0].Says())

	_, err = s.Seen.Now(t.Context(), s.Odd, s.parcel.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	others, err := s.Seen.Now(t.Context(), s.Odd, "")
	require.NoError(t, err)
	assert.Empty(t, others, "of another studio")
	s.Wait(4 * time.Second)
	assert.Empty(t, now())
	require.NoError(t, keep.Rows{DB: s.Store}.Sweep(t.Context(), s.Now()))
}
