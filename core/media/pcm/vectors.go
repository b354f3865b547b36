//go:build goexperiment.simd && amd64 && !plain

package pcm

import "simd/archsimd"

var vectors = archsimd.X86.AVX2()

func decode16(into []float32, from []byte) {
	const lanes = 8
	if vectors {
		scale := archsimd.BroadcastFloat32x8(1.0 / (1 << 15))
		for ; len(into) >= lanes; into, from = into[lanes:], from[2*lanes:] {
			archsimd.LoadUint8x16Slice(from).AsInt16x8().ExtendToInt32().ConvertToFloat32().Mul(scale).StoreSlice(into)
		}
	}
	decode16Plainly(into, from)
}
