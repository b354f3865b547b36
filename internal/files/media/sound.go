package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"aftergust/core/media/loudness"
	"aftergust/core/media/pcm"
	"aftergust/core/media/peaks"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
)

// PeakCount is how many peaks a sound is drawn with where no more is needed.
const PeakCount = 240

// Listen decodes the sound of a file once and finds its peaks at several
// resolutions, its integrated loudness and its true peak. They go into the
// facts; the peaks are also made a file.
func Listen(ctx context.Context, file, dir string, facts *piece.Facts) (Made, error) {
	rate, channels := facts.SampleRate, facts.Channels
	if rate < 8000 || rate > 768_000 || channels < 1 || channels > 64 {
		rate, channels = 48000, 2
	}
	var plain stretch
	var err error
	if rate == facts.SampleRate && channels == facts.Channels {
		if plain, err = plainSamples(ctx, file, *facts); err != nil {
			return Made{}, err
		}
	}
	format := plain.format
	if plain.bytes == 0 {
		format = pcm.S16
		if facts.BitDepth > 16 || facts.BitDepth == 0 {
			format = pcm.F32
		}
	}
	l := newListener(rate, channels, format)
	if plain.bytes > 0 {
		err = readInto(ctx, l, file, plain)
	} else {
		args := append([]string{"-v", "error", "-nostdin"}, readSafely...)
		args = append(args, "-i", file, "-map", "0:a:0", "-ar", strconv.Itoa(rate), "-ac", strconv.Itoa(channels), "-f", string(format), "-")
		_, err = run(ctx, task{in: file, limit: 2 * time.Hour, dir: dir, out: l, pipe: true}, "ffmpeg", args...)
	}
	l.end()
	if err != nil {
		return Made{}, err
	}
	facts.Peaks = l.peaks.Overview(PeakCount)
	facts.Measured = true
	facts.LUFS, facts.PeakDBTP = tenth(l.meter.Integrated()), tenth(l.meter.TruePeak())
	m := Made{File: filepath.Join(dir, "peaks.bin"), Purpose: preview.Peaks, Mime: "application/octet-stream"}
	return m, os.WriteFile(m.File, l.peaks.Encode(rate), 0o600)
}

// longestVoice is how much of a voice is kept, in seconds.
const longestVoice = 600

// Voice makes what all browsers play of a voice that one of them recorded, at most ten
// minutes of it, and its length with so many peaks.
func Voice(ctx context.Context, file, dir string, peaks int) (Made, piece.Facts, error) {
	m := Made{File: filepath.Join(dir, "voice.m4a"), Purpose: preview.Proxy, Mime: "audio/mp4"}
	err := encode(ctx, file, dir, piece.Facts{}, nil, []string{"-i", file, "-map", "0:a:0", "-t", strconv.Itoa(longestVoice),
		"-c:a", "aac", "-b:a", "96k", "-ac", "1", "-ar", "48000", m.File})
	if err != nil {
		return m, piece.Facts{}, err
	}
	facts, err := Probe(ctx, m.File)
	if err == nil {
		_, err = Listen(ctx, m.File, dir, &facts)
	}
	facts.Peaks = fewer(facts.Peaks, peaks)
	return m, facts, err
}

// fewer draws peaks with at most n of them, each the loudest of those that it stands for.
func fewer(peaks []int, n int) []int {
	if len(peaks) <= n {
		return peaks
	}
	out := make([]int, n)
	for i := range out {
		out[i] = slices.Max(peaks[i*len(peaks)/n : (i+1)*len(peaks)/n])
	}
	return out
}

func tenth(v float64) float64 { return math.Round(v*10) / 10 }

// A stretch of a file in which samples lie one after the other, as in a WAV.
type stretch struct {
	format        pcm.Format
	offset, bytes int64
}

