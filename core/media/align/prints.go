package align

import (
	"encoding/binary"
	"errors"
	"fmt"

	"aftergust/core/time/timecode"
)

// Cells of the small picture of which a print is made.
const (
	Wide = 9
	High = 8
	// PictureBytes is a picture of Wide × High pixels in three planes, Y, U and V.
	PictureBytes = 3 * Wide * High
)

// Picture makes a print of a small picture, without its sound. It is PictureBytes long.
func Picture(pixels []byte) (p Print) {
	plane := func(n int) []byte { return pixels[n*Wide*High : (n+1)*Wide*High] }
	y := plane(0)
	bit := 0
	for row := range High {
		for col := range Wide - 1 {
			if y[row*Wide+col] > y[row*Wide+col+1] {
				p.Across |= 1 << bit
			}
			bit++
		}
	}
	bit = 0
	for row := range High - 1 {
		for col := range Wide {
			if y[row*Wide+col] > y[(row+1)*Wide+col] {
				p.Down |= 1 << bit
			}
			bit++
		}
	}
	p.Y, p.U, p.V = mean(y), mean(plane(1)), mean(plane(2))
	return p
}

func mean(plane []byte) uint8 {
	sum := 0
	for _, v := range plane {
		sum += int(v)
	}
	return uint8((sum + len(plane)/2) / len(plane))
}

// Sound makes prints of a sound from how loud it is in each hop (Print.Level): whether it
// is louder than in the next hop, and than in the one after that, for the 64 hops around.
func Sound(levels []uint8) []Print {
	out := make([]Print, len(levels))
	at := func(i int) uint8 { return levels[min(max(i, 0), len(levels)-1)] }
	for i := range out {
		out[i].Level = levels[i]
		for k := range 64 {
			j := i + k - 32
			if at(j) > at(j+1) {
				out[i].Across |= 1 << k
			}
			if k < 63 && at(j) > at(j+2) {
				out[i].Down |= 1 << k
			}
		}
	}
	return out
}

// ErrPrints is returned for bytes that hold no prints.
var ErrPrints = errors.New("these are no prints")

const (
	magic    = "AGA1"
	headSize = 4 + 3*8
	onePrint = 20
)

// Encode writes a film's prints, 20 bytes for each frame.
func (f Film) Encode() []byte {
	out := make([]byte, 0, headSize+onePrint*len(f.Prints))
	out = append(out, magic...)
	for _, v := range []int64{f.Rate.Num, f.Rate.Den, int64(len(f.Prints))} {
		out = binary.LittleEndian.AppendUint64(out, uint64(v))
	}
	for _, p := range f.Prints {
		out = binary.LittleEndian.AppendUint64(out, p.Across)
		out = binary.LittleEndian.AppendUint64(out, p.Down)
		out = append(out, p.Y, p.U, p.V, p.Level)
	}
	return out
}

// Decode reads what Encode wrote.
func Decode(b []byte) (Film, error) {
	if len(b) < headSize || string(b[:4]) != magic {
		return Film{}, ErrPrints
	}
	number := func(i int) int64 { return int64(binary.LittleEndian.Uint64(b[4+8*i:])) }
	f := Film{Rate: timecode.Rate{Num: number(0), Den: number(1)}}
	n := number(2)
	if f.Rate.Validate() != nil || n < 0 || int64(len(b)-headSize) != n*onePrint {
		return Film{}, fmt.Errorf("%w: %d frames in %d bytes", ErrPrints, n, len(b))
	}
	f.Prints = make([]Print, n)
	for i := range f.Prints {
		one := b[headSize+i*onePrint:]
		f.Prints[i] = Print{binary.LittleEndian.Uint64(one), binary.LittleEndian.Uint64(one[8:]), one[16], one[17], one[18], one[19]}
	}
	return f, nil
}
