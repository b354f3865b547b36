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
)

// Still makes the poster and the large preview of a still or of layered artwork,
// which is flattened. What libvips cannot read is tried with ffmpeg.
func Still(ctx context.Context, file, dir, mime string) (facts piece.Facts, made []Made, err error) {
	source := file
	if mime == "image/vnd.adobe.photoshop" {
		facts.Layers = true
		// ffmpeg reads the flattened picture that such a file carries, without its layers.
		if flat, err := flatten(ctx, file, dir); err == nil {
			source = flat
		}
	}
	err = head(ctx, source, &facts)
	if errors.Is(err, ErrUnreadable) && source == file {
		flat, second := flatten(ctx, file, dir)
		if second != nil {
			return facts, nil, err // what libvips said is the clearer of the two
		}
		source = flat
		err = head(ctx, source, &facts)
	}
	if err != nil {
		return facts, nil, err
	}
	made, err = previews(ctx, source, dir)
	return facts, made, err
}

// Demuxers of single pictures. As for films, nothing that could name another file.
const pictureDemuxers = "image2,psd_pipe,tiff_pipe,exr_pipe,dpx_pipe,bmp_pipe,png_pipe,jpeg_pipe,jpegls_pipe,webp_pipe,j2k_pipe,sgi_pipe,pcx_pipe,qdraw_pipe,dds_pipe,gif,ico,mov,mp4,m4a,3gp,3g2,mj2"

// flatten writes the picture of a file as PNG.
func flatten(ctx context.Context, file, dir string) (string, error) {
	out := filepath.Join(dir, "flat.png")
	_, err := run(ctx, task{in: file, limit: 5 * time.Minute, dir: dir}, "ffmpeg", "-v", "error", "-nostdin", "-y", "-protocol_whitelist", "file,pipe",
		"-format_whitelist", pictureDemuxers, "-i", file, "-map", "0:v:0", "-frames:v", "1", "-update", "1", out)
	return out, err
}

// previews makes the poster and the large preview of one picture.
func previews(ctx context.Context, source, dir string) ([]Made, error) {
	poster, err := thumbnail(ctx, source, dir, posterEdge, Made{Purpose: preview.Poster})
	if err != nil {
		return nil, err
	}
	page, err := thumbnail(ctx, source, dir, pageEdge, Made{Purpose: preview.Page, Page: 1})
	return []Made{poster, page}, err
}

// headers are the header fields of a picture, by name.
func headers(ctx context.Context, file string) (map[string]string, error) {
	out, err := run(ctx, task{in: file, limit: time.Minute}, "vipsheader", "-a", file)
	if err != nil {
		return nil, err
	}
	fields := map[string]string{}
	for line := range strings.SplitSeq(string(out), "\n") {
		if name, value, ok := strings.Cut(line, ": "); ok && fields[name] == "" {
			fields[name] = value
		}
	}
	return fields, nil
}

// head reads the pixel size and depth of a picture, turned as it is shown.
func head(ctx context.Context, file string, facts *piece.Facts) error {
	fields, err := headers(ctx, file)
	if err != nil {
		return err
	}
	facts.Width, facts.Height = int(number(fields["width"])), int(number(fields["height"]))
	if facts.Width <= 0 || facts.Height <= 0 {
		return fmt.Errorf("it has no size: %w", ErrUnreadable)
	}
	if fields["orientation"] >= "5" && len(fields["orientation"]) == 1 {
		facts.Width, facts.Height = facts.Height, facts.Width
	}
	facts.Colour = fields["interpretation"]
	switch fields["format"] {
	case "uchar":
		facts.BitDepth = 8
	case "ushort":
		facts.BitDepth = 16
	case "float":
		facts.BitDepth = 32
	}
	return nil
}

// ErrLocked is returned for a document that needs a password.
var ErrLocked = fmt.Errorf("it needs a password; whoever has it can open the original: %w", ErrUnreadable)

