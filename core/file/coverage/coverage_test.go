package coverage_test

import (
	"math/rand/v2"
	"testing"

	. "aftergust/core/file/coverage"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func draw(t *rapid.T, name string) []Range {
	return rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Range {
		start := rapid.Int64Range(0, 60).Draw(t, "start")
		return Range{start, start + rapid.Int64Range(0, 12).Draw(t, "length")}
	}), 0, 20).Draw(t, name)
}

func TestTouchingAndOverlappingRangesBecomeOne(t *testing.T) {
	assert.Equal(t, []Range{{0, 10}, {20, 30}}, Of(Range{5, 10}, Range{20, 30}, Range{0, 5}, Range{7, 9}, Range{4, 4}).Ranges())
	assert.Equal(t, []Range{{0, 10}}, Of(Range{0, 4}).Add(Range{4, 10}).Ranges())
	assert.Equal(t, []Range{{0, 4}, {6, 10}}, Of(Range{6, 10}).Add(Range{0, 4}).Ranges())
}

func TestGapsAreWhatIsMissing(t *testing.T) {
	s := Of(Range{10, 20}, Range{30, 40})
	assert.Equal(t, []Range{{0, 10}, {20, 30}, {40, 50}}, s.Gaps(Range{0, 50}))
	assert.Equal(t, []Range{{20, 30}}, s.Gaps(Range{12, 35}))
	assert.Empty(t, s.Gaps(Range{11, 19}))
	assert.False(t, s.Complete(40))
	assert.True(t, Of(Range{0, 40}).Complete(40))
	assert.False(t, Of(Range{0, 39}).Complete(40), "one byte short is not complete")
	assert.False(t, Set{}.Complete(0))
}

func TestUnionIsFreeOfOrderAndRepetition(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ranges := draw(t, "ranges")
		want := Of(ranges...)
		shuffled := append(append([]Range{}, ranges...), ranges...)
		rand.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		one := Set{}
		for _, r := range shuffled {
			one = one.Add(r)
		}
		require.Equal(t, want.String(), one.String())
		cut := rapid.IntRange(0, len(ranges)).Draw(t, "cut")
		require.Equal(t, want.String(), Of(ranges[:cut]...).Union(Of(ranges[cut:]...)).String())
	})
}

func TestASetHoldsExactlyTheUnitsPutIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ranges := draw(t, "ranges")
		set, units := Of(ranges...), map[int64]bool{}
		for _, r := range ranges {
			for i := r.Start; i < r.End; i++ {
				units[i] = true
			}
		}
		require.EqualValues(t, len(units), set.Len())
		for i := range int64(75) {
			require.Equal(t, units[i], set.Covers(Range{i, i + 1}))
		}
		whole := Range{0, 80}
		require.Equal(t, whole.Len(), set.Len()+Of(set.Gaps(whole)...).Len())
		back, err := Parse(set.String())
		require.NoError(t, err)
		require.Equal(t, set.String(), back.String())
	})
}

func TestAddLeavesTheOldSetAsItWas(t *testing.T) {
	old := Of(Range{0, 5})
	_ = old.Add(Range{5, 9})
	assert.Equal(t, "{[0,5)}", old.String())
}

func TestParseRefusesOtherText(t *testing.T) {
	for _, text := range []string{"", "{", "[0,5)", "{[0,5]", "{[a,5)}", "{(,5)}", "{[0;5)}"} {
		_, err := Parse(text)
		assert.ErrorIs(t, err, ErrSyntax, text)
	}
}

