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
	// A page is 2.4 things of the sample, each of which stands for 50; by two standard
	// deviations and one more it is 7.
	const each, sure = 50, 7
	for _, c := range []struct {
		typed, why string
		query      studio.ItemQuery
		passed     int // things of the sample
		until      string
	}{
		{typed: "frame", why: "they come first", passed: sure, until: "frame_00006.exr"},
		{typed: "tak", why: "behind 20 000 frames", passed: 400 + sure, until: "take_00406.mov"},
		{typed: "tak", why: "from the other end they come first", query: studio.ItemQuery{Down: true}, passed: sure, until: "take_03993.mov"},
		{typed: "take", why: "the next page begins among them", query: studio.ItemQuery{After: &studio.ItemCursor{Value: "take_01000.mov"}}, passed: sure, until: "take_01007.mov"},
		{typed: "take rough", why: "every fourth is", passed: 400 + 4*(sure-1) + 1, until: "take_00424.mov"},
		{typed: "take longer than 2000 s", why: "its bounds count", passed: 2001 + sure, until: "take_02007.mov"},
		{typed: "take longer than 3994 s", why: "the sample ends before a page is sure", passed: 4000},
	} {
		p := planned(t, c.query, c.typed)
		assert.Equal(t, c.passed*each+120, p.walk, "%s: %s", c.typed, c.why)
		var until []byte
		if c.until != "" {
			until = naming.OrderKey(c.until)
		}
		assert.Equal(t, until, p.until, "%s: %s", c.typed, c.why)
	}
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
