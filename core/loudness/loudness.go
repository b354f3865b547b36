// Package loudness measures integrated loudness and true peak.
//
// Loudness follows ITU-R BS.1770-4 (K-weighting, blocks of 400 ms that overlap by
// three quarters, gates at −70 LUFS and 10 LU below the ungated mean), as EBU
// R 128 uses it. True peak is that of the signal oversampled four times. The
// filter's analogue prototype is that of BS.1770's tables at 48 kHz, so that
// other rates are weighted the same (values from memory, held by a test to the
// tables, and by EBU Tech 3341's signals).
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

// weighting is both stages as one filter of the fourth order: what is recursive
// in it then waits for one product and one difference only, which makes it twice
// as quick as two stages in a row.
type weighting struct{ n0, n1, n2, n3, n4, d1, d2, d3, d4 float64 }

func combine(p, q biquad) weighting {
	return weighting{
		p.b0 * q.b0, p.b0*q.b1 + p.b1*q.b0, p.b0*q.b2 + p.b1*q.b1 + p.b2*q.b0, p.b1*q.b2 + p.b2*q.b1, p.b2 * q.b2,
		p.a1 + q.a1, p.a2 + p.a1*q.a1 + q.a2, p.a2*q.a1 + p.a1*q.a2, p.a2 * q.a2,
	}
}

// state is one channel's filter, in direct form I, and its true peak.
type state struct {
	past           []float64 // the last four samples, before those that come
	y1, y2, y3, y4 float64
	sum            float64 // of squares in the hop that runs
	weight         float64
	peaks          oversampler
}

// A Meter measures a sound that comes in pieces. Make it with New.
type Meter struct {
	filter   weighting
	channels []state
	hop      int       // frames in a quarter of a block
	inHop    int       // frames of the hop that runs
	hops     []float64 // weighted mean square of each hop that is over
}

// New makes a meter for interleaved sound. rate is in hertz, at least 8000;
// channels are 1 to 64 in the order left, right, centre, low frequencies,
// surrounds (for six; otherwise all count the same).
func New(rate, channels int) *Meter {
	m := &Meter{channels: make([]state, channels), hop: max(1, rate/10)}
	m.filter = combine(kWeighting(float64(max(rate, 8000))))
	for i := range m.channels {
		m.channels[i].weight = 1
		if channels == 6 && i == 3 {
			m.channels[i].weight = 0
		}
		if channels == 6 && i > 3 {
			m.channels[i].weight = 1.41
		}
	}
	return m
}

// Write measures frames, one slice for each channel, all of the same length,
// full scale at ±1. It is Weigh and Peaks together.
func (m *Meter) Write(frames [][]float32) {
	m.Weigh(frames)
	m.Peaks(frames, nil)
}

// Weigh measures loudness. It and Peaks share nothing, so that each may run
// beside the other.
func (m *Meter) Weigh(frames [][]float32) {
	n := len(frames[0])
	for from := 0; from < n; {
		to := min(n, from+m.hop-m.inHop)
		for c := range m.channels {
			m.channels[c].weigh(m.filter, frames[c][from:to])
		}
		m.inHop += to - from
		from = to
		if m.inHop == m.hop {
			m.endHop()
		}
	}
}

// Block is how many frames Peaks looks at together.
const Block = block

// Peaks measures true peaks. Where each is not nil it is called with the lowest
// and highest sample of all channels of each Block of frames; the last may be shorter.
func (m *Meter) Peaks(frames [][]float32, each func(low, high float32)) {
	n := len(frames[0])
	for from := 0; from < n; from += block {
		low, high := float32(0), float32(0)
		for c := range m.channels {
			l, h := m.channels[c].peaks.write(frames[c], from)
			if l < low {
				low = l
			}
			if h > high {
				high = h
			}
		}
		if each != nil {
			each(low, high)
		}
	}
	for c := range m.channels {
		m.channels[c].peaks.keep(frames[c])
	}
}

func (m *Meter) endHop() {
	total := 0.0
	for c := range m.channels {
		total += m.channels[c].weight * m.channels[c].sum
		m.channels[c].sum = 0
	}
	m.hops = append(m.hops, total/float64(m.hop))
	m.inHop = 0
}

func (s *state) weigh(f weighting, samples []float32) {
	if len(s.past) == 0 {
		s.past = make([]float64, 4)
	}
	for _, v := range samples {
		s.past = append(s.past, float64(v))
	}
	y1, y2, y3, y4, sum := s.y1, s.y2, s.y3, s.y4, s.sum
	for x := s.past; len(x) > 4; x = x[1:] {
		y := (f.n0*x[4] + f.n1*x[3] + f.n2*x[2] + f.n3*x[1] + f.n4*x[0]) - (f.d2*y2 + f.d3*y3 + f.d4*y4) - f.d1*y1
		sum += y * y
		y1, y2, y3, y4 = y, y1, y2, y3
	}
	s.y1, s.y2, s.y3, s.y4, s.sum = y1, y2, y3, y4, sum
	s.past = append(s.past[:0], s.past[len(s.past)-4:]...)
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
	top := 0.0
	for i := range m.channels {
		top = max(top, float64(m.channels[i].peaks.top))
	}
	return max(SilentDBTP, 20*math.Log10(top))
}
