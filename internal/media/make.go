package media

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"aftergust/internal/studio"
)

// Recipe numbers the way in which derived are made. Raise it when that
// changes: what an older recipe made is then made anew.
const Recipe = 1

// A Made is a file that was made from a version, to be adopted as a derived.
type Made struct {
	File    string
	Purpose string
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
	maxPages   = 60
)

// Poster takes a picture from a tenth into a film.
func Poster(ctx context.Context, file, dir string, facts studio.Facts) (Made, error) {
	out := filepath.Join(dir, "poster.jpg")
	at := strconv.FormatFloat(float64(facts.LengthUS)/10_000_000, 'f', 3, 64)
	args := append([]string{"-v", "error", "-nostdin", "-y", "-ss", at}, readSafely...)
	args = append(args, "-i", file, "-map", "0:v:0", "-frames:v", "1", "-q:v", "4",
		"-vf", fmt.Sprintf("scale='min(%d,iw)':-2", posterEdge), "-update", "1", out)
	if _, err := run(ctx, 5*time.Minute, nil, "ffmpeg", args...); err != nil {
		return Made{}, err
	}
	return measured(ctx, Made{File: out, Purpose: "poster", Mime: "image/jpeg"})
}

// Pictures makes the poster and the large preview of a still, or the poster and
// the pages of a PDF. pages is the number of pages that the document has.
func Pictures(ctx context.Context, file, dir, mime string) (made []Made, pages, width, height int, err error) {
	pages = 1
	if mime == "application/pdf" {
		if pages, err = header(ctx, file, "n-pages"); err != nil {
			return nil, 0, 0, 0, err
		}
	} else {
		if width, err = header(ctx, file, "width"); err != nil {
			return nil, 0, 0, 0, err
		}
		if height, err = header(ctx, file, "height"); err != nil {
			return nil, 0, 0, 0, err
		}
	}
	poster, err := thumbnail(ctx, file, filepath.Join(dir, "poster.jpg"), posterEdge, Made{Purpose: "poster"})
	if err != nil {
		return nil, 0, 0, 0, err
	}
	made = append(made, poster)
	for page := range min(pages, maxPages) {
		source := file
		if mime == "application/pdf" {
			source = fmt.Sprintf("%s[page=%d]", file, page)
		}
		one, err := thumbnail(ctx, source, filepath.Join(dir, fmt.Sprintf("page-%d.jpg", page+1)), pageEdge, Made{Purpose: "page", Page: page + 1})
		if err != nil {
			return nil, 0, 0, 0, err
		}
		made = append(made, one)
	}
	if mime != "application/pdf" {
		pages = 0
	}
	return made, pages, width, height, nil
}

func thumbnail(ctx context.Context, source, out string, edge int, m Made) (Made, error) {
	_, err := run(ctx, 5*time.Minute, nil, "vipsthumbnail", source, "--size", fmt.Sprintf("%dx%d>", edge, edge), "--export-profile", "srgb",
		"--output", out+"[Q=84,strip,background=255]")
	if err != nil {
		return m, err
	}
	m.File, m.Mime = out, "image/jpeg"
	return measured(ctx, m)
}

func measured(ctx context.Context, m Made) (Made, error) {
	var err error
	if m.Width, err = header(ctx, m.File, "width"); err == nil {
		m.Height, err = header(ctx, m.File, "height")
	}
	return m, err
}

func header(ctx context.Context, file, field string) (int, error) {
	out, err := run(ctx, time.Minute, nil, "vipsheader", "-f", field, file)
	if err != nil {
		return 0, err
	}
	n, err := strconv.Atoi(strings.TrimSpace(string(out)))
	if err != nil {
		return 0, fmt.Errorf("vipsheader %s: %w", field, ErrUnreadable)
	}
	return n, nil
}

// Proxy makes what browsers play: H.264 and AAC in MP4 for a film, with the same
// number of frames at the same times, a key frame each half second and its index
// at the front; AAC in MP4 for a sound.
func Proxy(ctx context.Context, file, dir string, facts studio.Facts) (Made, error) {
	out := filepath.Join(dir, "proxy.mp4")
	args := append([]string{"-v", "error", "-nostdin", "-y"}, readSafely...)
	args = append(args, "-i", file)
	m := Made{File: out, Purpose: "proxy", Mime: "audio/mp4"}
	if facts.Codec != "" {
		every := max(1, facts.RateNum/max(1, facts.RateDen)/2)
		args = append(args, "-map", "0:v:0", "-map", "0:a:0?", "-c:v", "libx264", "-preset", "veryfast", "-crf", "23", "-pix_fmt", "yuv420p",
			"-g", strconv.FormatInt(every, 10), "-vf", fmt.Sprintf("scale=-2:'min(%d,floor(ih/2)*2)'", proxyLines), "-fps_mode", "passthrough")
		if facts.RateDen > 0 {
			// A time base in which each frame's beginning is a whole number, so that none moves.
			args = append(args, "-video_track_timescale", strconv.FormatInt(timescale(facts.RateNum), 10))
		}
		m.Mime = "video/mp4"
	} else {
		args = append(args, "-map", "0:a:0")
	}
	args = append(args, "-c:a", "aac", "-b:a", "160k", "-ac", "2", "-map_metadata", "-1", "-write_tmcd", "0", "-movflags", "+faststart", out)
	if _, err := run(ctx, 6*time.Hour, nil, "ffmpeg", args...); err != nil {
		return m, err
	}
	if facts.Codec == "" {
		return m, nil
	}
	made, err := Probe(ctx, out)
	if err != nil {
		return m, fmt.Errorf("look at the proxy: %w", err)
	}
	if made.Frames != facts.Frames {
		return m, fmt.Errorf("the proxy has %d frames, the original %d: %w", made.Frames, facts.Frames, ErrUnreadable)
	}
	m.Width, m.Height = made.Width, made.Height
	return m, nil
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
