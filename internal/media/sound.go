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
	if _, err := run(ctx, task{limit: 2 * time.Hour, dir: dir, out: l, pipe: true}, "ffmpeg", args...); err != nil {
		return Made{}, err
	}
	l.end()
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
}

// binsAtOnce is how many bins of peaks are measured together.
const binsAtOnce = 16

func newListener(rate, channels int, deep bool) *listener {
	l := &listener{meter: loudness.New(rate, channels), deep: deep, lines: make([][]float32, channels)}
	for c := range l.lines {
		l.lines[c] = make([]float32, peaks.Fine*binsAtOnce)
	}
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
				for i, at := 0, 2*c; i < len(line); i, at = i+1, at+frame {
					line[i] = float32(int16(binary.LittleEndian.Uint16(p[at:]))) * (1.0 / 32768)
				}
			}
		}
		l.held += n
		p = p[n*frame:]
		if l.held == len(l.lines[0]) {
			l.measure()
		}
	}
}

func (l *listener) measure() {
	frames := make([][]float32, len(l.lines))
	for c := range l.lines {
		frames[c] = l.lines[c][:l.held]
	}
	l.meter.Write(frames)
	for from := 0; from < l.held; from += peaks.Fine {
		low, high := float32(0), float32(0)
		for _, line := range frames {
			for _, v := range line[from:min(from+peaks.Fine, l.held)] {
				low, high = min(low, v), max(high, v)
			}
		}
		l.peaks.Add(low, high)
	}
	l.held = 0
}

// end measures what is left.
func (l *listener) end() {
	if l.held > 0 {
		l.measure()
	}
}
