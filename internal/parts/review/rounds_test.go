package review_test

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// signs lets the first person of the table sign off.
func (s *table) signs(t *testing.T) {
	t.Helper()
	may := right.Rights{right.See, right.Note, right.SignOff}
	_, err := s.Pack.ChangeLine(t.Context(), s.Mara, s.lines[0].ID, pack.LineEdit{Rights: &may})
	require.NoError(t, err)
	s.hanne = reviewing.Guest(s.Enter(s.lines[0], "1"))
}

func (s *table) decide(t *testing.T, line int, version string, v review.Verdict, words string) string {
	t.Helper()
	_, err := s.Rounds.SignOff(t.Context(), s.Enter(s.lines[line], "1"), s.content, version, v, words)
	return apptest.Code(t, err)
}

// Twenty requests at once put twenty events on the proof.
func TestWhoeverDecidesTheSameTwentyTimesHasDecidedOnce(t *testing.T) {
	s := sit(t)
	s.signs(t)
	version := s.room(t, s.marit).Content.VersionID
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() { assert.Empty(t, s.decide(t, 0, version, review.SignedOff, "Lovely.")) })
	}
	all.Wait()
	count := func() (events, kept int) {
		require.NoError(t, s.Store.Pool().QueryRow(t.Context(), `
			select (select count(*) from event where kind in ('signed_off', 'changes_wanted')), (select count(*) from sign_off)`).Scan(&events, &kept))
		return events, kept
	}
	events, kept := count()
	assert.Equal(t, [2]int{1, 1}, [2]int{events, kept})
	assert.Empty(t, s.decide(t, 0, version, review.ChangesWanted, "After all not."))
	assert.Empty(t, s.decide(t, 0, version, review.SignedOff, "Lovely."))
	events, kept = count()
	assert.Equal(t, [2]int{3, 3}, [2]int{events, kept}, "whoever thinks better of it, and again, has decided three times")
}

func (s *table) rounds(t *testing.T, p reviewing.Party) []reviewing.RoundNow {
	t.Helper()
	all, err := s.Rounds.Of(t.Context(), p, s.parcel.ID)
	require.NoError(t, err)
	return all
}

func TestASignOffIsOfAVersionAndItsRecordStays(t *testing.T) {
	s := sit(t)
	first := s.room(t, s.marit).Content.VersionID
	assert.Equal(t, "no_right", s.decide(t, 0, first, review.SignedOff, ""))
	s.signs(t)
	assert.Equal(t, "invalid", s.decide(t, 0, first, "perhaps", ""))
	assert.Equal(t, "newer_version", s.decide(t, 0, "another", review.SignedOff, ""))
	assert.Empty(t, s.decide(t, 0, first, review.ChangesWanted, " The flag. "))
	s.Wait(time.Minute)
	assert.Empty(t, s.decide(t, 0, first, review.SignedOff, ""))
	all, err := s.Rounds.SignOffs(t.Context(), s.marit, s.parcel.ID, "")
	require.NoError(t, err)
	require.Len(t, all, 2, "who thinks again decides again; nothing is overwritten")
	assert.Equal(t, []any{review.SignedOff, review.ChangesWanted, "The flag."}, []any{all[0].Verdict, all[1].Verdict, all[1].Body})
	story, err := s.Follow.Story(t.Context(), s.Mara, s.parcel.ID, follow.Moment{}, 10)
	require.NoError(t, err)
	assert.Equal(t, []event.Kind{event.SignedOff, event.ChangesWanted}, []event.Kind{story[0].Kind, story[1].Kind})
	assert.Equal(t, s.lines[0].Name+" wants changes of cut.mov: “The flag”.", story[1].Say())
	s.Wait(time.Hour)
	s.Again(s.Mara, s.item, "cut2.mov", "two")
	assert.Equal(t, "newer_version", s.decide(t, 0, first, review.SignedOff, ""), "a new version asks anew")
	_, err = s.Rounds.SignOffs(t.Context(), reviewing.Studio(s.Odd), s.parcel.ID, "")
	assert.Equal(t, "not_found", apptest.Code(t, err))
	require.NoError(t, s.Pack.Stop(t.Context(), s.Mara, s.parcel.ID))
	assert.Equal(t, "stopped", s.decide(t, 0, first, review.SignedOff, ""))
}

