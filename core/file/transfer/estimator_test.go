package transfer_test

import (
	"encoding/json"
	"flag"
	"math"
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"aftergust/core/file/transfer"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var write = flag.Bool("write", false, "write testdata/estimator.json anew")

// A line is a connection that delivers so many bytes a second at a moment.
type line func(second float64) float64

func steady(rate float64) line { return func(float64) float64 { return rate } }

// jittery is a steady line whose single reads come in fits of up to half more or less.
func jittery(rate float64) line {
	random := rand.New(rand.NewPCG(7, 11))
	return func(float64) float64 { return rate * (0.5 + random.Float64()) }
}

// along runs an estimator over a line with a sample each quarter of a second and calls each.
func along(l line, total int64, each func(second float64, left time.Duration, known bool, through int64)) {
	var e transfer.Estimator
	through := 0.0
	for step := 0; through < float64(total); step++ {
		second := float64(step) / 4
		at := time.Duration(second * float64(time.Second))
		e.Add(at, int64(through), total)
		left, known := e.Left(at)
		each(second, left, known, int64(through))
		through += l(second) / 4
	}
}

// Source: a line of R bytes a second needs total/R seconds (SI: 3.2 GB at 100 Mbit/s are 256 s).
func TestTheTimeLeftIsWithinAFifthAfterTenSecondsOnASteadyLine(t *testing.T) {
	for name, l := range map[string]line{"even": steady(12_500_000), "in fits": jittery(12_500_000)} {
		along(l, 3_200_000_000, func(second float64, left time.Duration, known bool, _ int64) {
			if second < 10 || second > 250 {
				return
			}
			true256 := 256 - second
			require.True(t, known, name)
			assert.InEpsilon(t, true256, left.Seconds(), 0.2, "%s at %.2f s", name, second)
		})
	}
}

func TestTheTimeLeftDoesNotJump(t *testing.T) {
	last := math.NaN()
	along(jittery(12_500_000), 3_200_000_000, func(second float64, left time.Duration, known bool, _ int64) {
		if second > 10 && second < 240 && !math.IsNaN(last) {
			assert.Less(t, math.Abs(left.Seconds()-(last-0.25)), 0.04*last+0.5, "at %.2f s", second)
		}
		last = left.Seconds()
	})
}

func TestALineThatHalvesIsBelievedWithinTwentySeconds(t *testing.T) {
	halves := func(second float64) float64 {
		if second < 60 {
			return 20_000_000
		}
		return 10_000_000
	}
	along(halves, 3_200_000_000, func(second float64, left time.Duration, _ bool, through int64) {
		if second > 80 && second < 200 {
			assert.InEpsilon(t, float64(3_200_000_000-through)/10_000_000, left.Seconds(), 0.2, "at %.2f s", second)
		}
	})
}

func TestNothingIsSaidWhileNothingIsKnown(t *testing.T) {
	var e transfer.Estimator
	_, known := e.Left(0)
	assert.False(t, known)
	e.Add(0, 0, 1000)
	e.Add(time.Second, 100, 1000)
	_, known = e.Left(time.Second)
	assert.False(t, known, "one second says little")
	assert.Zero(t, e.Rate())
	e.Add(4*time.Second, 400, 1000)
	left, known := e.Left(4 * time.Second)
	assert.True(t, known)
	assert.Equal(t, 6*time.Second, left)
	e.Add(5*time.Second, 0, 1000)
	_, known = e.Left(5 * time.Second)
	assert.False(t, known, "it began again")
}

// The browser's estimator reads the same vectors.
func TestTheVectorsForTheBrowserAreCurrent(t *testing.T) {
	type vector struct {
		Second float64 `json:"second"`
		Bytes  int64   `json:"bytes"`
		Left   float64 `json:"left"` // seconds; -1: not known
	}
	var vectors []vector
	along(jittery(9_000_000), 400_000_000, func(second float64, left time.Duration, known bool, through int64) {
		v := vector{second, through, -1}
		if known {
			v.Left = math.Round(left.Seconds()*1e6) / 1e6
		}
		vectors = append(vectors, v)
	})
	encoded, err := json.Marshal(vectors)
	require.NoError(t, err)
	if *write {
		require.NoError(t, os.WriteFile("testdata/estimator.json", append(encoded, '\n'), 0o644))
	}
	have, err := os.ReadFile("testdata/estimator.json")
	require.NoError(t, err)
	assert.JSONEq(t, string(encoded), string(have), "run the test with -write")
}
