package media

import (
	"context"
	"encoding/binary"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"aftergust/core/loudness"
	"aftergust/core/peaks"
	"aftergust/internal/studio"
)

// PeakCount is how many peaks a sound is drawn with where no more is needed.
const PeakCount = 240

// Listen decodes the sound of a file once and finds its peaks at several
// resolutions, its integrated loudness and its true peak. They go into the
// facts; the peaks are also made a file.
func Listen(ctx context.Context, file, dir string, facts *studio.Facts) (Made, error) {
	rate, channels := facts.SampleRate, facts.Channels
	if rate < 8000 || rate > 768_000 || channels < 1 || channels > 64 {
		rate, channels = 48000, 2
	}
	l := newListener(rate, channels, facts.BitDepth > 16 || facts.BitDepth == 0)
	args := append([]string{"-v", "error", "-nostdin"}, readSafely...)
	args = append(args, "-i", file, "-map", "0:a:0", "-ar", strconv.Itoa(rate), "-ac", strconv.Itoa(channels), "-f", l.format(), "-")
	_, err := run(ctx, task{limit: 2 * time.Hour, dir: dir, out: l, pipe: true}, "ffmpeg", args...)
	l.end()
	if err != nil {
		return Made{}, err
	}
	facts.Peaks = l.peaks.Overview(PeakCount)
	facts.Measured = true
	facts.LUFS, facts.PeakDBTP = tenth(l.meter.Integrated()), tenth(l.meter.TruePeak())
	m := Made{File: filepath.Join(dir, "peaks.bin"), Purpose: "peaks", Mime: "application/octet-stream"}
	return m, os.WriteFile(m.File, l.peaks.Encode(rate), 0o600)
}

func tenth(v float64) float64 { return math.Round(v*10) / 10 }

// A listener takes interleaved samples as they come out of a pipe.
type listener struct {
	meter *loudness.Meter
	peaks peaks.Builder
	deep  bool // 32-bit floats instead of 16-bit integers
	rest  []byte
	lines [][]float32 // one for each channel, a few bins long
	held  int         // frames in lines
	full  chan [][]float32
	free  chan [][]float32
	done  chan struct{}
}

// binsAtOnce is how many bins of peaks are measured together, and piecesAhead how
// many such pieces are in work while the next is filled.
const (
	binsAtOnce  = 32
	piecesAhead = 3
)

func newListener(rate, channels int, deep bool) *listener {
	l := &listener{meter: loudness.New(rate, channels), deep: deep,
		full: make(chan [][]float32, piecesAhead), free: make(chan [][]float32, piecesAhead+1), done: make(chan struct{})}
	for range piecesAhead + 1 {
		lines := make([][]float32, channels)
		for c := range lines {
			lines[c] = make([]float32, loudness.Block*binsAtOnce)
		}
		l.free <- lines
	}
	l.lines = <-l.free
	go l.measure()
	return l
}

func (l *listener) format() string {
	if l.deep {
		return "f32le"
	}
	return "s16le"
}

func (l *listener) Write(p []byte) (int, error) {
	n := len(p)
	width := 2
	if l.deep {
		width = 4
	}
	frame := width * len(l.lines)
	if len(l.rest) > 0 {
		missing := min(frame-len(l.rest), len(p))
		l.rest = append(l.rest, p[:missing]...)
		p = p[missing:]
		if len(l.rest) < frame {
			return n, nil
		}
		l.take(l.rest, frame)
		l.rest = l.rest[:0]
	}
	whole := len(p) / frame * frame
	l.take(p[:whole], frame)
	l.rest = append(l.rest, p[whole:]...)
	return n, nil
}

// take sorts whole frames into the channels' lines and measures them when they are full.
func (l *listener) take(p []byte, frame int) {
	for len(p) > 0 {
		n := min(len(p)/frame, len(l.lines[0])-l.held)
		for c := range l.lines {
			line := l.lines[c][l.held : l.held+n]
			if l.deep {
				for i, at := 0, 4*c; i < len(line); i, at = i+1, at+frame {
					line[i] = math.Float32frombits(binary.LittleEndian.Uint32(p[at:]))
				}
			} else {
				at := 2 * c
				for i := range line {
					two := p[at : at+2 : at+2]
					line[i] = float32(int16(uint16(two[0])|uint16(two[1])<<8)) * (1.0 / 32768)
					at += frame
				}
			}
		}
		l.held += n
		p = p[n*frame:]
		if l.held == len(l.lines[0]) {
			l.pass()
		}
	}
}

// pass hands a piece over to be measured and takes an empty one.
func (l *listener) pass() {
	piece := make([][]float32, len(l.lines))
	for c := range piece {
		piece[c] = l.lines[c][:l.held]
	}
	l.full <- piece
	l.lines = <-l.free
	l.held = 0
}

// measure runs beside decoding, loudness and peaks beside each other.
func (l *listener) measure() {
	defer close(l.done)
	weighed := make(chan struct{})
	for piece := range l.full {
		go func() {
			l.meter.Weigh(piece)
			weighed <- struct{}{}
		}()
		l.meter.Peaks(piece, l.peaks.Add)
		<-weighed
		for c := range piece {
			piece[c] = piece[c][:cap(piece[c])]
		}
		l.free <- piece
	}
}

// end measures what is left and waits until all is measured.
func (l *listener) end() {
	if l.held > 0 {
		l.pass()
	}
	close(l.full)
	<-l.done
}