func TestARoundWaitsForThoseWhoAreAsked(t *testing.T) {
	s := sit(t)
	begin := func(p reviewing.Plan) string {
		_, err := s.Rounds.Begin(t.Context(), s.Mara, s.parcel.ID, p)
		return apptest.Code(t, err)
	}
	due := s.Now().Add(48 * time.Hour)
	assert.Equal(t, "invalid", begin(reviewing.Plan{Lines: []string{s.lines[0].ID}}), "she may not sign off yet")
	s.signs(t)
	past := s.Now().Add(-time.Hour)
	assert.Equal(t, "invalid", begin(reviewing.Plan{Due: &past}))
	assert.Equal(t, "not_found", begin(reviewing.Plan{Lines: []string{"nobody"}}))
	assert.Equal(t, "invalid", begin(reviewing.Plan{Items: []string{"nothing"}}))
	_, err := s.Rounds.Begin(t.Context(), s.Odd, s.parcel.ID, reviewing.Plan{})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	require.Empty(t, begin(reviewing.Plan{Due: &due, Lines: []string{s.lines[0].ID}, Message: "The opening is new."}))
	var letters int
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select count(*) from letter where kind = $1 and line_id = $2", letter.Round, s.lines[0].ID).Scan(&letters))
	assert.Equal(t, 1, letters)
	r := s.rounds(t, s.hanne)
	require.Len(t, r, 1)
	assert.Equal(t, []any{"Round 1", review.RoundOpen, "waits for " + s.lines[0].Name}, []any{r[0].Name, r[0].State, r[0].Says})
	version := s.room(t, s.marit).Content.VersionID
	require.Empty(t, s.decide(t, 0, version, review.ChangesWanted, "Not yet."))
	assert.Equal(t, review.RoundChanges, s.rounds(t, s.marit)[0].State)
	require.Empty(t, s.decide(t, 0, version, review.SignedOff, ""))
	assert.Equal(t, review.RoundSigned, s.rounds(t, s.marit)[0].State)
	require.Empty(t, begin(reviewing.Plan{}))
	r = s.rounds(t, s.marit)
	require.Len(t, r, 2)
	assert.Equal(t, []any{2, review.RoundOpen, review.RoundClosed}, []any{r[0].Number, r[0].State, r[1].State})
	require.NoError(t, s.Rounds.Close(t.Context(), s.Mara, s.parcel.ID))
	assert.Equal(t, review.RoundClosed, s.rounds(t, s.marit)[0].State)
	require.NoError(t, s.Pack.Stop(t.Context(), s.Mara, s.parcel.ID))
	assert.Equal(t, "not_open", begin(reviewing.Plan{}))
}

func TestRoundsCountInTheirProject(t *testing.T) {
	s := sit(t)
	project := s.Project(s.Mara, "Kelpwick Harbour Museum", "Lifeboat")
	one, two := s.File(s.Mara, project.ID, "one.mov", "1"), s.File(s.Mara, project.ID, "two.mov", "2")
	require.NoError(t, s.Rounds.Agree(t.Context(), s.Mara, project.ID, 2))
	assert.Equal(t, "not_found", apptest.Code(t, s.Rounds.Agree(t.Context(), s.Odd, project.ID, 5)))
	var names []string
	for _, item := range []string{one.ID, two.ID, one.ID} {
		p, _ := s.Sent(s.Mara, []string{item}, "hanne@kelpwick.example")
		_, err := s.Rounds.Begin(t.Context(), s.Mara, p.ID, reviewing.Plan{})
		require.NoError(t, err)
		all, err := s.Rounds.Of(t.Context(), s.marit, p.ID)
		require.NoError(t, err)
		names = append(names, all[0].Name)
	}
	assert.Equal(t, []string{"Round 1 of 2", "Round 2 of 2", "Round 3, 2 agreed"}, names)
}

func TestARoundOverAVeryLargePackageDropsNothing(t *testing.T) {
	h := apptest.Build(t, pg)
	var items []string
	for i := range 502 {
		items = append(items, h.File(h.Mara, "", fmt.Sprintf("%03d.wav", i), "take").ID)
	}
	p, _ := h.Sent(h.Mara, items, "hanne@kelpwick.example")
	_, err := h.Rounds.Begin(t.Context(), h.Mara, p.ID, reviewing.Plan{})
	assert.Equal(t, "too_many", apptest.Code(t, err))
	whole, err := h.Pack.Contents(t.Context(), h.Mara, p.ID, pack.Place{Position: 500})
	require.NoError(t, err)
	var last []string
	for _, c := range whole {
		last = append(last, c.ID)
	}
	require.NotEmpty(t, last)
	r, err := h.Rounds.Begin(t.Context(), h.Mara, p.ID, reviewing.Plan{Items: last})
	require.NoError(t, err)
	assert.Len(t, r.Versions, len(last))
}

