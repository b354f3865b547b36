package viewing

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/file/coverage"

	"github.com/stretchr/testify/assert"
)

func runs(at ...int64) (out []coverage.Range) {
	for i := 0; i < len(at); i += 2 {
		out = append(out, coverage.Range{Start: at[i], End: at[i+1]})
	}
	return out
}

func TestAScreenThatTellsAgainOrLateChangesNothing(t *testing.T) {
	have := Grow(nil, 0, runs(0, 4000))
	have = Grow(have, 0, runs(0, 8000, 2000, 2500))
	assert.Equal(t, runs(0, 8000, 2000, 2500), have)
	assert.Equal(t, have, Grow(have, 0, runs(0, 4000)), "late")
	assert.Equal(t, have, Grow(have, 1, runs(2000, 2500)), "again")
	assert.Equal(t, have, Grow(have, 0, runs(7, 9000)), "of another viewing: what is there stays")
	assert.Equal(t, have, Grow(have, -1, runs(0, 9000)))
	assert.Equal(t, runs(0, 8000, 2000, 3000, 9000, 9001), Grow(have, 1, runs(2000, 3000, 9000, 9001)))
	assert.Equal(t, runs(0, 8000, 2000, 2500, 1, 2), Grow(have, 7, runs(1, 2)), "one between was lost")
	full := have
	for range 2 * MostRuns {
		full = Grow(full, len(full), runs(1, 2))
	}
	assert.Len(t, full, MostRuns)
	assert.Equal(t, int64(4), Grow(runs(0, 3), 0, runs(0, 4))[0].End)
}

func TestNothingPlaysFasterThanTime(t *testing.T) {
	slack := Slack.Milliseconds()
	assert.Equal(t, runs(0, slack), Plausible(runs(0, 60_000), 60_000, 0))
	assert.Equal(t, runs(0, slack+4000), Plausible(runs(0, 60_000), 60_000, time.Second))
	assert.Equal(t, runs(0, 60_000), Plausible(runs(0, 60_000), 60_000, 13*time.Second))
	assert.Equal(t, runs(0, slack, 5, 5), Plausible(runs(0, slack, 5, 900), 60_000, 0))
	assert.Equal(t, runs(0, 10, 100, 100, 100, 100), Plausible(runs(-5, 10, 400, 500, 300, 200), 100, time.Hour), "within the piece")
	assert.Equal(t, runs(0, slack), Plausible(runs(0, slack), 60_000, -time.Hour), "a clock that went back")

	assert.Equal(t, []int64{3000, 7000}, Stay(nil, []int64{3000, 9000}, 0))
	assert.Equal(t, []int64{3000, 8000}, Stay([]int64{3000, 7000}, []int64{2000, 9000}, time.Second), "sums only grow")
	assert.Len(t, Stay(nil, make([]int64, 3*MostPages), time.Hour), MostPages)
}

func TestACurveSaysHowOftenAndByHowMany(t *testing.T) {
	one := []Viewing{{Runs: runs(0, 4000, 2000, 4000)}, {Runs: runs(3000, 3600)}}
	two := []Viewing{{Runs: runs(3500, 10_000)}}
	curve := Curve(10_000, 10, [][]Viewing{one, two})
	times := make([]float64, len(curve))
	people := make([]int, len(curve))
	for i, c := range curve {
		times[i], people[i] = math.Round(c.Times*10)/10, c.People
	}
	assert.Equal(t, []float64{1, 1, 2, 3.1, 1, 1, 1, 1, 1, 1}, times)
	assert.Equal(t, []int{1, 1, 1, 2, 1, 1, 1, 1, 1, 1}, people, "half of a part is seen, less is not")
	assert.Nil(t, Curve(0, 10, nil))
	assert.Nil(t, Curve(10, 0, nil))
	assert.Equal(t, []Cell{{}}, Curve(10, 1, [][]Viewing{nil}))
	assert.Equal(t, 8, Cells(8100, 600))
	assert.Equal(t, 600, Cells(36_000_000, 600))
	assert.Equal(t, 1, Cells(300, 600))
}

