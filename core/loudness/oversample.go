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
// And |between| ≤ reach × highest sample around, for quiet stretches.
var kernels, bend, reach = design()

func design() (kernels [between][taps]float32, bend, reach float32) {
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
		all := 0.0
		for k, v := range h {
			kernels[p][k] = float32(v)
			all += math.Abs(v)
		}
		reach = max(reach, float32(all))
	}
	return kernels, bend, reach
}

// close enough not to look again: a hundredth of a decibel.
const closeEnough = 1.00115

// An oversampler keeps the true peak of one channel. Samples come by write for
// each block of a piece, then keep for the whole piece.
type oversampler struct {
	top   float32
	carry []float32 // the last samples of the piece before
}

// write looks at the block of samples that begins at from and gives its lowest
// and highest sample.
func (o *oversampler) write(samples []float32, from int) (low, high float32) {
	to := min(len(samples), from+block)
	for _, v := range samples[from:to] {
		if v < low { // quicker than min and max, which look for NaN
			low = v
		}
		if v > high {
			high = v
		}
	}
	most := high
	if -low > most {
		most = -low
	}
	if most > o.top {
		o.top = most
	}
	// Between two samples it cannot be more than reach times higher than any of those around.
	around := most
	for _, edge := range [][]float32{samples[max(0, from-taps):from], samples[to:min(len(samples), to+taps)]} {
		for _, v := range edge {
			around = max(around, abs(v))
		}
	}
	if around*reach <= o.top*closeEnough {
		return low, high
	}
	o.look(samples, max(from, before), min(to, len(samples)-taps+before+1))
	return low, high
}

// keep looks over the seam between the piece before and this one.
func (o *oversampler) keep(samples []float32) {
	seam := min(len(samples), taps-1)
	joined := append(o.carry, samples[:seam]...)
	o.look(joined, before, len(joined)-taps+before+1)
	if len(samples) >= taps-1 {
		o.carry = append(o.carry[:0], samples[len(samples)-(taps-1):]...)
	} else {
		o.carry = append([]float32(nil), joined[max(0, len(joined)-(taps-1)):]...)
	}
}

// look looks between the samples from and to, unless none of them can hide a
// higher peak.
func (o *oversampler) look(samples []float32, from, to int) {
	if from >= to {
		return
	}
	high, curve := extremes(samples[from-before : min(len(samples), to+taps-before)])
	if high > o.top {
		o.top = high
	}
	if high+bend*curve <= o.top*closeEnough {
		return
	}
	enough := o.top*closeEnough - bend*curve // a pair of samples below this cannot hide a higher peak
	for i := from; i < to; i++ {
		if a, b := abs(samples[i]), abs(samples[i+1]); a <= enough && b <= enough {
			continue
		}
		x := (*[taps]float32)(samples[i-before:])
		for p := range kernels {
			k, y := &kernels[p], float32(0)
			for j := range k {
				y += k[j] * x[j]
			}
			if y = abs(y); y > o.top {
				o.top = y
			}
		}
	}
}

// extremes is the highest sample and the highest second difference. Comparing
// the bits of magnitudes as integers orders them the same and is quicker.
func extremes(samples []float32) (high, curve float32) {
	if len(samples) < 3 {
		for _, v := range samples {
			high = max(high, abs(v))
		}
		return high, 0
	}
	a, b := samples[0], samples[1]
	top, bent := max(bitsOf(a), bitsOf(b)), uint32(0)
	for _, c := range samples[2:] {
		if v := bitsOf(c); v > top {
			top = v
		}
		if d := bitsOf(a - 2*b + c); d > bent {
			bent = d
		}
		a, b = b, c
	}
	return math.Float32frombits(top), math.Float32frombits(bent)
}

// bitsOf is the magnitude of x as an integer.
func bitsOf(x float32) uint32 { return math.Float32bits(x) &^ (1 << 31) }

func abs(x float32) float32 { return math.Float32frombits(math.Float32bits(x) &^ (1 << 31)) }
