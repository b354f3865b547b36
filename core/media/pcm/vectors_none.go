//go:build !goexperiment.simd || !amd64 || plain

package pcm

func decode16(into []float32, from []byte) { decode16Plainly(into, from) }
