package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/core/time/timecode"
)

// Recipe numbers the way in which derived are made. Raise it when that
// changes: what an older recipe made is then made anew.
const Recipe = 2

// A Made is a file that was made from a version, to be adopted as a derived.
type Made struct {
	File    string
	Purpose preview.Purpose
	Page    int
	Mime    string
	Width   int
	Height  int
}

// Sizes of what is made, in pixels.
const (
	posterEdge = 720
	pageEdge   = 1800
	proxyLines = 720
	smallLines = 360
	maxPages   = 60
	cellWidth  = 160 // of a picture in a filmstrip
	cellsInRow = 10
	maxCells   = 120
)

// Poster takes a picture from a tenth into a film.
func Poster(ctx context.Context, file, dir string, facts piece.Facts) (Made, error) {
	out := filepath.Join(dir, "poster.jpg")
	at := strconv.FormatFloat(float64(facts.LengthUS)/10_000_000, 'f', 3, 64)
	args := append([]string{"-v", "error", "-nostdin", "-y", "-ss", at}, readSafely...)
	args = append(args, "-i", file, "-map", "0:v:0", "-frames:v", "1", "-q:v", "4",
		"-vf", fmt.Sprintf("scale='min(%d,iw)':-2", posterEdge), "-update", "1", out)
	if _, err := run(ctx, task{in: file, limit: 5 * time.Minute, dir: dir}, "ffmpeg", args...); err != nil {
		return Made{}, err
	}
	return measured(ctx, Made{File: out, Purpose: preview.Poster, Mime: "image/jpeg"})
}

// frameEdge is the longest edge of the picture of one frame, in pixels.
const frameEdge = 1280

// Frame takes the picture of one frame out of a proxy.
func Frame(ctx context.Context, file, dir string, line timecode.Timeline, frame timecode.Frame) (Made, error) {
	out := filepath.Join(dir, "frame.jpg")
	// From half a frame before it: the first picture from there on is it.
	at := max(0, float64(line.Rate.Begin(frame))/1e6-float64(line.Rate.Den)/float64(line.Rate.Num)/2)
	args := append([]string{"-v", "error", "-nostdin", "-y", "-ss", strconv.FormatFloat(at, 'f', 6, 64)}, readSafely...)
	args = append(args, "-i", file, "-map", "0:v:0", "-frames:v", "1", "-q:v", "3",
		"-vf", fmt.Sprintf("scale='min(%d,iw)':-2", frameEdge), "-update", "1", out)
	if _, err := run(ctx, task{in: file, limit: time.Minute, dir: dir}, "ffmpeg", args...); err != nil {
		return Made{}, err
	}
	return measured(ctx, Made{File: out, Purpose: preview.Poster, Mime: "image/jpeg"})
}

// ErrStopped is returned where the progress function said that the work is not wanted any more.
var ErrStopped = errors.New("stopped by hand")

// Progress is told how much of a work is done, 0 to 1, about each second, and
// says whether to go on.
type Progress func(share float64) (goOn bool)

// Proxy makes what browsers play: H.264 and AAC in MP4 for a film, with the same
// number of frames at the same times, a key frame each half second and its index
// at the front; AAC in MP4 for a sound. Where the frame rate varies, each frame
// keeps its own time.
func Proxy(ctx context.Context, file, dir string, facts piece.Facts, progress Progress) (Made, error) {
	m := Made{File: filepath.Join(dir, "proxy.mp4"), Purpose: preview.Proxy, Mime: "audio/mp4"}
	if facts.Codec == "" {
		args := append([]string{"-i", file, "-map", "0:a:0"}, soundCodec...)
		return m, encode(ctx, file, dir, facts, progress, append(args, m.File))
	}
	m.Mime = "video/mp4"
	return scaled(ctx, file, dir, facts, progress, m, proxyLines)
}

// longFilm is from where on a film also gets a small proxy, for slow lines.
const longFilm = 10 * time.Minute

// SmallProxy makes a proxy of a quarter of the pixels from the proxy of a long
// film; ok is false where the film is short.
func SmallProxy(ctx context.Context, proxy Made, dir string, facts piece.Facts, progress Progress) (m Made, ok bool, err error) {
	if facts.Codec == "" || facts.LengthUS < longFilm.Microseconds() {
		return m, false, nil
	}
	m, err = scaled(ctx, proxy.File, dir, facts, progress, Made{File: filepath.Join(dir, "small.mp4"), Purpose: preview.ProxySmall,
		Mime: "video/mp4"}, smallLines)
	return m, err == nil, err
}

var soundCodec = []string{"-c:a", "aac", "-b:a", "160k", "-ac", "2"}