// Document makes the poster and the pages of a PDF and reads its text.
func Document(ctx context.Context, file, dir string) (facts piece.Facts, made []Made, text string, err error) {
	if facts.Pages, err = header(ctx, file, "n-pages"); err != nil {
		if strings.Contains(strings.ToLower(err.Error()), "password") || strings.Contains(strings.ToLower(err.Error()), "encrypt") {
			err = ErrLocked
		}
		return facts, nil, "", err
	}
	poster, err := thumbnail(ctx, file, dir, posterEdge, Made{Purpose: preview.Poster})
	if err != nil {
		return facts, nil, "", err
	}
	made = append(made, poster)
	for page := range min(facts.Pages, maxPages) {
		one, err := thumbnail(ctx, fmt.Sprintf("%s[page=%d]", file, page), dir, pageEdge, Made{Purpose: preview.Page, Page: page + 1})
		if err != nil {
			return facts, nil, "", err
		}
		made = append(made, one)
	}
	// Its text only helps to find it.
	found, err := run(ctx, task{in: file, limit: time.Minute, dir: dir}, "pdftotext", "-q", "-l", strconv.Itoa(maxPages), file, "-")
	if err != nil && !errors.Is(err, ErrUnreadable) {
		return facts, nil, "", err
	}
	return facts, made, plain(found, maxBody), nil
}

func thumbnail(ctx context.Context, source, dir string, edge int, m Made) (Made, error) {
	m.File, m.Mime = filepath.Join(dir, fmt.Sprintf("%s-%d.jpg", m.Purpose, m.Page)), "image/jpeg"
	args := []string{source, "--size", fmt.Sprintf("%dx%d>", edge, edge), "--output", m.File + "[Q=84,strip,background=255]"}
	profiles, err := exported(ctx, source)
	if err != nil {
		return m, err
	}
	if _, err := run(ctx, task{in: source, limit: 5 * time.Minute, dir: dir}, "vipsthumbnail", append(args, profiles...)...); err != nil {
		return m, err
	}
	return measured(ctx, m)
}

// exported are the options that bring a picture to sRGB. A picture without a
// profile is taken to be what its interpretation says; a grey one stays as it is.
func exported(ctx context.Context, source string) ([]string, error) {
	fields, err := headers(ctx, source)
	switch {
	case err != nil:
		return nil, err
	case number(fields["bands"]) < 3:
		return nil, nil
	case fields["interpretation"] == "cmyk":
		return []string{"--export-profile", "srgb", "--import-profile", "cmyk"}, nil
	default:
		return []string{"--export-profile", "srgb", "--import-profile", "srgb"}, nil
	}
}

func measured(ctx context.Context, m Made) (Made, error) {
	var err error
	if m.Width, err = header(ctx, m.File, "width"); err == nil {
		m.Height, err = header(ctx, m.File, "height")
	}
	return m, err
}

func header(ctx context.Context, file, field string) (int, error) {
	out, err := run(ctx, task{in: file, limit: time.Minute}, "vipsheader", "-f", field, file)
	if err != nil {
		return 0, err
	}
	n, err := strconv.Atoi(strings.TrimSpace(string(out)))
	if err != nil {
		return 0, fmt.Errorf("vipsheader %s: %w", field, ErrUnreadable)
	}
	return n, nil
}

// Picture makes the poster of a link from a picture that somebody chose for it.
func Picture(ctx context.Context, file, dir string) (Made, error) {
	return thumbnail(ctx, file, dir, posterEdge, Made{Purpose: preview.Poster})
}

// Logo makes a small picture with its transparency of a logo, also of a drawing (SVG),
// of which nothing but the pixels is left.
func Logo(ctx context.Context, file, dir string) ([]byte, error) {
	return redrawn(ctx, file, filepath.Join(dir, "logo.png"), "[strip,compression=9]", logoWidth, logoHeight)
}

// Banner makes a wide picture for the head of a page.
func Banner(ctx context.Context, file, dir string) ([]byte, error) {
	return redrawn(ctx, file, filepath.Join(dir, "banner.jpg"), "[Q=82,strip,background=255]", bannerEdge, bannerEdge)
}