// The curve against counting each millisecond by itself.
func TestACurveEqualsCountingEachMillisecond(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		length, cells := 50+random.Int64N(900), 1+random.IntN(40)
		var people [][]Viewing
		for range 1 + random.IntN(4) {
			var v Viewing
			for range random.IntN(6) {
				from := random.Int64N(length)
				v.Runs = append(v.Runs, coverage.Range{Start: from, End: from + random.Int64N(length-from+30)})
			}
			people = append(people, []Viewing{v})
		}
		curve := Curve(length, cells, people)
		played := int64(0)
		for _, p := range people {
			for _, r := range p[0].Runs {
				played += coverage.Range{Start: r.Start, End: min(r.End, length)}.Len()
			}
		}
		sum, span := 0.0, float64(length)/float64(cells)
		for i, c := range curve {
			sum += c.Times * span
			exact := 0.0
			many := 0
			for _, p := range people {
				seen := 0.0
				for _, r := range p[0].Runs {
					exact += within(r, float64(i)*span, float64(i+1)*span) / span
				}
				for _, r := range coverage.Of(p[0].Runs...).Ranges() {
					seen += within(r, float64(i)*span, float64(i+1)*span) / span
				}
				if seen > 0.5+1e-9 {
					many++
				} else if math.Abs(seen-0.5) < 1e-9 {
					many += c.People - many // on the edge either is right
				}
			}
			assert.InDelta(t, exact, c.Times, 1e-6)
			assert.Equal(t, many, c.People)
		}
		assert.InDelta(t, float64(played), sum, 1e-3, "what played is all there")
	}
}

func within(r coverage.Range, from, to float64) float64 {
	return max(0, min(float64(r.End), to)-max(float64(r.Start), from))
}

func TestWhereSomebodyWentBackAndLeft(t *testing.T) {
	v := Viewing{Runs: runs(0, 5000, 4600, 6000, 2000, 3000, 9000, 9000)}
	assert.Equal(t, []Back{{6000, 2000}}, v.Backs(), "half a second back is a player that settles; ahead is no back")
	at, ok := v.Left(10_000)
	assert.True(t, ok)
	assert.EqualValues(t, 3000, at, "where it was only moved to, nothing played")
	_, ok = Viewing{Runs: runs(0, 9000)}.Left(10_000)
	assert.False(t, ok, "a second before the end is the end")
	_, ok = Viewing{Runs: runs(0, 8999)}.Left(10_000)
	assert.True(t, ok)
	_, ok = Viewing{}.Left(10_000)
	assert.False(t, ok)
}

func TestASumInWords(t *testing.T) {
	for says, v := range map[string][]Viewing{
		"has not looked at it yet":                                       nil,
		"saw 0:30 of 1:40, left at 0:30":                                 {{Runs: runs(0, 30_000)}},
		"saw 1:05 of 1:40, came 2 times, went back 1 time, left at 1:05": {{Runs: runs(0, 60_000, 10_000, 20_000)}, {Runs: runs(50_000, 65_000)}},
		"saw all of it":               {{Runs: runs(0, 99_000)}},
		"saw all of it, came 2 times": {{Runs: runs(0, 30_000)}, {Runs: runs(29_000, 100_000)}},
		"saw 0:40 of 1:40, came 3 times, went back 2 times, left at 0:20": {{Runs: runs(0, 40_000, 30_000, 40_000)}, {}, {Runs: runs(0, 10_000, 5000, 20_000)}},
	} {
		assert.Equal(t, says, SumOf(100_000, v).Says(100_000, 0))
	}
	assert.Equal(t, "had it in front for 0:12", SumOf(0, []Viewing{{Pages: []int64{12_000}}}).Says(0, 1))
	pages := SumOf(0, []Viewing{{Pages: []int64{5000, 400, 1000}}, {Pages: []int64{0, 599}}})
	assert.Equal(t, "had 2 of 9 pages in front for 0:07", pages.Says(0, 9), "a page that was turned past is not looked at")
	assert.Equal(t, "has not looked at it yet", SumOf(0, []Viewing{{Pages: []int64{999}}}).Says(0, 1))
}
