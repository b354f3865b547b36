package gather

import (
	"fmt"
	"testing"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/file/naming"
	"aftergust/core/file/thing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// of is a sample of 4000 of 200 000 things: 400 frames, then 3600 takes, of which
// every fourth is rough, every hundredth is final, and the last is the only master.
// They lie in five places by turns.
func of() *sample {
	s := &sample{read: time.Now(), things: 200_000}
	for i := range 4000 {
		name := fmt.Sprintf("frame_%05d.exr", i)
		words, what := " frame exr", "still"
		if i >= 400 {
			name = fmt.Sprintf("take_%05d.mov", i)
			words, what = " take mov", "film"
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
		s.some = append(s.some, sampled{NameKey: naming.OrderKey(name), PlaceID: fmt.Sprint("p", i%5), What: thing.What(what), Words: words,
			LengthUS: int64(i) * 1e6, Size: 1000})
	}
	return s
}

func planned(t *testing.T, q ItemQuery, typed string, places ...string) plan {
	var below map[string]bool
	if len(places) > 0 {
		below = map[string]bool{}
	}
	for _, id := range places {
		below[id] = true
	}
	q.Find, q.Limit = find.Parse(typed), 120
	if q.Order == "" {
		q.Order = ByName
	}
	p, err := of().plan(t.Context(), q, below)
	require.NoError(t, err)
	return p
}

func TestASearchForCommonThingsWalksAsFarAsTheSampleSaysTheyLie(t *testing.T) {
	t.Parallel()
	// A page is 2.4 things of the sample, each of which stands for 50; by four standard
	// deviations and two more it is 11.
	const each, sure = 50, 11
	for _, c := range []struct {
		typed, why string
		query      ItemQuery
		passed     int // things of the sample
		until      string
	}{
		{typed: "frame", why: "they come first", passed: sure, until: "frame_00010.exr"},
		{typed: "tak", why: "behind 20 000 frames", passed: 400 + sure, until: "take_00410.mov"},
		{typed: "tak", why: "from the other end they come first", query: ItemQuery{Down: true}, passed: sure, until: "take_03989.mov"},
		{typed: "take", why: "the next page begins among them", query: ItemQuery{After: &ItemCursor{Value: "take_01000.mov"}},
			passed: sure, until: "take_01011.mov"},
		{typed: "take rough", why: "every fourth is", passed: 400 + 4*(sure-1) + 1, until: "take_00440.mov"},
		{typed: "take longer than 2000 s", why: "its bounds count", passed: 2001 + sure, until: "take_02011.mov"},
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

func TestASearchBelowAPlaceLooksThroughItsNamesWhereThatIsShorter(t *testing.T) {
	t.Parallel()
	day := time.Now().Add(-24 * time.Hour)
	for _, c := range []struct {
		typed, why string
		query      ItemQuery
		below      []string
		want       bool
	}{
		{typed: "take", why: "a page is full soon", below: []string{"p1"}, want: true},
		{typed: "take rough", why: "every fourth is, in every place", below: []string{"p1", "p2"}, want: true},
		{typed: "master", why: "one is gathered sooner", below: []string{"p4"}},
		{typed: "final", why: "36 are gathered sooner than 800 are passed in vain", below: []string{"p1"}},
		{typed: "take", why: "the index by change is walked", query: ItemQuery{Order: ByChanged}, below: []string{"p1"}},
		{typed: "take", why: "of its kind", query: ItemQuery{What: []thing.What{"film"}}, below: []string{"p1"}, want: true},
		{typed: "take", why: "none is of its kind, and all would be looked at in vain", query: ItemQuery{What: []thing.What{"sound"}},
			below: []string{"p1"}},
		{typed: "take", why: "nobody knows how many have the tag", query: ItemQuery{Tag: "rough"}, below: []string{"p1"}},
		{typed: "take", why: "nobody knows how many are that new", query: ItemQuery{Since: day}, below: []string{"p1"}},
		{typed: "take", why: "a place without any", below: []string{"elsewhere"}, want: true},
	} {
		assert.Equal(t, c.want, planned(t, c.query, c.typed, c.below...).places, "%s: %s", c.typed, c.why)
	}
	many := make([]string, manyPlaces+1)
	for i := range many {
		many[i] = fmt.Sprint("p", i)
	}
	p := planned(t, ItemQuery{}, "take", many...)
	assert.False(t, p.places, "so many places are not looked through one by one")
	assert.Positive(t, p.walk)
	p = planned(t, ItemQuery{Order: BySize}, "take", "p4")
	assert.Equal(t, (400+5*11)*50+120, p.walk, "along an order of everything only every fifth lies there")
}

func TestASearchForRareThingsGathersThem(t *testing.T) {
	t.Parallel()
	for typed, want := range map[string]plan{
		"master":             {rare: []string{"master"}},
		"final take":         {rare: []string{"final"}, common: []string{"take"}},
		"final master rough": {rare: []string{"master", "final"}, common: []string{"rough"}},
		"unheard take":       {rare: []string{"unheard"}, common: []string{"take"}},
		"frame rough":        {rare: []string{"frame"}, common: []string{"rough"}},
	} {
		assert.Equal(t, want, planned(t, ItemQuery{}, typed), typed)
	}
	assert.Zero(t, planned(t, ItemQuery{Order: BySize}, "final").walk,
		"a row that must be read whole costs as much as one gathered")
}

func TestAnEmptySampleGathers(t *testing.T) {
	t.Parallel()
	p, err := (&sample{read: time.Now()}).plan(t.Context(), ItemQuery{Find: find.Parse("any thing"), Order: ByName, Limit: 120},
		nil)
	require.NoError(t, err)
	assert.Equal(t, plan{rare: []string{"thing"}, common: []string{"any"}}, p, "the longest word is most likely the rarest")
}