// Bounds of the pictures of a letterhead, in pixels.
const (
	logoWidth  = 640
	logoHeight = 240
	bannerEdge = 2000
)

func redrawn(ctx context.Context, file, out, options string, width, height int) ([]byte, error) {
	args := []string{file, "--size", fmt.Sprintf("%dx%d>", width, height), "--output", out + options}
	profiles, err := exported(ctx, file)
	if err != nil {
		return nil, err
	}
	if _, err := run(ctx, task{in: file, limit: time.Minute, dir: filepath.Dir(out)}, "vipsthumbnail", append(args, profiles...)...); err != nil {
		return nil, err
	}
	return os.ReadFile(out)
}

// specimen is the text in which a font is shown.
const specimen = "Aa Gg Rr Qq &amp; 0123456789\n<span size='50%'>The gust had passed; the harbour lay still.\nABCDEFGHIJKLMNOPQRSTUVWXYZ abcdefghijklmnopqrstuvwxyz\n.,:;!?‘’“”–— áàâäåæçéêñöøßüÿ €£%</span>"

// Font draws a specimen of a font. The font is only ever drawn here, by FreeType
// in a child process; no browser is given the file.
func Font(ctx context.Context, file, dir string) (facts piece.Facts, made []Made, err error) {
	out, err := run(ctx, task{in: file, limit: time.Minute, dir: dir}, "fc-scan", "--format", "%{family[0]}|%{style[0]}\n", file)
	if err != nil {
		return facts, nil, err
	}
	first, _, _ := strings.Cut(string(out), "\n")
	family, style, ok := strings.Cut(first, "|")
	if !ok || family == "" {
		return facts, nil, fmt.Errorf("it names no family: %w", ErrUnreadable)
	}
	facts.Family = strings.TrimSpace(family + " " + style)
	png := filepath.Join(dir, "specimen.png")
	if _, err := run(ctx, task{in: file, limit: time.Minute, dir: dir}, "vips", "text", png, specimen, "--font", strings.NewReplacer(",",
		" ").Replace(facts.Family)+" 64", "--fontfile", file, "--dpi", "144", "--spacing", "20"); err != nil {
		return facts, nil, err
	}
	// Dark letters on white, with a margin.
	inked := filepath.Join(dir, "inked.png")
	framed := filepath.Join(dir, "framed.png")
	if _, err := run(ctx, task{limit: time.Minute, dir: dir}, "vips", "invert", png, inked); err != nil {
		return facts, nil, err
	}
	width, err := header(ctx, inked, "width")
	if err != nil {
		return facts, nil, err
	}
	height, err := header(ctx, inked, "height")
	if err != nil {
		return facts, nil, err
	}
	const margin = 90
	if _, err := run(ctx, task{limit: time.Minute, dir: dir}, "vips", "embed", inked, framed, strconv.Itoa(margin), strconv.Itoa(margin),
		strconv.Itoa(width+2*margin), strconv.Itoa(height+2*margin), "--extend", "white"); err != nil {
		return facts, nil, err
	}
	made, err = previews(ctx, framed, dir)
	return facts, made, err
}

const (
	maxText = 256 << 10 // bytes of a text that are shown
	maxBody = 100_000   // bytes of a text by which it is found
)

// Text makes the readable beginning of a text or code file.
func Text(file, dir string) ([]Made, string, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, "", err
	}
	defer f.Close()
	raw := make([]byte, maxText)
	n, err := readFull(f, raw)
	if err != nil {
		return nil, "", err
	}
	text := plain(raw[:n], maxText)
	if text == "" {
		return nil, "", fmt.Errorf("it holds no text: %w", ErrUnreadable)
	}
	m := Made{File: filepath.Join(dir, "text.txt"), Purpose: preview.Text, Mime: "text/plain; charset=utf-8"}
	return []Made{m}, text[:min(len(text), maxBody)], os.WriteFile(m.File, []byte(text), 0o600)
}
