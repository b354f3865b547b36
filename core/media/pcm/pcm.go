// Package pcm turns samples as they lie in files into numbers.
package pcm

import (
	"encoding/binary"
	"math"
)

// A Format is how a sample lies in a file, by the name that ffmpeg gives it.
type Format string

// The formats, all with the lowest byte first.
const (
	S16 Format = "s16le"
	S24 Format = "s24le"
	S32 Format = "s32le"
	F32 Format = "f32le"
)

// Width is how many bytes a sample has; 0 for a format that is not among the above.
func (f Format) Width() int {
	switch f {
	case S16:
		return 2
	case S24:
		return 3
	case S32, F32:
		return 4
	}
	return 0
}

// Decode fills into with samples, full scale at ±1. from holds at least as many.
// In a file of floats anything can stand: what is no number, or more than 96 dB
// beyond full scale, becomes 0.
func Decode(f Format, into []float32, from []byte) {
	switch f {
	case S16:
		decode16(into, from)
	case S24:
		for i := range into {
			b := from[3*i : 3*i+3]
			into[i] = float32(int32(b[0])<<8|int32(b[1])<<16|int32(b[2])<<24) * (1.0 / (1 << 31))
		}
	case S32:
		for i := range into {
			into[i] = float32(int32(binary.LittleEndian.Uint32(from[4*i:]))) * (1.0 / (1 << 31))
		}
	case F32:
		const loudest = 1 << 16
		for i := range into {
			v := math.Float32frombits(binary.LittleEndian.Uint32(from[4*i:]))
			if v > -loudest && v < loudest {
				into[i] = v
			} else {
				into[i] = 0
			}
		}
	}
}

func decode16Plainly(into []float32, from []byte) {
	for i := range into {
		into[i] = float32(int16(binary.LittleEndian.Uint16(from[2*i:]))) * (1.0 / (1 << 15))
	}
}
