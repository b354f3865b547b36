package loudness

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// tone is a sine in stereo, its level in dBFS.
func tone(rate int, hertz, level, seconds, phase float64) [][]float32 {
	a := math.Pow(10, level/20)
	one := make([]float32, int(seconds*float64(rate)))
	for i := range one {
		one[i] = float32(a * math.Sin(2*math.Pi*hertz*float64(i)/float64(rate)+phase))
	}
	return [][]float32{one, one}
}

func measure(rate int, parts ...[][]float32) *Meter {
	m := New(rate, len(parts[0]))
	for _, p := range parts {
		// In uneven pieces, as they come from a pipe.
		for from, size := 0, 1; from < len(p[0]); from, size = from+size, (size*7+3)%9973+1 {
			var piece []float32
			for i := from; i < min(from+size, len(p[0])); i++ {
				for c := range p {
					piece = append(piece, p[c][i])
				}
			}
			m.Weigh(piece)
			m.Peaks(piece, nil)
		}
	}
	return m
}

// Source: ITU-R BS.1770-4, tables 1 and 2 (coefficients at 48 kHz; from memory).
func TestTheFilterIsThatOfTheTables(t *testing.T) {
	shelf, highPass := kWeighting(48000)
	assert.InDeltaSlice(t, []float64{1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585},
		[]float64{shelf.b0, shelf.b1, shelf.b2, shelf.a1, shelf.a2}, 1e-8)
	assert.InDeltaSlice(t, []float64{-1.99004745483398, 0.99007225036621}, []float64{highPass.a1, highPass.a2}, 1e-8)
}

// Source: EBU Tech 3341, table 1, signals 1 to 5: sines of 1000 Hz in stereo, ±0.1 LU (from memory).
func TestIntegratedLoudnessIsThatOfTheEBUSignals(t *testing.T) {
	for _, rate := range []int{44100, 48000, 96000} {
		at := func(level, seconds float64) [][]float32 { return tone(rate, 1000, level, seconds, 0) }
		assert.InDelta(t, -23, measure(rate, at(-23, 20)).Integrated(), 0.1, "signal 1 at %d", rate)
		assert.InDelta(t, -33, measure(rate, at(-33, 20)).Integrated(), 0.1, "signal 2")
		assert.InDelta(t, -23, measure(rate, at(-36, 10), at(-23, 60), at(-36, 10)).Integrated(), 0.1, "signal 3: the relative gate")
	}
	at := func(level, seconds float64) [][]float32 { return tone(48000, 1000, level, seconds, 0) }
	assert.InDelta(t, -23, measure(48000, at(-72, 10), at(-36, 10), at(-23, 60), at(-36, 10), at(-72, 10)).Integrated(), 0.1,
		"signal 4: the absolute gate")
	assert.InDelta(t, -23, measure(48000, at(-26, 20), at(-20, 20.1), at(-26, 20)).Integrated(), 0.1, "signal 5")
}

// Source: EBU Tech 3341, signals 15 to 19: sines at a quarter and less of the rate, +0.2/−0.4 dB (from memory).
func TestTruePeakIsFoundBetweenSamples(t *testing.T) {
	for _, c := range []struct{ division, phase, level, want float64 }{
		{4, 0, -6, -6}, {4, math.Pi / 4, -6, -6}, {6, math.Pi / 3, -6, -6}, {8, 67.5 * math.Pi / 180, -6, -6}, {4, math.Pi / 4, 3, 3},
	} {
		got := measure(48000, tone(48000, 48000/c.division, c.level, 2, c.phase)).TruePeak()
		assert.Greater(t, got, c.want-0.4, "%v", c)
		assert.Less(t, got, c.want+0.2, "%v", c)
	}
}

func TestWhatIsSkippedHoldsNoHigherPeak(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 5))
	for channels := range 4 {
		channels++
		for range 10 {
			x := make([]float32, 3000*channels)
			for i := range x {
				x[i] = float32(random.Float64()*2-1) * float32(math.Exp(-float64(i%700)/200))
			}
			m := New(48000, channels)
			for _, piece := range [][]float32{x[:1000*channels], x[1000*channels : 1003*channels], x[1003*channels:]} {
				m.Peaks(piece, nil)
			}
			full := float32(0)
			for i := before * channels; i+(taps-before-1)*channels < len(x); i++ {
				for _, k := range kernels {
					y := float32(0)
					for j, h := range k {
						y += h * x[i+(j-before)*channels]
					}
					full = max(full, abs(y), abs(x[i]))
				}
			}
			assert.InEpsilon(t, full, m.peaks.top, closeEnough-1, "%d channels", channels)
		}
	}
}

