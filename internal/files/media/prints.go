package media

import (
	"context"
	"encoding/binary"
	"math"
	"strconv"
	"time"

	"aftergust/core/media/align"
	"aftergust/core/media/piece"
	"aftergust/core/time/timecode"
)

// Of a sound so many hops a second are compared; its level is measured at soundRate samples a second.
const (
	soundHops = 50
	soundRate = 8000
)

// Prints makes the signatures by which versions are compared (core/media/align) from a proxy: of
// each frame of a film, of each 20 ms of a sound.
func Prints(ctx context.Context, file, dir string, facts piece.Facts) (align.Film, error) {
	film := align.Film{Rate: timecode.Rate{Num: soundHops, Den: 1}}
	if facts.Frames > 0 {
		film.Rate = facts.Timeline().Rate
		p := &pictures{}
		args := append([]string{"-v", "error", "-nostdin"}, readSafely...)
		args = append(args, "-i", file, "-map", "0:v:0", "-fps_mode", "passthrough", "-vf",
			"scale="+strconv.Itoa(align.Wide)+":"+strconv.Itoa(align.High)+":flags=area,format=yuv444p", "-f", "rawvideo", "-")
		if _, err := run(ctx, task{in: file, limit: time.Hour, dir: dir, out: p, pipe: true}, "ffmpeg", args...); err != nil {
			return film, err
		}
		film.Prints = p.prints
	}
	if facts.SampleRate == 0 {
		return film, nil
	}
	l := &levels{rate: film.Rate}
	args := append([]string{"-v", "error", "-nostdin"}, readSafely...)
	args = append(args, "-i", file, "-map", "0:a:0", "-ac", "1", "-ar", strconv.Itoa(soundRate), "-f", "s16le", "-")
	if _, err := run(ctx, task{in: file, limit: time.Hour, dir: dir, out: l, pipe: true}, "ffmpeg", args...); err != nil {
		return film, err
	}
	l.end()
	if facts.Frames == 0 {
		film.Prints = align.Sound(l.all)
		return film, nil
	}
	for i := range film.Prints {
		if i < len(l.all) {
			film.Prints[i].Level = l.all[i]
		}
	}
	return film, nil
}

// pictures makes prints of small pictures as they come.
type pictures struct {
	rest   []byte
	prints []align.Print
}

func (p *pictures) Write(b []byte) (int, error) {
	p.rest = append(p.rest, b...)
	at := 0
	for ; len(p.rest)-at >= align.PictureBytes; at += align.PictureBytes {
		p.prints = append(p.prints, align.Picture(p.rest[at:at+align.PictureBytes]))
	}
	p.rest = append(p.rest[:0], p.rest[at:]...)
	return len(b), nil
}

// levels measures how loud a sound is during each frame.
type levels struct {
	rate timecode.Rate
	odd  []byte
	n    int64 // samples so far
	sum  float64
	in   int64
	all  []uint8
}

func (l *levels) Write(b []byte) (int, error) {
	l.odd = append(l.odd, b...)
	at := 0
	for ; len(l.odd)-at >= 2; at += 2 {
		v := float64(int16(binary.LittleEndian.Uint16(l.odd[at:]))) / 32768
		l.sum += v * v
		l.in++
		if l.n++; l.n*l.rate.Num >= int64(len(l.all)+1)*soundRate*l.rate.Den {
			l.end()
		}
	}
	l.odd = append(l.odd[:0], l.odd[at:]...)
	return len(b), nil
}

// end closes the frame that is measured.
func (l *levels) end() {
	if l.in == 0 {
		return
	}
	db := 10 * math.Log10(l.sum/float64(l.in)+1e-10)
	l.all = append(l.all, uint8(min(200, max(0, math.Round(2*(db+100))))))
	l.sum, l.in = 0, 0
}
