// Package peaks reduces a sound to what a waveform is drawn from, at several
// resolutions, in a compact binary.
//
// The file is little-endian:
//
//	4 bytes  "AGP1"
//	uint32   sample rate in hertz
//	uint32   number of levels
//	for each level: uint32 frames in a bin, uint32 bins, uint32 offset in the file
//	for each level: bins × (int8 lowest, int8 highest), of all channels together
//
// -127 and 127 are full scale. The first level is the finest; each next has
// eight times as many frames in a bin.
package peaks

import (
	"encoding/binary"
	"errors"
	"math"
)

// Sizes of what is made.
const (
	Fine     = 512 // frames in a bin of the finest level
	step     = 8   // how much coarser the next level is
	coarsest = 512 // a level with no more bins than this is the last
	maxBins  = 1e7 // of the finest level, against broken lengths: 29 h at 48 kHz
	scale    = 127 // full scale
	head     = 12  // bytes before the levels
	perLevel = 12  // bytes for each level
	magic    = "AGP1"
)

// ErrFormat is returned for what is not such a file.
var ErrFormat = errors.New("not a file of peaks")

// A Bin is the lowest and highest sample in it, -127 to 127.
type Bin struct{ Low, High int8 }

// A Level is one resolution.
type Level struct {
	Frames int // in each bin
	Bins   []Bin
}

// A Builder takes bins of the finest level in order. The zero Builder is ready for use.
type Builder struct{ fine []Bin }

// Add takes the lowest and highest sample of the next Fine frames, -1 to 1.
func (b *Builder) Add(low, high float32) {
	if len(b.fine) < maxBins {
		b.fine = append(b.fine, Bin{quantise(low), quantise(high)})
	}
}

func quantise(v float32) int8 {
	return int8(math.Round(float64(min(max(v, -1), 1)) * scale))
}

// Levels are all resolutions, the finest first.
func (b *Builder) Levels() []Level {
	levels := []Level{{Fine, b.fine}}
	for last := levels[0]; len(last.Bins) > coarsest; last = levels[len(levels)-1] {
		levels = append(levels, Level{last.Frames * step, merge(last.Bins, (len(last.Bins)+step-1)/step)})
	}
	return levels
}

// merge makes n bins of many.
func merge(bins []Bin, n int) []Bin {
	out := make([]Bin, n)
	for i := range out {
		from, to := i*step, min((i+1)*step, len(bins))
		out[i] = span(bins[from:to])
	}
	return out
}

func span(bins []Bin) Bin {
	all := bins[0]
	for _, b := range bins[1:] {
		all.Low, all.High = min(all.Low, b.Low), max(all.High, b.High)
	}
	return all
}

// Overview is the loudest sample of each of n equal parts, 0 to 255; nil for no sound.
func (b *Builder) Overview(n int) []int {
	if len(b.fine) == 0 {
		return nil
	}
	out := make([]int, n)
	for i := range out {
		from := i * len(b.fine) / n
		to := max(from+1, (i+1)*len(b.fine)/n)
		bin := span(b.fine[from:to])
		out[i] = min(255, max(-int(bin.Low), int(bin.High))*255/scale)
	}
	return out
}

// Encode writes the file.
func (b *Builder) Encode(sampleRate int) []byte {
	levels := b.Levels()
	out := []byte(magic)
	out = binary.LittleEndian.AppendUint32(out, uint32(sampleRate))
	out = binary.LittleEndian.AppendUint32(out, uint32(len(levels)))
	offset := head + perLevel*len(levels)
	for _, l := range levels {
		for _, n := range []int{l.Frames, len(l.Bins), offset} {
			out = binary.LittleEndian.AppendUint32(out, uint32(n))
		}
		offset += 2 * len(l.Bins)
	}
	for _, l := range levels {
		for _, bin := range l.Bins {
			out = append(out, byte(bin.Low), byte(bin.High))
		}
	}
	return out
}

// Decode reads a file.
func Decode(file []byte) (sampleRate int, levels []Level, err error) {
	if len(file) < head || string(file[:4]) != magic {
		return 0, nil, ErrFormat
	}
	number := func(at int) int { return int(binary.LittleEndian.Uint32(file[at:])) }
	count := number(8)
	if count > 32 || len(file) < head+perLevel*count {
		return 0, nil, ErrFormat
	}
	for i := range count {
		at := head + perLevel*i
		frames, bins, offset := number(at), number(at+4), number(at+8)
		if offset+2*bins > len(file) {
			return 0, nil, ErrFormat
		}
		l := Level{Frames: frames, Bins: make([]Bin, bins)}
		for j := range l.Bins {
			l.Bins[j] = Bin{int8(file[offset+2*j]), int8(file[offset+2*j+1])}
		}
		levels = append(levels, l)
	}
	return number(4), levels, nil
}
