//go:build !goexperiment.simd || !amd64 || plain

package loudness

func weigh(f weighting, memories []memory, samples []float32) { weighPlainly(f, memories, samples) }

func (*Meter) weighHalves([]float32) int { return 0 }

func extremes(samples []float32) (low, high float32) { return extremesPlainly(samples) }

func highestBetween(samples []float32, channels int) float32 {
	return highestBetweenPlainly(samples, channels)
}