func scaled(ctx context.Context, file, dir string, facts piece.Facts, progress Progress, m Made, lines int) (Made, error) {
	every := max(1, facts.RateNum/max(1, facts.RateDen)/2)
	args := []string{"-i", file, "-map", "0:v:0", "-map", "0:a:0?", "-c:v", "libx264", "-preset", "veryfast", "-crf", "23", "-pix_fmt",
		"yuv420p",
		"-g", strconv.FormatInt(every, 10), "-vf", fmt.Sprintf("scale=-2:'min(%d,floor(ih/2)*2)'", lines), "-fps_mode", "passthrough"}
	if facts.RateDen > 0 && !facts.Variable {
		// A time base in which each frame's beginning is a whole number, so that none moves.
		args = append(args, "-video_track_timescale", strconv.FormatInt(timescale(facts.RateNum), 10))
	}
	args = append(args, soundCodec...)
	if err := encode(ctx, file, dir, facts, progress, append(args, m.File)); err != nil {
		return m, err
	}
	made, err := Probe(ctx, m.File)
	if err != nil {
		return m, fmt.Errorf("look at the proxy: %w", err)
	}
	if made.Frames != facts.Frames {
		return m, fmt.Errorf("the proxy has %d frames, the original %d: %w", made.Frames, facts.Frames, ErrUnreadable)
	}
	m.Width, m.Height = made.Width, made.Height
	return m, nil
}

func encode(ctx context.Context, file, dir string, facts piece.Facts, progress Progress, args []string) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	all := append([]string{"-v", "error", "-nostdin", "-y", "-progress", "pipe:1", "-nostats"}, readSafely...)
	out := args[len(args)-1]
	all = append(append(all, args[:len(args)-1]...), "-map_metadata", "-1", "-write_tmcd", "0", "-movflags", "+faststart", out)
	_, err := run(ctx, task{in: file, limit: 6 * time.Hour, dir: dir, out: &meter{length: facts.LengthUS, progress: progress, stop: stop}}, "ffmpeg",
		all...)
	if cause := context.Cause(ctx); errors.Is(cause, ErrStopped) {
		return cause
	}
	return err
}

// A meter reads what ffmpeg says of its progress.
type meter struct {
	length   int64 // microseconds
	progress Progress
	stop     context.CancelCauseFunc
	rest     string
	last     time.Time
}

func (m *meter) Write(p []byte) (int, error) {
	m.rest += string(p)
	for {
		line, rest, whole := strings.Cut(m.rest, "\n")
		if !whole {
			return len(p), nil
		}
		m.rest = rest
		text, ok := strings.CutPrefix(line, "out_time_us=")
		if !ok || m.progress == nil || m.length <= 0 || time.Since(m.last) < time.Second {
			continue
		}
		m.last = time.Now()
		if !m.progress(min(float64(number(text))/float64(m.length), 1)) {
			m.stop(ErrStopped)
		}
	}
}

// Strip makes a filmstrip from a proxy: one picture with small ones in rows, and
// a WebVTT index of it, whose cues name the part by a media fragment
// (strip#xywh=x,y,w,h in pixels).
func Strip(ctx context.Context, proxy Made, dir string, facts piece.Facts) ([]Made, error) {
	if facts.LengthUS <= 0 || proxy.Width == 0 {
		return nil, nil
	}
	every := max(1_000_000, (facts.LengthUS+maxCells-1)/maxCells)
	cells := int((facts.LengthUS + every - 1) / every)
	rows := (cells + cellsInRow - 1) / cellsInRow
	height := max(2, cellWidth*proxy.Height/proxy.Width/2*2)
	strip := Made{File: filepath.Join(dir, "strip.jpg"), Purpose: preview.Strip, Mime: "image/jpeg", Width: cellWidth * cellsInRow,
		Height: height * rows}
	// A proxy has a key frame each half second, so the others need not be decoded.
	args := append([]string{"-v", "error", "-nostdin", "-y", "-skip_frame", "nokey"}, readSafely...)
	args = append(args, "-i", proxy.File, "-map", "0:v:0", "-frames:v", "1", "-q:v", "6", "-update", "1",
		"-vf", fmt.Sprintf("fps=1000000/%d:round=up,scale=%d:%d,tile=%dx%d", every, cellWidth, height, cellsInRow, rows), strip.File)
	if _, err := run(ctx, task{in: proxy.File, limit: time.Hour, dir: dir}, "ffmpeg", args...); err != nil {
		return nil, err
	}
	index := Made{File: filepath.Join(dir, "strip.vtt"), Purpose: preview.StripIndex, Mime: "text/vtt"}
	var vtt strings.Builder
	vtt.WriteString("WEBVTT\n")
	for i := range cells {
		from := int64(i) * every
		fmt.Fprintf(&vtt, "\n%s --> %s\nstrip#xywh=%d,%d,%d,%d\n", cueTime(from), cueTime(min(from+every, facts.LengthUS)),
			i%cellsInRow*cellWidth, i/cellsInRow*height, cellWidth, height)
	}
	return []Made{strip, index}, os.WriteFile(index.File, []byte(vtt.String()), 0o600)
}

func cueTime(us int64) string {
	ms := us / 1000
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}

func timescale(num int64) int64 {
	for num < 10_000 {
		num *= 10
	}
	return num
}

// Room makes an empty folder for one job, to be removed by done.
func Room(work string) (dir string, done func(), err error) {
	dir, err = os.MkdirTemp(work, "media-")
	return dir, func() { _ = os.RemoveAll(dir) }, err
}
