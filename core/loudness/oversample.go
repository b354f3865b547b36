package loudness

import "math"

// The oversampler looks between samples, at a quarter, half and three quarters
// of the way, by twelve taps each (as many as BS.1770's filter has).
const (
	taps    = 12
	before  = taps/2 - 1 // taps before the sample after which it looks
	between = 3
	block   = 512 // samples judged together
)

// kernels are windowed sincs that pass constants and straight lines exactly, so
// that what they add to a line between two samples hangs only on second
// differences: |between| ≤ highest sample + bend × highest second difference.
var kernels, bend = design()

func design() (kernels [between][taps]float32, bend float32) {
	for p := range between {
		at := float64(p+1) / 4
		var h [taps]float64
		for k := range h {
			x := float64(k-before) - at
			window := 0.5 + 0.5*math.Cos(math.Pi*x/(taps/2)) // Hann
			h[k] = math.Sin(math.Pi*x) / (math.Pi * x) * window
		}
		// The two middle taps make the sum 1 and the first moment that of the place.
		sum, moment := 0.0, 0.0
		for k, v := range h {
			sum += v
			moment += v * float64(k-before)
		}
		second := at - moment
		h[before+1] += second
		h[before] += 1 - sum - second
		// What is left when the straight line is taken off, as sums of second differences.
		h2 := h
		h2[before] -= 1 - at
		h2[before+1] -= at
		total, slope, value := 0.0, 0.0, 0.0
		for _, v := range h2 {
			slope += v
			value += slope
			total += math.Abs(value)
		}
		bend = max(bend, float32(total))
		for k, v := range h {
			kernels[p][k] = float32(v)
		}
	}
	return kernels, bend
}

// close enough not to look again: a hundredth of a decibel.
const closeEnough = 1.00115

// An oversampler keeps the true peak of one channel.
type oversampler struct {
	top   float32
	carry []float32 // the last samples, whose neighbours were not there yet
}

func (o *oversampler) write(samples []float32) {
	// The kernel reaches over the seam: the last taps-1 samples come again.
	seam := min(len(samples), taps-1)
	joined := append(o.carry, samples[:seam]...)
	o.look(joined)
	o.look(samples)
	if len(samples) >= taps-1 {
		o.carry = append(o.carry[:0], samples[len(samples)-(taps-1):]...)
	} else {
		o.carry = append([]float32(nil), joined[max(0, len(joined)-(taps-1)):]...)
	}
}

func (o *oversampler) look(samples []float32) {
	for from := 0; from < len(samples); from += block {
		to := min(len(samples), from+block)
		high, curve := extremes(samples[max(0, from-before-1):min(len(samples), to+taps)])
		o.top = max(o.top, high)
		if high+bend*curve <= o.top*closeEnough {
			continue
		}
		reach := o.top*closeEnough - bend*curve // a pair of samples below this cannot hide a higher peak
		for i := max(from, before); i < min(to, len(samples)-taps+before+1); i++ {
			if a, b := abs(samples[i]), abs(samples[i+1]); a <= reach && b <= reach {
				continue
			}
			x := (*[taps]float32)(samples[i-before:])
			for p := range kernels {
				k, y := &kernels[p], float32(0)
				for j := range k {
					y += k[j] * x[j]
				}
				o.top = max(o.top, abs(y))
			}
		}
	}
}

// extremes is the highest sample and the highest second difference.
func extremes(samples []float32) (high, curve float32) {
	var low, most float32
	var lowCurve, mostCurve float32
	a, b := float32(0), float32(0)
	for i, c := range samples {
		low, most = min(low, c), max(most, c)
		if i > 1 {
			d := a - 2*b + c
			lowCurve, mostCurve = min(lowCurve, d), max(mostCurve, d)
		}
		a, b = b, c
	}
	return max(-low, most), max(-lowCurve, mostCurve)
}

func abs(x float32) float32 { return math.Float32frombits(math.Float32bits(x) &^ (1 << 31)) }
