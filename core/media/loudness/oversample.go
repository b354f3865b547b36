package loudness

import "math"

// The oversampler looks between samples, at a quarter, half and three quarters
// of the way, by twelve taps each (as many as BS.1770's filter has).
const (
	taps    = 12
	before  = taps/2 - 1 // taps before the sample after which it looks
	between = 3
)

// kernels are windowed sincs that pass constants exactly. What they find between
// two samples is at most reach times higher than the highest sample around.
var kernels, reach = design()

func design() (kernels [between][taps]float32, reach float32) {
	for p := range between {
		at := float64(p+1) / (between + 1)
		var h [taps]float64
		sum, all := 0.0, 0.0
		for k := range h {
			x := float64(k-before) - at
			window := 0.5 + 0.5*math.Cos(math.Pi*x/(taps/2)) // Hann
			h[k] = math.Sin(math.Pi*x) / (math.Pi * x) * window
			sum += h[k]
			all += math.Abs(h[k])
		}
		for k := range h {
			kernels[p][k] = float32(h[k] / sum)
		}
		reach = max(reach, float32(all/sum))
	}
	return kernels, reach
}

// A fold is two taps that lie the same way before and after the middle. The kernel
// for half the way is symmetric and needs the sum of their samples alone; the two
// for the quarters are each other's mirror and need sum and difference.
type fold[number any] struct{ half, even, odd number }

var folds = func() (out [taps / 2]fold[float32]) {
	for j := range out {
		first, last := kernels[0][j], kernels[0][taps-1-j]
		out[j] = fold[float32]{kernels[1][j], (first + last) / 2, (first - last) / 2}
	}
	return out
}()

// close enough not to look again: a hundredth of a decibel.
const closeEnough = 1.00115

// An oversampler keeps the true peak of all channels together. Interleaved
// samples come by write for each block of a piece, then keep for the whole piece.
type oversampler struct {
	channels int
	top      float32
	carry    []float32 // the last taps−1 frames of the pieces before
}

// write looks at the samples from and to, and gives the lowest and highest of them.
func (o *oversampler) write(samples []float32, from, to int) (low, high float32) {
	low, high = extremes(samples[from:to])
	o.top = max(o.top, high, -low)
	first, last := max(0, from-before*o.channels), min(len(samples), to+(taps-before-1)*o.channels)
	low1, high1 := extremes(samples[first:from])
	low2, high2 := extremes(samples[to:last])
	if max(high, -low, high1, -low1, high2, -low2)*reach > o.top*closeEnough {
		o.top = max(o.top, highestBetween(samples[first:last], o.channels))
	}
	return low, high
}

// keep looks over the seam between the pieces before and this one.
func (o *oversampler) keep(samples []float32) {
	seam := (taps - 1) * o.channels
	o.carry = append(o.carry, samples[:min(len(samples), seam)]...)
	o.top = max(o.top, highestBetween(o.carry, o.channels))
	if len(samples) >= seam {
		o.carry = append(o.carry[:0], samples[len(samples)-seam:]...)
	} else {
		o.carry = o.carry[max(0, len(o.carry)-seam):]
	}
}

func abs(x float32) float32 { return math.Float32frombits(math.Float32bits(x) &^ (1 << 31)) }