// plainSamples says where the samples of a WAV lie, so that they need no decoder.
// For everything else the stretch is empty.
func plainSamples(ctx context.Context, file string, facts piece.Facts) (stretch, error) {
	coding, isPCM := strings.CutPrefix(facts.SoundCodec, "pcm_")
	s := stretch{format: pcm.Format(coding)}
	frame := int64(s.format.Width() * facts.Channels)
	if !isPCM || frame == 0 || facts.Codec != "" {
		return stretch{}, nil
	}
	args := append([]string{"-v", "error"}, readSafely...)
	args = append(args, "-select_streams", "a:0", "-read_intervals", "%+#1", "-show_entries",
		"packet=pos:stream=duration_ts:format=format_name,size", "-of", "json", file)
	out, err := run(ctx, task{in: file, limit: time.Minute}, "ffprobe", args...)
	if err != nil {
		return stretch{}, err
	}
	var p struct {
		Packets []struct {
			At string `json:"pos"`
		} `json:"packets"`
		Streams []struct {
			Frames int64 `json:"duration_ts"`
		} `json:"streams"`
		Format struct {
			Name string `json:"format_name"`
			Size string `json:"size"`
		} `json:"format"`
	}
	if err := json.Unmarshal(out, &p); err != nil {
		return stretch{}, fmt.Errorf("ffprobe's answer: %w", err)
	}
	if p.Format.Name != "wav" || len(p.Streams) != 1 || len(p.Packets) == 0 || number(p.Packets[0].At) <= 0 {
		return stretch{}, nil
	}
	s.offset = number(p.Packets[0].At)
	s.bytes = min(p.Streams[0].Frames, (number(p.Format.Size)-s.offset)/frame) * frame
	return s, nil
}

// readInto gives the listener a stretch of a file.
func readInto(ctx context.Context, l *listener, file string, s stretch) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	samples := io.NewSectionReader(f, s.offset, s.bytes)
	buffer := make([]byte, 1<<18)
	for ctx.Err() == nil {
		n, err := samples.Read(buffer)
		_, _ = l.Write(buffer[:n]) // never fails
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
	return ctx.Err()
}

// A listener takes interleaved samples as they come and keeps what it finds.
type listener struct {
	meter    *loudness.Meter
	peaks    peaks.Builder
	channels int
	format   pcm.Format
	odd      []byte        // the beginning of a sample whose end has not come yet
	piece    []float32     // fills, and is measured when it is full
	other    []float32     // is being weighed
	weighed  chan struct{} // something comes when other is free
}

// atOnce is how many samples are measured together, at most: some seconds of stereo.
const atOnce = 1 << 18

func newListener(rate, channels int, format pcm.Format) *listener {
	l := &listener{meter: loudness.New(rate, channels), channels: channels, format: format, weighed: make(chan struct{}, 1)}
	frames := max(1, atOnce/channels/loudness.Block) * loudness.Block
	l.piece, l.other = make([]float32, 0, frames*channels), make([]float32, 0, frames*channels)
	l.weighed <- struct{}{}
	return l
}

func (l *listener) Write(p []byte) (int, error) {
	n, width := len(p), l.format.Width()
	if len(l.odd) > 0 {
		missing := min(width-len(l.odd), len(p))
		l.odd = append(l.odd, p[:missing]...)
		p = p[missing:]
		if len(l.odd) < width {
			return n, nil
		}
		l.take(l.odd)
	}
	whole := len(p) / width * width
	l.take(p[:whole])
	l.odd = append(l.odd[:0], p[whole:]...)
	return n, nil
}

// take adds whole samples to the piece.
func (l *listener) take(p []byte) {
	for width := l.format.Width(); len(p) > 0; {
		held := len(l.piece)
		l.piece = l.piece[:min(cap(l.piece), held+len(p)/width)]
		pcm.Decode(l.format, l.piece[held:], p)
		p = p[(len(l.piece)-held)*width:]
		if len(l.piece) == cap(l.piece) {
			l.measure()
		}
	}
}

// measure finds the peaks of the piece; weighing it goes on while the next one fills.
func (l *listener) measure() {
	piece := l.piece[:len(l.piece)/l.channels*l.channels] // the end of a broken file can leave part of a frame
	<-l.weighed
	go func() {
		l.meter.Weigh(piece)
		l.weighed <- struct{}{}
	}()
	l.meter.Peaks(piece, l.peaks.Add)
	l.piece, l.other = l.other[:0], l.piece
}

// end measures what is left and waits until all is measured.
func (l *listener) end() {
	l.measure()
	<-l.weighed
}
