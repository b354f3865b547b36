package align_test

import (
	"math/rand/v2"
	"testing"

	. "aftergust/core/media/align"
	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// reel is a film whose frames change as a moving picture does: some comparisons at a time,
// all of them at a cut.
func reel(seed uint64, frames int) []Print {
	r := rand.New(rand.NewPCG(seed, 1))
	p := Print{Across: r.Uint64(), Down: r.Uint64(), Y: uint8(40 + r.IntN(150)),
		U: uint8(100 + r.IntN(50)), V: uint8(100 + r.IntN(50)), Level: uint8(100 + r.IntN(60))}
	out := make([]Print, frames)
	for i := range out {
		if i%60 == 59 {
			p.Across, p.Down, p.Y = r.Uint64(), r.Uint64(), uint8(40+r.IntN(150))
		}
		p.Across ^= some(r, 3, 64)
		p.Down ^= some(r, 3, 63)
		out[i] = p
	}
	return out
}

// some are n bits, of so many.
func some(r *rand.Rand, n, of int) (set uint64) {
	for range n {
		set |= 1 << r.IntN(of)
	}
	return set
}

func film(prints ...[]Print) Film {
	f := Film{Rate: timecode.Rate25}
	for _, p := range prints {
		f.Prints = append(f.Prints, p...)
	}
	return f
}

// noisy is a film as another encoder leaves it.
func noisy(in []Print) []Print {
	r := rand.New(rand.NewPCG(77, 2))
	out := make([]Print, len(in))
	for i, p := range in {
		p.Across ^= some(r, 2, 64)
		p.Y += uint8(r.IntN(2))
		out[i] = p
	}
	return out
}

func TestTheSameAgainIsTheSame(t *testing.T) {
	a := reel(1, 500)
	for name, b := range map[string][]Print{"itself": a, "encoded anew": noisy(a)} {
		m := Compare(film(a), film(b))
		require.Len(t, m.Stretches, 1, name)
		assert.Equal(t, Stretch{Kind: Same, To: 500, OldEnd: 500}, m.Stretches[0], name)
	}
	m := Compare(film(a), film())
	assert.Equal(t, []Stretch{{Kind: Gone, OldEnd: 500}}, m.Stretches)
	m = Compare(film(), film(a))
	assert.Equal(t, []Stretch{{Kind: New, To: 500}}, m.Stretches)
	assert.Empty(t, Compare(film(), film()).Stretches)
}

func TestWhatIsAlteredIsPartedFromWhatIsNot(t *testing.T) {
	a := reel(2, 300)
	graded, mixed := noisy(a), noisy(a)
	for i := 100; i < 160; i++ {
		graded[i].Y += 30
		mixed[i].Level += 30
	}
	assert.Equal(t, []Stretch{{Kind: Same, To: 100, OldEnd: 100}, {Kind: Altered, From: 100, To: 160, Old: 100, OldEnd: 160},
		{Kind: Same, From: 160, To: 300, Old: 160, OldEnd: 300}}, Compare(film(a), film(graded)).Stretches)
	heard := Compare(film(a), film(mixed)).Stretches
	require.Len(t, heard, 3)
	assert.True(t, heard[1].Sound && heard[1].Kind == Altered)
}

// The same moments at another rate: 24 for 25 frames a second, each second as long as before.
func TestVersionsOfDifferentRatesAreComparedByTime(t *testing.T) {
	a := reel(3, 500)
	b := Film{Rate: timecode.Rate24}
	for i := range 480 {
		b.Prints = append(b.Prints, a[min(499, timecode.Rate25.NearestFrame(timecode.Rate24.Begin(timecode.Frame(i))))])
	}
	m := Compare(film(a), b)
	for _, f := range []timecode.Frame{0, 100, 250, 475} {
		now, s := m.Find(f)
		assert.Equal(t, Same, s.Kind)
		assert.InDelta(t, float64(f)*24/25, float64(now), 1.01)
	}
}

// Whatever is cut out, put in or put elsewhere: each frame of the newer version comes from
// where it came from, found or said to be new.
func TestAnyListOfEditsIsFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		scenes := rapid.IntRange(3, 6).Draw(t, "scenes")
		var old []Print
		starts := make([]int, scenes)
		for i := range scenes {
			starts[i] = len(old)
			old = append(old, reel(uint64(100+i), 90)...)
		}
		var now []Print
		var truth []int
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			if rapid.IntRange(0, 4).Draw(t, "new") == 0 {
				now = append(now, reel(rapid.Uint64Range(500, 600).Draw(t, "seed"), 50)...)
				for range 50 {
					truth = append(truth, -1)
				}
				continue
			}
			from := starts[rapid.IntRange(0, scenes-1).Draw(t, "scene")] + rapid.IntRange(0, 40).Draw(t, "from")
			for f := from; f < from+rapid.IntRange(30, 50).Draw(t, "long"); f++ {
				now, truth = append(now, old[f]), append(truth, f)
			}
		}
		m := Compare(film(old), film(noisy(now)))
		right, at := 0, timecode.Frame(0)
		for i, want := range truth {
			was, kept := m.Before(timecode.Frame(i))
			if kept == (want >= 0) && (want < 0 || max(was-timecode.Frame(want), timecode.Frame(want)-was) <= 1) {
				right++
			}
		}
		require.GreaterOrEqual(t, float64(right), 0.95*float64(len(truth)), "%v", m.Stretches)
		for _, s := range m.Stretches { // the stretches of the newer version lie side by side
			require.Equal(t, at, s.From)
			at = s.To
		}
		require.EqualValues(t, len(now), at)
	})
}

