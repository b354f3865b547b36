// Package loudness measures integrated loudness and true peak.
//
// Loudness follows ITU-R BS.1770-4 (K-weighting, blocks of 400 ms that overlap by
// three quarters, gates at −70 LUFS and 10 LU below the ungated mean), as EBU
// R 128 uses it. True peak is that of the signal oversampled four times. The
// filter's analogue prototype is that of BS.1770's tables at 48 kHz, so that
// other rates are weighted the same (values from memory, held by a test to the
// tables, and by EBU Tech 3341's signals).
//
// What is done for each sample has a plain form (plain.go) and, on processors
// that have them, one in vectors (vectors.go); see docs/decisions/loudness-is-measured-here.md.
package loudness

import (
	"math"
)

// Silence is the loudness and peak of what holds no sound, in LUFS and dBTP: the
// absolute gate for loudness, the lowest step of 24 bits for peak.
const (
	SilentLUFS = -70.0
	SilentDBTP = -144.0
)

type biquad struct{ b0, b1, b2, a1, a2 float64 }

// kWeighting is the two stages of the filter at a sample rate in hertz.
func kWeighting(rate float64) (shelf, highPass biquad) {
	const f0, gain, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
	k := math.Tan(math.Pi * f0 / rate)
	vh := math.Pow(10, gain/20)
	vb := math.Pow(vh, 0.4996667741545416)
	a0 := 1 + k/q + k*k
	shelf = biquad{(vh + vb*k/q + k*k) / a0, 2 * (k*k - vh) / a0, (vh - vb*k/q + k*k) / a0, 2 * (k*k - 1) / a0, (1 - k/q + k*k) / a0}
	const f1, q1 = 38.13547087602444, 0.5003270373238773
	k = math.Tan(math.Pi * f1 / rate)
	a0 = 1 + k/q1 + k*k
	highPass = biquad{1, -2, 1, 2 * (k*k - 1) / a0, (1 - k/q1 + k*k) / a0}
	return shelf, highPass
}

// weighting is the shelf and then the high-pass, whose numerator is always 1, −2, 1.
type weighting struct {
	shelf                  biquad
	highPassA1, highPassA2 float64
}

// memory is what the filter keeps of one channel: the last two samples, those
// after the shelf and those after the high-pass, and the sum of squares in the
// hop that runs.
type memory struct{ x1, x2, v1, v2, y1, y2, sum float64 }

// unheard is what may be left of what a filter began with, of full scale: −180 dB.
const unheard = 1e-9

// A Meter measures a sound that comes in pieces. Make it with New.
type Meter struct {
	filter   weighting
	weights  []float64 // of each channel
	memories []memory
	hop      int       // frames in a quarter of a block
	inHop    int       // frames of the hop that runs
	hops     []float64 // weighted mean square of each hop that is over
	settled  int       // frames after which nothing is left of what the filter began with
	peaks    oversampler
}

// New makes a meter for interleaved sound. rate is in hertz, at least 8000;
// channels are 1 to 64 in the order left, right, centre, low frequencies,
// surrounds (for six; otherwise all count the same).
func New(rate, channels int) *Meter {
	m := &Meter{weights: make([]float64, channels), memories: make([]memory, channels), hop: max(1, rate/10)}
	shelf, highPass := kWeighting(float64(max(rate, 8000)))
	m.filter = weighting{shelf, highPass.a1, highPass.a2}
	m.settled = int(math.Ceil(math.Log(unheard) / math.Log(math.Sqrt(highPass.a2))))
	m.peaks.channels = channels
	for i := range m.weights {
		m.weights[i] = 1
		if channels == 6 && i == 3 {
			m.weights[i] = 0
		}
		if channels == 6 && i > 3 {
			m.weights[i] = 1.41
		}
	}
	return m
}

// Weigh measures the loudness of whole frames of interleaved samples, full scale
// at ±1. It is quickest with pieces of some seconds. It and Peaks share nothing,
// so that each may run beside the other.
func (m *Meter) Weigh(samples []float32) {
	channels := len(m.weights)
	for len(samples) > 0 {
		if m.inHop == 0 {
			samples = samples[m.weighHalves(samples):]
		}
		n := min(len(samples)/channels, m.hop-m.inHop)
		weigh(m.filter, m.memories, samples[:n*channels])
		samples = samples[n*channels:]
		if m.inHop += n; m.inHop == m.hop {
			m.endHop()
		}
	}
}

// Block is how many frames are given to the function of Peaks together.
const Block = 512

// Peaks measures the true peak of whole frames of interleaved samples. Where each
// is not nil it is called with the lowest and highest sample of all channels in
// each Block of frames; the last may be shorter.
func (m *Meter) Peaks(samples []float32, each func(low, high float32)) {
	size := Block * len(m.weights)
	for from := 0; from < len(samples); from += size {
		low, high := m.peaks.write(samples, from, min(len(samples), from+size))
		if each != nil {
			each(low, high)
		}
	}
	m.peaks.keep(samples)
}

func (m *Meter) endHop() {
	total := 0.0
	for c := range m.memories {
		total += m.weights[c] * m.memories[c].sum
		m.memories[c].sum = 0
	}
	m.hops = append(m.hops, total/float64(m.hop))
	m.inHop = 0
}

func lufs(meanSquare float64) float64 { return -0.691 + 10*math.Log10(meanSquare) }

// Integrated is the gated loudness of everything so far, in LUFS; SilentLUFS for
// silence and for less than 400 ms.
func (m *Meter) Integrated() float64 {
	var blocks []float64
	for i := 3; i < len(m.hops); i++ {
		block := (m.hops[i-3] + m.hops[i-2] + m.hops[i-1] + m.hops[i]) / 4
		if block > 0 && lufs(block) > SilentLUFS {
			blocks = append(blocks, block)
		}
	}
	if len(blocks) == 0 {
		return SilentLUFS
	}
	gate := lufs(mean(blocks, math.Inf(-1))) - 10
	return lufs(mean(blocks, gate))
}

// mean is the mean of the blocks that are louder than gate.
func mean(blocks []float64, gate float64) float64 {
	sum, n := 0.0, 0
	for _, b := range blocks {
		if lufs(b) > gate {
			sum += b
			n++
		}
	}
	return sum / float64(max(n, 1))
}

// TruePeak is the highest peak of any channel, also between samples, in dBTP.
func (m *Meter) TruePeak() float64 {
	return max(SilentDBTP, 20*math.Log10(float64(m.peaks.top)))
}
