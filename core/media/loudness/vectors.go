//go:build goexperiment.simd && amd64 && !plain

package loudness

import "simd/archsimd"

// vectors says whether this processor has what this file uses: 256 bits and
// multiply-add.
var vectors = archsimd.X86.AVX2() && archsimd.X86.FMA()

// quad has two channels of two stretches of sound: that of the first, the other of
// the first, that of the second, the other of the second.
type quad = [4]float64

// memories of both channels in both stretches.
type memories struct{ x1, x2, v1, v2, y1, y2, sum quad }

func (q *memories) set(lane int, m memory) {
	q.x1[lane], q.x2[lane], q.v1[lane], q.v2[lane], q.y1[lane], q.y2[lane], q.sum[lane] = m.x1, m.x2, m.v1, m.v2, m.y1, m.y2, m.sum
}

func (q *memories) get(lane int) memory {
	return memory{q.x1[lane], q.x2[lane], q.v1[lane], q.v2[lane], q.y1[lane], q.y2[lane], q.sum[lane]}
}

// ahead is how many samples must follow the first of a frame: four are read at once.
const ahead = 4

// weigh takes two channels at a time. Where the last has no other beside it, the
// lane runs along with samples that are not its own and is thrown away.
func weigh(f weighting, all []memory, samples []float32) {
	channels := len(all)
	frames := 0
	if vectors {
		frames = max(0, len(samples)-ahead) / channels
	}
	for c := 0; c < channels && frames > 0; c += 2 {
		two := all[c:min(c+2, channels)]
		var q memories
		for i, m := range two {
			q.set(i, m)
		}
		q.weigh(f, samples[c:], samples[c:], channels, frames)
		for i := range two {
			two[i] = q.get(i)
		}
	}
	weighPlainly(f, all, samples[frames*channels:])
}

// weighHalves measures as many hops as go in two halves, side by side, and says
// how many samples that were. The filter of the second half begins so long before
// it that it has settled.
func (m *Meter) weighHalves(samples []float32) int {
	channels := len(m.memories)
	hops := max(0, len(samples)-ahead) / channels / m.hop / 2
	if !vectors || hops*m.hop < 2*m.settled {
		return 0
	}
	half := hops * m.hop * channels
	sums := make([]float64, 2*hops)
	for c := 0; c < channels; c += 2 {
		two := m.memories[c:min(c+2, channels)]
		var q memories
		settling := samples[half-m.settled*channels+c:]
		q.weigh(m.filter, settling, settling, channels, m.settled)
		for i := range two {
			q.set(i, two[i])
		}
		for h := range hops {
			q.sum = quad{}
			at := h*m.hop*channels + c
			q.weigh(m.filter, samples[at:], samples[half+at:], channels, m.hop)
			for i := range two {
				sums[h] += m.weights[c+i] * q.sum[i]
				sums[hops+h] += m.weights[c+i] * q.sum[2+i]
			}
		}
		q.sum = quad{}
		for i := range two {
			two[i] = q.get(2 + i)
		}
	}
	for _, sum := range sums {
		m.hops = append(m.hops, sum/float64(m.hop))
	}
	return 2 * half
}

// weigh filters the first two of every so many samples of two stretches, frames
// times; one stage after the other, so that all that one needs stays in registers.
func (q *memories) weigh(f weighting, first, second []float32, every, frames int) {
	var shelved [256]quad
	for frames > 0 {
		some := shelved[:min(len(shelved), frames)]
		v1, v2 := q.v1, q.v2
		q.shelve(f.shelf, first, second, every, some)
		q.addSquares(f, v1, v2, some)
		frames -= len(some)
		first, second = first[len(some)*every:], second[len(some)*every:]
	}
}

func (q *memories) shelve(f biquad, first, second []float32, every int, into []quad) {
	b0, b1, b2, a1, a2 := archsimd.BroadcastFloat64x4(f.b0), archsimd.BroadcastFloat64x4(f.b1), archsimd.BroadcastFloat64x4(f.b2),
		archsimd.BroadcastFloat64x4(-f.a1), archsimd.BroadcastFloat64x4(-f.a2)
	x1, x2, v1, v2 := archsimd.LoadFloat64x4(&q.x1), archsimd.LoadFloat64x4(&q.x2), archsimd.LoadFloat64x4(&q.v1),
		archsimd.LoadFloat64x4(&q.v2)
	for i, at := 0, 0; i < len(into); i, at = i+1, at+every {
		a, b := archsimd.LoadFloat32x4Slice(first[at:at+ahead]), archsimd.LoadFloat32x4Slice(second[at:at+ahead])
		x := a.AsUint64x2().InterleaveLo(b.AsUint64x2()).AsFloat32x4().ConvertToFloat64()
		// What has waited longest comes first, so that the last step alone waits for the sample before.
		v := v1.MulAdd(a1, v2.MulAdd(a2, x2.MulAdd(b2, x1.MulAdd(b1, x.Mul(b0)))))
		v.Store(&into[i])
		x1, x2, v1, v2 = x, x1, v, v1
	}
	x1.Store(&q.x1)
	x2.Store(&q.x2)
	v1.Store(&q.v1)
	v2.Store(&q.v2)
}

