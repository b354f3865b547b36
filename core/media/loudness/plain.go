package loudness

// weighPlainly filters whole frames and adds up their squares.
func weighPlainly(f weighting, memories []memory, samples []float32) {
	for c := range memories {
		m := &memories[c]
		x1, x2, v1, v2, y1, y2, sum := m.x1, m.x2, m.v1, m.v2, m.y1, m.y2, m.sum
		for i := c; i < len(samples); i += len(memories) {
			x := float64(samples[i])
			// What has waited longest comes first, so that the last step alone waits for the sample before.
			v := f.shelf.b0*x + f.shelf.b1*x1 + f.shelf.b2*x2 - f.shelf.a2*v2 - f.shelf.a1*v1
			y := (v - v1) - (v1 - v2) - f.highPassA2*y2 - f.highPassA1*y1
			sum += y * y
			x1, x2, v1, v2, y1, y2 = x, x1, v, v1, y, y1
		}
		*m = memory{x1, x2, v1, v2, y1, y2, sum}
	}
}

// extremesPlainly is the lowest and highest sample, and never above and below 0.
func extremesPlainly(samples []float32) (low, high float32) {
	for _, v := range samples {
		if v < low { // quicker than min and max, which look for NaN
			low = v
		}
		if v > high {
			high = v
		}
	}
	return low, high
}

// highestBetweenPlainly is the highest magnitude between two samples of a channel
// that have all taps around them; 0 where none have.
func highestBetweenPlainly(samples []float32, channels int) float32 {
	highest := float32(0)
	window := (taps - 1) * channels
	for i := 0; i+window < len(samples); i++ {
		half, even, odd := float32(0), float32(0), float32(0)
		left, right := i, i+window
		for j := range folds {
			k, l, r := &folds[j], samples[left], samples[right]
			half += k.half * (l + r)
			even += k.even * (l + r)
			odd += k.odd * (l - r)
			left, right = left+channels, right-channels
		}
		for _, v := range [...]float32{half, even + odd, even - odd} {
			if v = abs(v); v > highest { // quicker than max, which looks for NaN
				highest = v
			}
		}
	}
	return highest
}
