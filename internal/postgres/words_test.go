package postgres

import (
	"fmt"
	"testing"
	"time"

	"aftergust/core/find"
	"aftergust/core/naming"
	"aftergust/internal/studio"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// of is a sample of 4000 of 200 000 things: 400 frames, then 3600 takes, of which
// every fourth is rough, every hundredth is final, and the last is the only master.
func of() *sample {
	s := &sample{read: time.Now(), things: 200_000}
	for i := range 4000 {
		name := fmt.Sprintf("frame_%05d.exr", i)
		words := " frame exr"
		if i >= 400 {
			name = fmt.Sprintf("take_%05d.mov", i)
			words = " take mov"
			if i%4 == 0 {
				words += " rough"
			}
			if i%100 == 0 {
				words += " final"
			}
		}
		if i == 3999 {
			words += " master"
		}
		s.some = append(s.some, sampled{NameKey: naming.OrderKey(name), Words: words, LengthUS: int64(i) * 1e6, Size: 1000})
	}
	return s
}

func planned(t *testing.T, q studio.ItemQuery, typed string) plan {
	q.Find, q.Limit = find.Parse(typed), 120
	if q.Order == "" {
		q.Order = studio.ByName
	}
	p, err := of().plan(t.Context(), q, q.Order == studio.ByName)
	require.NoError(t, err)
	return p
}

func TestASearchForCommonThingsWalksAsFarAsTheSampleSaysTheyLie(t *testing.T) {
	p := planned(t, studio.ItemQuery{}, "frame")
	assert.InDelta(t, walkLimit*150+120, p.walk, 60, "they come first: three of the sample stand for a page")
	p = planned(t, studio.ItemQuery{}, "tak")
	assert.InDelta(t, walkLimit*(400+3)*50+120, p.walk, 60, "behind 20 000 frames")
	p = planned(t, studio.ItemQuery{Down: true}, "tak")
	assert.InDelta(t, walkLimit*150+120, p.walk, 60, "from the other end they come first")
	p = planned(t, studio.ItemQuery{After: &studio.ItemCursor{Value: "take_01000.mov"}}, "take")
	assert.InDelta(t, walkLimit*150+120, p.walk, 60, "the next page begins among them")
	p = planned(t, studio.ItemQuery{}, "take rough")
	assert.InDelta(t, walkLimit*(400+9)*50+120, p.walk, 260)
	p = planned(t, studio.ItemQuery{}, "take longer than 2000 s")
	assert.InDelta(t, walkLimit*2004*50+120, p.walk, 60, "its bounds count")
}

func TestASearchForRareThingsGathersThem(t *testing.T) {
	for typed, want := range map[string]plan{
		"master":             {rare: []string{"master"}},
		"final take":         {rare: []string{"final"}, common: []string{"take"}},
		"final master rough": {rare: []string{"master", "final"}, common: []string{"rough"}},
		"unheard take":       {rare: []string{"unheard"}, common: []string{"take"}},
		"frame rough":        {rare: []string{"frame"}, common: []string{"rough"}},
	} {
		assert.Equal(t, want, planned(t, studio.ItemQuery{}, typed), typed)
	}
	assert.Zero(t, planned(t, studio.ItemQuery{Order: studio.BySize}, "final").walk, "a row that must be read whole costs as much as one gathered")
}

func TestAnEmptySampleGathers(t *testing.T) {
	p, err := (&sample{read: time.Now()}).plan(t.Context(), studio.ItemQuery{Find: find.Parse("any thing"), Order: studio.ByName, Limit: 120}, true)
	require.NoError(t, err)
	assert.Equal(t, plan{rare: []string{"thing"}, common: []string{"any"}}, p, "the longest word is most likely the rarest")
}