// addSquares is the high-pass. was1 and was2 are the last two from before shelved.
func (q *memories) addSquares(f weighting, was1, was2 quad, shelved []quad) {
	a1, a2 := archsimd.BroadcastFloat64x4(-f.highPassA1), archsimd.BroadcastFloat64x4(-f.highPassA2)
	v1, v2, y1, y2, sum := archsimd.LoadFloat64x4(&was1), archsimd.LoadFloat64x4(&was2), archsimd.LoadFloat64x4(&q.y1),
		archsimd.LoadFloat64x4(&q.y2), archsimd.LoadFloat64x4(&q.sum)
	for i := range shelved {
		v := archsimd.LoadFloat64x4(&shelved[i])
		y := y1.MulAdd(a1, y2.MulAdd(a2, v.Sub(v1).Sub(v1.Sub(v2))))
		sum = y.MulAdd(y, sum)
		v1, v2, y1, y2 = v, v1, y, y1
	}
	y1.Store(&q.y1)
	y2.Store(&q.y2)
	sum.Store(&q.sum)
}

// lanes is how many samples are compared at once.
const lanes = 8

func extremes(samples []float32) (low, high float32) {
	if !vectors || len(samples) < lanes {
		return extremesPlainly(samples)
	}
	lows, highs := archsimd.BroadcastFloat32x8(0), archsimd.BroadcastFloat32x8(0)
	rest := samples
	for ; len(rest) >= lanes; rest = rest[lanes:] {
		v := archsimd.LoadFloat32x8Slice(rest)
		lows, highs = lows.Min(v), highs.Max(v)
	}
	low, high = spread(lows, highs)
	l, h := extremesPlainly(rest)
	return min(low, l), max(high, h)
}

// wideFolds are the folds with each number in all lanes.
var wideFolds = func() (out [taps / 2]fold[[lanes]float32]) {
	for j, k := range folds {
		for i := range lanes {
			out[j].half[i], out[j].even[i], out[j].odd[i] = k.half, k.even, k.odd
		}
	}
	return out
}()

func highestBetween(samples []float32, channels int) float32 {
	window := (taps - 1) * channels
	if !vectors {
		return highestBetweenPlainly(samples, channels)
	}
	zero := archsimd.BroadcastFloat32x8(0)
	lows, highs := zero, zero
	rest := samples
	for ; len(rest) >= 2*lanes+window; rest = rest[2*lanes:] {
		half, even, odd, half2, even2, odd2 := zero, zero, zero, zero, zero, zero
		for j, at, mirror := 0, 0, window; j < len(wideFolds); j, at, mirror = j+1, at+channels, mirror-channels {
			left, right := rest[at:at+2*lanes], rest[mirror:mirror+2*lanes]
			l, r := archsimd.LoadFloat32x8Slice(left), archsimd.LoadFloat32x8Slice(right)
			l2, r2 := archsimd.LoadFloat32x8Slice(left[lanes:]), archsimd.LoadFloat32x8Slice(right[lanes:])
			sum, sum2 := l.Add(r), l2.Add(r2)
			k := archsimd.LoadFloat32x8(&wideFolds[j].half)
			half, half2 = sum.MulAdd(k, half), sum2.MulAdd(k, half2)
			k = archsimd.LoadFloat32x8(&wideFolds[j].even)
			even, even2 = sum.MulAdd(k, even), sum2.MulAdd(k, even2)
			k = archsimd.LoadFloat32x8(&wideFolds[j].odd)
			odd, odd2 = l.Sub(r).MulAdd(k, odd), l2.Sub(r2).MulAdd(k, odd2)
		}
		quarter, threeQuarters, quarter2, threeQuarters2 := even.Add(odd), even.Sub(odd), even2.Add(odd2), even2.Sub(odd2)
		lows = lows.Min(half.Min(half2)).Min(quarter.Min(quarter2)).Min(threeQuarters.Min(threeQuarters2))
		highs = highs.Max(half.Max(half2)).Max(quarter.Max(quarter2)).Max(threeQuarters.Max(threeQuarters2))
	}
	low, high := spread(lows, highs)
	return max(-low, high, highestBetweenPlainly(rest, channels))
}

// spread is the lowest of lows and the highest of highs.
func spread(lows, highs archsimd.Float32x8) (low, high float32) {
	var l, h [lanes]float32
	lows.Store(&l)
	highs.Store(&h)
	for i := range l {
		low, high = min(low, l[i]), max(high, h[i])
	}
	return low, high
}