func TestTwoWhoBeginARoundAtOnceBeginTwoAfterEachOther(t *testing.T) {
	s := sit(t)
	var all sync.WaitGroup
	for range 5 {
		all.Go(func() {
			_, err := s.Rounds.Begin(context.WithoutCancel(t.Context()), s.Mara, s.parcel.ID, reviewing.Plan{})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	r := s.rounds(t, s.marit)
	require.Len(t, r, 5)
	open := 0
	for _, one := range r {
		if one.State == review.RoundOpen {
			open++
		}
	}
	assert.Equal(t, []int{1, 5}, []int{open, r[0].Number})
}

func TestARoundIsSignedOffAsAWhole(t *testing.T) {
	s := sit(t)
	s.signs(t)
	project := s.Project(s.Mara, "Kelpwick Harbour Museum", "Lifeboat")
	one, two, three := s.File(s.Mara, project.ID, "one.mov", "1"), s.File(s.Mara, project.ID, "two.mov", "2"), s.File(s.Mara, project.ID, "three.mov", "3")
	p, lines := s.Sent(s.Mara, []string{one.ID, two.ID, three.ID}, "hanne@kelpwick.example")
	begin := func(items ...string) string {
		_, err := s.Rounds.Begin(t.Context(), s.Mara, p.ID, reviewing.Plan{Items: items})
		require.NoError(t, err)
		all, err := s.Rounds.Of(t.Context(), s.marit, p.ID)
		require.NoError(t, err)
		return all[0].ID
	}
	decide := func(round string, v review.Verdict) string {
		_, err := s.Rounds.SignOffRound(t.Context(), s.Enter(lines[0], "1"), round, v, "All of it.")
		return apptest.Code(t, err)
	}
	decided := func() map[string]review.Verdict {
		all, err := s.Rounds.SignOffs(t.Context(), s.marit, p.ID, "")
		require.NoError(t, err)
		out := map[string]review.Verdict{}
		for _, d := range all {
			assert.NotEmpty(t, d.Sum(), "each with the checksum of its version")
			if _, ok := out[d.ContentID]; !ok { // the last comes first
				out[d.ContentID] = d.Verdict
			}
		}
		return out
	}
	_, err := s.Store.Pool().Exec(t.Context(), "update blob set sha256 = sha256(convert_to(id, 'UTF8'))") // no jobs run here
	require.NoError(t, err)
	round := begin()
	assert.Equal(t, "no_right", decide(round, review.SignedOff))
	may := right.Rights{right.See, right.Note, right.SignOff}
	_, err = s.Pack.ChangeLine(t.Context(), s.Mara, lines[0].ID, pack.LineEdit{Rights: &may})
	require.NoError(t, err)
	assert.Equal(t, "invalid", decide(round, "perhaps"))
	assert.Equal(t, "round_closed", decide("another", review.SignedOff))
	elsewhere, err := s.Rounds.Begin(t.Context(), s.Mara, s.parcel.ID, reviewing.Plan{})
	require.NoError(t, err)
	assert.Equal(t, "round_closed", decide(elsewhere.ID, review.SignedOff), "the round of another package is none of theirs")
	assert.Empty(t, decided())

	contents, err := pack.ContentRows{DB: s.Store}.Contents(t.Context(), p.ID, pack.Place{}, 10)
	require.NoError(t, err)
	require.Len(t, contents, 3)
	assert.Empty(t, decide(round, review.SignedOff))
	assert.Len(t, decided(), 3)
	story, err := s.Follow.Story(t.Context(), s.Mara, p.ID, follow.Moment{}, 3)
	require.NoError(t, err)
	for _, e := range story {
		assert.Equal(t, event.SignedOff, e.Kind, "each of them is told, and goes on the proof")
	}

	second := begin(contents[0].ID, contents[1].ID)
	assert.Equal(t, "round_closed", decide(round, review.ChangesWanted), "the first is closed by the second")
	assert.Empty(t, decide(second, review.ChangesWanted))
	assert.Equal(t, map[string]review.Verdict{contents[0].ID: review.ChangesWanted, contents[1].ID: review.ChangesWanted,
		contents[2].ID: review.SignedOff}, decided(), "what the round does not bundle is as it was")

	s.Again(s.Mara, two.ID, "two b.mov", "2b")
	assert.Equal(t, "newer_version", decide(second, review.SignedOff))
	assert.Equal(t, review.ChangesWanted, decided()[contents[0].ID], "nothing was decided")
	require.NoError(t, s.Pack.RemoveItem(t.Context(), s.Mara, contents[1].ID))
	assert.Empty(t, decide(second, review.SignedOff), "what is not given any more does not stand in the way")
	assert.Equal(t, review.SignedOff, decided()[contents[0].ID])
	require.NoError(t, s.Rounds.Close(t.Context(), s.Mara, p.ID))
	assert.Equal(t, "round_closed", decide(second, review.SignedOff))
}