// Without vectors both are the same code, and nothing is compared.
func TestVectorsFindWhatPlainCodeFinds(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	shelf, highPass := kWeighting(44100)
	f := weighting{shelf, highPass.a1, highPass.a2}
	for channels := 1; channels <= 7; channels++ {
		quick, plain := make([]memory, channels), make([]memory, channels)
		for _, frames := range []int{0, 1, 2, 3, 9, 100, 4800} {
			x := make([]float32, frames*channels)
			for i := range x {
				x[i] = float32(random.Float64()*2 - 1)
			}
			weigh(f, quick, x)
			weighPlainly(f, plain, x)
			for c := range plain {
				assert.InDelta(t, plain[c].sum, quick[c].sum, 1e-9*(1+plain[c].sum), "%d channels, %d frames", channels, frames)
				assert.InDelta(t, plain[c].y2, quick[c].y2, 1e-9)
			}
			low, high := extremes(x)
			plainLow, plainHigh := extremesPlainly(x)
			assert.Equal(t, []float32{plainLow, plainHigh}, []float32{low, high})
			assert.InDelta(t, highestBetweenPlainly(x, channels), highestBetween(x, channels), 1e-6)
		}
	}
}

func TestSilenceAndLessThanABlockHaveNoLoudness(t *testing.T) {
	silent := measure(48000, [][]float32{make([]float32, 48000)})
	assert.Equal(t, SilentLUFS, silent.Integrated())
	assert.Equal(t, SilentDBTP, silent.TruePeak())
	assert.Equal(t, SilentLUFS, measure(48000, tone(48000, 1000, -20, 0.3, 0)).Integrated())
}

func TestOneChannelIsThreeDecibelsLessThanTwo(t *testing.T) {
	both := tone(48000, 1000, -20, 5, 0)
	assert.InDelta(t, 3.01, measure(48000, both).Integrated()-measure(48000, both[:1]).Integrated(), 0.01)
}

func TestTheChannelOfLowFrequenciesDoesNotCount(t *testing.T) {
	one, none := tone(48000, 1000, -20, 3, 0)[0], make([]float32, 3*48000)
	assert.Equal(t, SilentLUFS, measure(48000, [][]float32{none, none, none, one, none, none}).Integrated())
	assert.InDelta(t, 1.49, measure(48000, [][]float32{none, none, none, none, one, none}).Integrated()-
		measure(48000, [][]float32{one, none, none, none, none, none}).Integrated(), 0.02, "surrounds count 1.41 times")
}

func TestHalvesSideBySideMeasureWhatHopAfterHopDoes(t *testing.T) {
	random := rand.New(rand.NewPCG(13, 17))
	for channels := 1; channels <= 6; channels++ {
		whole, parts := New(44100, channels), New(44100, channels)
		x := make([]float32, 3*44100*channels)
		for i := range x {
			x[i] = float32(random.Float64()*2-1) * (0.1 + 0.9*float32(i)/float32(len(x)))
		}
		whole.Weigh(x)
		for rest := x; len(rest) > 0; {
			n := min(len(rest), 1000*channels)
			parts.Weigh(rest[:n])
			rest = rest[n:]
		}
		assert.Len(t, whole.hops, 30)
		assert.InDeltaSlice(t, parts.hops, whole.hops, 1e-8, "%d channels", channels)
		for c := range whole.memories {
			assert.InDelta(t, parts.memories[c].y1, whole.memories[c].y1, 1e-8)
		}
	}
}

func TestEachBlockIsGivenItsLowestAndHighestSample(t *testing.T) {
	x := make([]float32, 2*(Block*2+100))
	x[10], x[2*Block+1], x[4*Block+7] = -0.5, 0.25, 0.75
	var got [][2]float32
	New(48000, 2).Peaks(x, func(low, high float32) { got = append(got, [2]float32{low, high}) })
	assert.Equal(t, [][2]float32{{-0.5, 0}, {0, 0.25}, {0, 0.75}}, got)
}