func TestARangeJoinsOnlyWhatItTouches(t *testing.T) {
	for _, c := range []struct {
		have Set
		add  Range
		want string
	}{
		{Of(Range{Start: 5, End: 8}), Range{Start: 5, End: 6}, "{[5,8)}"},
		{Of(Range{Start: 5, End: 8}), Range{Start: 8, End: 9}, "{[5,9)}"},
		{Of(Range{Start: 5, End: 8}), Range{Start: 9, End: 10}, "{[5,8),[9,10)}"},
		{Of(Range{Start: 5, End: 8}), Range{Start: 1, End: 4}, "{[1,4),[5,8)}"},
		{Of(Range{Start: 0, End: 2}, Range{Start: 5, End: 8}), Range{Start: 1, End: 9}, "{[0,9)}"},
		{Of(Range{Start: 5, End: 8}), Range{Start: 7, End: 7}, "{[5,8)}"},
		{Set{}, Range{Start: 0, End: 1}, "{[0,1)}"},
	} {
		before := c.have.String()
		assert.Equal(t, c.want, c.have.Add(c.add).String())
		assert.Equal(t, before, c.have.String(), "a set never changes")
	}
	assert.Equal(t, "{[1,2),[3,4)}", Of(Range{Start: 3, End: 4}, Range{Start: 1, End: 2}, Range{Start: 9, End: 9}).String())
}

func TestWhatIsNoListOfRangesIsRefused(t *testing.T) {
	for _, text := range []string{"", "{", "[1,2)", "{1,2)}", "{[1 2)}", "{[a,2)}", "{[1,b)}", "{[1,2),3,4)}"} {
		_, err := Parse(text)
		assert.ErrorIs(t, err, ErrSyntax, text)
	}
}

// A thousand parts that grow at once, and whatever else comes in any order, give what Of gives.
func TestWhatIsGatheredInAnyOrderIsTheSameSet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var g Gathering
		var all []Range
		parts := rapid.IntRange(1, 3000).Draw(t, "parts")
		seed := rapid.Uint64().Draw(t, "seed")
		rng := rand.New(rand.NewPCG(seed, 1))
		for range 4000 {
			start := int64(rng.IntN(parts))*1000 + int64(rng.IntN(4))*100
			r := Range{start, start + int64(rng.IntN(120))}
			all = append(all, r)
			g.Add(r)
		}
		require.Equal(t, Of(all...).String(), g.Set().String())
		require.Equal(t, Of(all...).String(), g.Set().String(), "asking changes nothing")
	})
}

func TestNothingGatheredIsTheEmptySet(t *testing.T) {
	var g Gathering
	g.Add(Range{5, 5})
	assert.True(t, g.Set().Empty())
	for n := range int64(1024 + 2) { // over the bound at which they are merged
		g.Add(Range{3 * n, 3*n + 1})
	}
	assert.Len(t, g.Set().Ranges(), 1026)
}

func TestReceiptsThatGotLostAreFewAndTheRestIsNot(t *testing.T) {
	const mib = 1 << 20
	for name, c := range map[string]struct {
		had  Set
		size int64
		gaps []Range
		ok   bool
	}{
		"all of it was acknowledged":    {Of(Range{0, 100}), 100, nil, false},
		"nothing was":                   {Set{}, 100, []Range{{0, 100}}, false},
		"nothing of an empty file":      {Set{}, 0, nil, false},
		"half of a small file":          {Of(Range{0, 50}), 100, []Range{{50, 100}}, true},
		"less than half":                {Of(Range{0, 49}), 100, []Range{{49, 100}}, false},
		"a second of a film":            {Of(Range{0, 40 * mib}, Range{44 * mib, 60 * mib}), 60 * mib, []Range{{40 * mib, 44 * mib}}, true},
		"more than was under way":       {Of(Range{0, 60 * mib}), 77 * mib, []Range{{60 * mib, 77 * mib}}, false},
		"a tenth of a large file":       {Of(Range{0, 900 * mib}), 1000 * mib, []Range{{900 * mib, 1000 * mib}}, true},
		"a gap too many":                {Of(Range{0, 450 * mib}, Range{500 * mib, 949 * mib}), 1000 * mib, []Range{{450 * mib, 500 * mib}, {949 * mib, 1000 * mib}}, false},
		"what lies beyond it is no gap": {Of(Range{0, 90}, Range{100, 300}), 100, []Range{{90, 100}}, true},
	} {
		gaps, ok := c.had.Unheard(c.size)
		assert.Equal(t, c.ok, ok, name)
		assert.Equal(t, c.gaps, gaps, name)
	}
}
