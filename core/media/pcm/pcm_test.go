package pcm_test

import (
	"encoding/binary"
	"math"
	"testing"

	"aftergust/core/media/pcm"

	"github.com/stretchr/testify/assert"
)

// Source: the WAVE format's two's complement, lowest byte first (from memory).
func TestEachFormatReachesFullScale(t *testing.T) {
	for _, c := range []struct {
		format pcm.Format
		from   []byte
		want   []float32
	}{
		{pcm.S16, []byte{0, 0x80, 0, 0, 0, 0x40, 0xff, 0xff}, []float32{-1, 0, 0.5, -1.0 / 32768}},
		{pcm.S24, []byte{0, 0, 0x80, 0, 0, 0x40, 0xff, 0xff, 0xff}, []float32{-1, 0.5, -1.0 / (1 << 23)}},
		{pcm.S24, []byte{1, 0, 0, 0x56, 0x34, 0x12, 0x7f, 0xff, 0xff}, []float32{1.0 / (1 << 23), 0x123456p-23, -129.0 / (1 << 23)}},
		{pcm.S32, []byte{0, 0, 0, 0x80, 0, 0, 0, 0x40, 0x80, 0, 0, 0}, []float32{-1, 0.5, 128.0 / (1 << 31)}},
		{pcm.F32, []byte{0, 0, 0x80, 0x47, 0xff, 0xff, 0x7f, 0x47, 0, 0, 0x80, 0xc7}, []float32{0, 65535.996, 0}},
		{pcm.F32, []byte{0, 0, 0x80, 0x3f, 0, 0, 0xc0, 0xbf, 0, 0, 0xc0, 0x7f, 0, 0, 0x80, 0xff}, []float32{1, -1.5, 0, 0}},
	} {
		assert.Equal(t, len(c.from), c.format.Width()*len(c.want))
		got := make([]float32, len(c.want))
		pcm.Decode(c.format, got, c.from)
		assert.Equal(t, c.want, got, c.format)
	}
	assert.Zero(t, pcm.Format("alaw").Width())
}

func TestEverySixteenBitSampleIsItself(t *testing.T) {
	for _, n := range []int{1, 7, 8, 9, 1 << 16} {
		from, into := make([]byte, 2*n), make([]float32, n)
		for i := range n {
			binary.LittleEndian.PutUint16(from[2*i:], uint16(i*31))
		}
		pcm.Decode(pcm.S16, into, from)
		for i, v := range into {
			if int16(uint16(i*31)) != int16(math.Round(float64(v)*32768)) {
				t.Fatalf("sample %d of %d is %v", i, n, v)
			}
		}
	}
}
