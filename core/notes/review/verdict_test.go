package review_test

import (
	"testing"
	"time"

	. "aftergust/core/notes/review"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWhereARoundStands(t *testing.T) {
	both := []string{"v1", "v2"}
	hanne := Asked{"Hanne", map[string]Verdict{"v1": SignedOff, "v2": SignedOff}}
	anstey := Asked{"P. Anstey", map[string]Verdict{"v1": SignedOff, "old": ChangesWanted}}
	picky := Asked{"Tomos", map[string]Verdict{"v1": SignedOff, "v2": ChangesWanted}}
	for name, c := range map[string]struct {
		asked  []Asked
		closed bool
		state  RoundState
		says   string
	}{
		"nobody":   {nil, false, RoundOpen, "open; nobody is asked to sign off"},
		"all":      {[]Asked{hanne}, false, RoundSigned, "signed off"},
		"some":     {[]Asked{hanne, anstey, {Name: "Nell"}}, false, RoundOpen, "waits for P. Anstey and Nell"},
		"changes":  {[]Asked{hanne, picky}, false, RoundChanges, "changes wanted"},
		"closed":   {[]Asked{anstey}, true, RoundClosed, "closed"},
		"multiple": {[]Asked{{Name: "A"}, {Name: "B"}, {Name: "C"}, {Name: "D"}, {Name: "E"}}, false, RoundOpen, "waits for A, B, C and 2 others"},
	} {
		s := Stand(both, c.asked, c.closed)
		assert.Equal(t, []any{c.state, c.says}, []any{s.State, s.Says}, name)
	}
}

func TestARoundIsSignedOffOnlyWhenEverybodySignedEverything(t *testing.T) {
	verdicts := rapid.SampledFrom([]Verdict{SignedOff, ChangesWanted, ""})
	rapid.Check(t, func(t *rapid.T) {
		versions := []string{"a", "b", "c"}[:rapid.IntRange(1, 3).Draw(t, "versions")]
		var asked []Asked
		all := true
		for range rapid.IntRange(1, 4).Draw(t, "people") {
			one := Asked{Name: "x", Verdicts: map[string]Verdict{}}
			for _, v := range versions {
				if verdict := verdicts.Draw(t, v); verdict != "" {
					one.Verdicts[v] = verdict
				}
				all = all && one.Verdicts[v] == SignedOff
			}
			asked = append(asked, one)
		}
		s := Stand(versions, asked, false)
		assert.Equal(t, all, s.State == RoundSigned)
		assert.Equal(t, len(s.Waits) > 0, s.State == RoundOpen)
	})
}

func TestHowARoundIsCalledAndWhenItIsDue(t *testing.T) {
	assert.Equal(t, []string{"Round 2", "Round 2 of 3", "Round 4, 3 agreed"}, []string{RoundName(2, 0), RoundName(2, 3), RoundName(4, 3)})
	london, err := time.LoadLocation("Europe/London")
	assert.NoError(t, err)
	now := time.Date(2026, 11, 25, 23, 30, 0, 0, time.UTC)
	for text, at := range map[string]time.Time{
		"due today": now.Add(10 * time.Minute), "late since today": now.Add(-time.Hour), "due tomorrow": now.Add(time.Hour),
		"due Fri 27 Nov": now.Add(40 * time.Hour), "2 days late": now.Add(-48 * time.Hour), "1 day late": now.Add(-24 * time.Hour),
	} {
		assert.Equal(t, text, Due(&at, now, london))
	}
	assert.Empty(t, Due(nil, now, london))
}