func TestFindAndBeforeAreEachOthersWayBack(t *testing.T) {
	a := reel(4, 400)
	b := film(a[50:150], reel(5, 40), a[150:300], a[320:])
	m := Compare(film(a), b)
	for f := range timecode.Frame(400) {
		now, s := m.Find(f)
		if s.Kind == Gone {
			continue
		}
		was, kept := m.Before(now)
		assert.True(t, kept)
		assert.Equal(t, f, was)
	}
	now, s := m.Find(10)
	assert.Equal(t, []any{timecode.Frame(0), Gone}, []any{now, s.Kind})
	now, s = m.Find(310)
	assert.Equal(t, []any{timecode.Frame(290), Gone}, []any{now, s.Kind}, "where it was")
	now, _ = m.Find(9999)
	assert.Less(t, now, timecode.Frame(len(b.Prints)))
	_, kept := m.Before(110)
	assert.False(t, kept)
}

// From the first version to the third by way of the second is where going at once leads.
func TestMapsFollowEachOther(t *testing.T) {
	one := reel(6, 400)
	two := append(append(append([]Print{}, one[:100]...), reel(7, 60)...), one[140:]...)
	three := append(append([]Print{}, two[30:200]...), noisy(two[230:])...)
	through := Compare(film(one), film(two)).Then(Compare(film(two), film(three)))
	direct := Compare(film(one), film(three))
	assert.Equal(t, direct.OldFrames, through.OldFrames)
	for f := range timecode.Frame(400) {
		a, sa := through.Find(f)
		b, sb := direct.Find(f)
		assert.Equal(t, b, a, "frame %d", f)
		assert.Equal(t, sb.Kind, sa.Kind, "frame %d", f)
	}
}

// A shot that hardly moves resembles itself a little later: that is no reason to think that it was put there.
func TestWhatOnlyResemblesWhatStayedIsNew(t *testing.T) {
	slow, r := make([]Print, 600), rand.New(rand.NewPCG(20, 3))
	p := reel(20, 1)[0]
	for i := range slow {
		if i%3 == 0 {
			p.Across, p.Down = p.Across^some(r, 1, 64), p.Down^some(r, 1, 63)
		}
		slow[i] = p
	}
	m := Compare(film(slow[150:]), film(slow))
	assert.Equal(t, []Kind{New, Same}, []Kind{m.Stretches[0].Kind, m.Stretches[1].Kind}, "%v", m.Stretches)
	assert.InDelta(t, 150, int(m.Stretches[0].To), 1)
	again := Compare(film(slow), film(slow, slow[200:300]))
	assert.Equal(t, Moved, again.Stretches[len(again.Stretches)-1].Kind, "%v", again.Stretches)
}

func TestPrintsAreReadAsTheyWereWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := Film{Rate: rapid.SampledFrom([]timecode.Rate{timecode.Rate25, timecode.Rate2997}).Draw(t, "rate"),
			Prints: rapid.SliceOf(rapid.Custom(func(t *rapid.T) Print {
				return Print{rapid.Uint64().Draw(t, "a"), rapid.Uint64().Draw(t, "d"), rapid.Byte().Draw(t, "y"), rapid.Byte().Draw(t, "u"), rapid.Byte().Draw(t, "v"), rapid.Byte().Draw(t, "l")}
			})).Draw(t, "prints")}
		back, err := Decode(f.Encode())
		require.NoError(t, err)
		require.Equal(t, f.Rate, back.Rate)
		require.ElementsMatch(t, f.Prints, back.Prints)
		_, err = Decode(f.Encode()[:len(f.Encode())-1])
		require.ErrorIs(t, err, ErrPrints)
	})
	for _, bad := range []string{"", "AGA1", "xxxx000000000000000000000000"} {
		_, err := Decode([]byte(bad))
		assert.ErrorIs(t, err, ErrPrints)
	}
}

func BenchmarkTwoHoursLongCuts(b *testing.B) {
	old := film(reel(8, 90_000))
	now := film(noisy(old.Prints[:30_000]), reel(9, 2000), noisy(old.Prints[31_000:]))
	for b.Loop() {
		Compare(old, now)
	}
}
