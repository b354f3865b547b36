package media_test

import (
	"bytes"
	"crypto/md5"
	"crypto/rc4"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"aftergust/core/file/thing"
	"aftergust/core/media/peaks"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	. "aftergust/internal/files/media"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func tool(t *testing.T, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s %v: %s", name, args, out)
	return string(out)
}

func write(t *testing.T, name string, content []byte) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, content, 0o600))
	return file
}

func kindOf(t *testing.T, file string) (what thing.What, mime string) {
	t.Helper()
	f, err := os.Open(file)
	require.NoError(t, err)
	defer f.Close()
	return Kind(f, filepath.Base(file))
}

// colourAt is the colour of a preview at a share of its width and height.
func colourAt(t *testing.T, m Made, x, y float64) [3]int {
	t.Helper()
	out := strings.Fields(tool(t, "vips", "getpoint", m.File, strconv.Itoa(int(x*float64(m.Width))), strconv.Itoa(int(y*float64(m.Height)))))
	var c [3]int
	for i := range c {
		v, err := strconv.ParseFloat(out[min(i, len(out)-1)], 64)
		require.NoError(t, err)
		c[i] = int(v)
	}
	return c
}

func near(t *testing.T, want, got [3]int, what string) {
	t.Helper()
	for i := range want {
		assert.InDelta(t, want[i], got[i], 24, "%s: %v is not %v", what, got, want)
	}
}

// A picture whose halves are known colours comes out of each format the same.
func TestPhonePicturesAndLayeredArtworkShowTheirColours(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	source := filepath.Join(dir, "source.png")
	svg := write(t, "halves.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="800"><rect width="600" height="800" fill="#c03020"/><rect x="600" width="600" height="800" fill="#40609f"/></svg>`))
	drawn := filepath.Join(dir, "drawn.png")
	tool(t, "vips", "copy", svg, drawn)
	tool(t, "vips", "flatten", drawn, source)
	for name, c := range map[string]struct {
		kind   string
		make   []string
		layers bool
	}{
		"a.heic": {"still", []string{"copy", source, filepath.Join(dir, "a.heic")}, false},
		"g.tif":  {"still", []string{"colourspace", source, filepath.Join(dir, "g.tif"), "cmyk"}, false},
		"a.avif": {"still", []string{"copy", source, filepath.Join(dir, "a.avif")}, false},
		"a.psd":  {"artwork", []string{"magicksave", source, filepath.Join(dir, "a.psd"), "--format", "PSD"}, true},
	} {
		tool(t, "vips", c.make...)
		file := filepath.Join(dir, name)
		kind, mime := kindOf(t, file)
		assert.EqualValues(t, c.kind, kind, name)
		facts, made, err := Still(t.Context(), file, t.TempDir(), mime)
		require.NoError(t, err, name)
		assert.Equal(t, []int{1200, 800}, []int{facts.Width, facts.Height}, name)
		assert.Equal(t, c.layers, facts.Layers, name)
		require.Len(t, made, 2)
		for _, m := range made {
			near(t, [3]int{0xc0, 0x30, 0x20}, colourAt(t, m, 0.25, 0.5), name)
			near(t, [3]int{0x40, 0x60, 0x9f}, colourAt(t, m, 0.75, 0.5), name)
		}
	}
}

func TestAnSVGIsDrawnWithoutItsScriptsAndWithoutFetching(t *testing.T) {
	t.Parallel()
	secret := write(t, "secret.png", nil)
	tool(t, "vips", "black", secret, "50", "50")
	svg := write(t, "x.svg", fmt.Appendf(nil, `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="100" height="100"><script>document.documentElement.remove()</script>
		<rect width="100" height="100" fill="#20c040"/><image xlink:href="file://%s" width="50" height="50"/></svg>`, secret))
	kind, mime := kindOf(t, svg)
	assert.EqualValues(t, "artwork", kind)
	_, made, err := Still(t.Context(), svg, t.TempDir(), mime)
	require.NoError(t, err)
	near(t, [3]int{0x20, 0xc0, 0x40}, colourAt(t, made[0], 0.25, 0.25), "no picture of this machine is drawn")
}

func TestAPhotographTakenUprightIsShownUpright(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plain, turned := filepath.Join(dir, "plain.jpg"), filepath.Join(dir, "turned.jpg")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=size=640x480", "-frames:v", "1", plain)
	jpeg, err := os.ReadFile(plain)
	require.NoError(t, err)
	// An Exif block with orientation 6, a quarter turn (Exif 2.3, tag 0x0112; from memory).
	exif := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x06\x00\x00"), 0, 0, 0, 0)
	segment := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(exif)+2))
	require.NoError(t, os.WriteFile(turned, bytes.Join([][]byte{jpeg[:2], segment, exif, jpeg[2:]}, nil), 0o600))
	facts, made, err := Still(t.Context(), turned, t.TempDir(), "image/jpeg")
	require.NoError(t, err)
	assert.Equal(t, []int{480, 640}, []int{facts.Width, facts.Height})
	assert.Less(t, made[0].Width, made[0].Height)
}

func TestAPictureOfManyPixelsIsPreviewedWithinTheBounds(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "huge.png")
	tool(t, "vips", "black", file+"[compression=1]", "30000", "30000") // 900 megapixels in a few hundred kilobytes
	facts, made, err := Still(t.Context(), file, t.TempDir(), "image/png")
	require.NoError(t, err)
	assert.Equal(t, 30000, facts.Width)
	assert.Equal(t, 720, made[0].Width)
}

// document is a PDF with one page of text.
func document(text, extra, trailer string) []byte {
	var out bytes.Buffer
	var at []int
	object := func(body string) {
		at = append(at, out.Len())
		fmt.Fprintf(&out, "%d 0 obj\n%s\nendobj\n", len(at), body)
	}
	out.WriteString("%PDF-1.4\n")
	content := "BT /F1 36 Tf 60 700 Td (" + text + ") Tj ET"
	object("<< /Type /Catalog /Pages 2 0 R >>")
	object("<< /Type /Pages /Kids [3 0 R] /Count 1 >>")
	object("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>")
	object(fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", len(content), content))
	object("<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>")
	if extra != "" {
		object(extra)
	}
	start := out.Len()
	fmt.Fprintf(&out, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, offset := range at {
		fmt.Fprintf(&out, "%010d 00000 n \n", offset)
	}
	fmt.Fprintf(&out, "trailer\n<< /Size %d /Root 1 0 R %s >>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, trailer, start)
	return out.Bytes()
}

func TestAPDFShowsItsPagesAndIsFoundByItsText(t *testing.T) {
	t.Parallel()
	file := write(t, "a.pdf", document("Kelpwick harbour credits", "", ""))
	facts, made, text, err := Document(t.Context(), file, t.TempDir())
	require.NoError(t, err)
	assert.Equal(t, 1, facts.Pages)
	require.Len(t, made, 2)
	assert.Equal(t, preview.Page, made[1].Purpose)
	assert.InDelta(t, 842.0/595, float64(made[1].Height)/float64(made[1].Width), 0.01, "A4")
	near(t, [3]int{255, 255, 255}, colourAt(t, made[1], 0.5, 0.9), "an empty part of the page is white")
	assert.Contains(t, text, "Kelpwick harbour credits")
}

// locked is a PDF that needs a password: the standard security handler, revision
// 2, RC4 with 40 bits (ISO 32000-1, section 7.6.3; from memory).
func locked(password string) []byte {
	padding, _ := hex.DecodeString("28bf4e5e4e758a4164004e56fffa01082e2e00b6d0683e802f0ca9fe6453697a") // a constant of the standard
	pad := func(p string) []byte { return append([]byte(p), padding...)[:32] }
	cipher := func(key, data []byte) []byte {
		c, _ := rc4.NewCipher(key) // five bytes are a key
		out := make([]byte, len(data))
		c.XORKeyStream(out, data)
		return out
	}
	sum := md5.Sum(pad("owner"))
	o := cipher(sum[:5], pad(password))
	id := []byte("0123456789abcdef")
	permissions := int32(-4)
	key := md5.Sum(bytes.Join([][]byte{pad(password), o, binary.LittleEndian.AppendUint32(nil, uint32(permissions)), id}, nil))
	u := cipher(key[:5], padding)
	return document("secret", fmt.Sprintf("<< /Filter /Standard /V 1 /R 2 /O <%x> /U <%x> /P %d >>", o, u, permissions),
		fmt.Sprintf("/Encrypt 6 0 R /ID [<%x> <%x>]", id, id))
}

func TestAPDFWithAPasswordSaysSo(t *testing.T) {
	t.Parallel()
	_, _, _, err := Document(t.Context(), write(t, "a.pdf", locked("harbour")), t.TempDir())
	require.ErrorIs(t, err, ErrUnreadable)
	assert.ErrorIs(t, err, ErrLocked)
	_, _, _, err = Document(t.Context(), write(t, "a.pdf", locked("")), t.TempDir())
	assert.NoError(t, err, "an empty password opens it, as in any reader")
}

func TestAFontIsShownAsASpecimen(t *testing.T) {
	t.Parallel()
	const file = "/usr/share/fonts/truetype/dejavu/DejaVuSansMono.ttf"
	kind, mime := kindOf(t, file)
	assert.EqualValues(t, "other", kind)
	require.Equal(t, "font/ttf", mime)
	facts, made, err := Font(t.Context(), file, t.TempDir())
	require.NoError(t, err)
	assert.Equal(t, "DejaVu Sans Mono Book", facts.Family)
	require.Len(t, made, 2)
	near(t, [3]int{255, 255, 255}, colourAt(t, made[1], 0.01, 0.01), "the margin is white")
	dark, err := strconv.ParseFloat(strings.TrimSpace(tool(t, "vips", "min", made[1].File)), 64)
	require.NoError(t, err)
	assert.Less(t, dark, 60.0, "there are letters")
	_, _, err = Font(t.Context(), write(t, "x.ttf", []byte("\x00\x01\x00\x00 no font")), t.TempDir())
	assert.ErrorIs(t, err, ErrUnreadable)
}

func TestTextIsReadWhateverItsEncoding(t *testing.T) {
	t.Parallel()
	for name, content := range map[string]string{
		"utf-8":  "Ménai – 1\n",
		"bom":    "\ufeffMénai – 1\n",
		"utf-16": "\xff\xfeM\x00\xe9\x00n\x00a\x00i\x00 \x00\x13\x20 \x001\x00\n\x00",
		"latin":  "M\xe9nai \x96 1\n",
		"marks":  "M\x07énai\x00 – 1\r\n",
	} {
		made, text, err := Text(write(t, "a.txt", []byte(content)), t.TempDir())
		require.NoError(t, err, name)
		assert.Equal(t, "Ménai – 1\n", text, name)
		require.Len(t, made, 1)
	}
	long := strings.Repeat("é", 256<<10) // the end of the buffer cuts a letter
	_, text, err := Text(write(t, "a.txt", []byte("x"+long)), t.TempDir())
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(text, "xéé"))
	assert.NotContains(t, text, "Ã")
	_, _, err = Text(write(t, "a.txt", nil), t.TempDir())
	assert.ErrorIs(t, err, ErrUnreadable)
}

// Reference program: ffmpeg's ebur128 filter, an implementation of its own. Reference value: EBU Tech 3341,
// signal 1: a stereo sine of 1000 Hz at −23 dBFS is −23 LUFS.
func TestLoudnessAgreesWithFFmpeg(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ source, codec string }{
		{"aevalsrc='0.0708*sin(2*PI*1000*t)|0.0708*sin(2*PI*1000*t)':s=48000:d=20", "pcm_s24le"},
		{"anoisesrc=color=pink:seed=4:amplitude=0.6:sample_rate=44100:duration=12,tremolo=f=0.3:d=0.9", "pcm_s16le"},
		{"sine=frequency=9000:sample_rate=96000:duration=6,volume=3dB", "flac"},
	} {
		file := filepath.Join(t.TempDir(), "a.mka")
		ffmpeg(t, "-f", "lavfi", "-i", c.source, "-c:a", c.codec, file)
		facts, err := Probe(t.Context(), file)
		require.NoError(t, err)
		made, err := Listen(t.Context(), file, t.TempDir(), &facts)
		require.NoError(t, err)
		out := tool(t, "ffmpeg", "-nostdin", "-hide_banner", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-")
		summary := out[strings.LastIndex(out, "Summary:"):]
		value := func(label string) float64 {
			_, rest, ok := strings.Cut(summary, label)
			require.True(t, ok, label)
			v, err := strconv.ParseFloat(strings.Fields(rest)[0], 64)
			require.NoError(t, err)
			return v
		}
		assert.InDelta(t, value("I:"), facts.LUFS, 0.15, c.source)
		assert.InDelta(t, value("Peak:"), facts.PeakDBTP, 0.3, c.source)
		if strings.Contains(c.source, "1000") {
			assert.InDelta(t, -23, facts.LUFS, 0.1)
		}
		raw, err := os.ReadFile(made.File)
		require.NoError(t, err)
		rate, levels, err := peaks.Decode(raw)
		require.NoError(t, err)
		assert.Equal(t, facts.SampleRate, rate)
		assert.InDelta(t, float64(facts.LengthUS)/1e6*float64(rate)/peaks.Fine, float64(len(levels[0].Bins)), 2)
	}
}

// Reference program: ffmpeg, which decodes the same sound out of FLAC.
func TestAWAVIsReadWithoutADecoderAndMeasuresTheSame(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	source := filepath.Join(dir, "source.flac")
	ffmpeg(t, "-f", "lavfi", "-i", "anoisesrc=color=brown:seed=9:amplitude=0.7:sample_rate=44100:duration=9", "-ac", "3", "-sample_fmt",
		"s32", source)
	want := listen(t, source)
	for _, c := range []struct {
		codec string
		more  []string
		plain bool
	}{
		{"pcm_s16le", nil, true}, {"pcm_s24le", nil, true}, {"pcm_s32le", nil, true}, {"pcm_f32le", nil, true},
		{"pcm_s24le", []string{"-rf64", "always"}, true}, {"pcm_f64le", nil, false}, {"pcm_mulaw", nil, false},
	} {
		file := filepath.Join(dir, "a.wav")
		ffmpeg(t, append(append([]string{"-i", source, "-metadata", "title=Ménai", "-c:a", c.codec}, c.more...), file)...)
		got := listen(t, file)
		_, plain, width, err := PlainSamples(t.Context(), file, got)
		require.NoError(t, err)
		if assert.Equal(t, c.plain, plain > 0, c.codec) && c.plain {
			assert.EqualValues(t, 9*44100*3*width, plain)
		}
		assert.InDelta(t, want.LUFS, got.LUFS, 0.11, c.codec)
		assert.InDelta(t, want.PeakDBTP, got.PeakDBTP, 0.21, c.codec)
		assert.Equal(t, len(want.Peaks), len(got.Peaks))
	}
	// A recording that broke off: its header promises more than there is.
	ffmpeg(t, "-i", source, "-c:a", "pcm_s16le", filepath.Join(dir, "a.wav"))
	require.NoError(t, os.Truncate(filepath.Join(dir, "a.wav"), 5000))
	facts, err := Probe(t.Context(), filepath.Join(dir, "a.wav"))
	require.NoError(t, err)
	offset, plain, _, err := PlainSamples(t.Context(), filepath.Join(dir, "a.wav"), facts)
	require.NoError(t, err)
	assert.Positive(t, plain)
	assert.LessOrEqual(t, offset+plain, int64(5000))
}

// Reference program: ffmpeg's ebur128 filter, after resampling to 48 kHz: −22.4 LUFS, −20.0 dBFS.
func TestASoundOfAnUnusualRateIsMeasuredAtAUsualOne(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "a.wav")
	ffmpeg(t, "-f", "lavfi", "-i", "aevalsrc='0.1*sin(2*PI*997*t)*sin(PI*t/8)|0.1*sin(2*PI*997*t)*sin(PI*t/8)':s=4000:d=8", "-c:a",
		"pcm_s16le", file)
	facts := listen(t, file)
	assert.InDelta(t, -22.4, facts.LUFS, 0.11)
	assert.InDelta(t, -20, facts.PeakDBTP, 0.11)
}

func listen(t *testing.T, file string) piece.Facts {
	facts, err := Probe(t.Context(), file)
	require.NoError(t, err)
	_, err = Listen(t.Context(), file, t.TempDir(), &facts)
	require.NoError(t, err)
	return facts
}

func TestAFilmstripHasItsPicturesInTimeAndAnIndexToThem(t *testing.T) {
	t.Parallel()
	file := film(t, "25", "00:00:00:00", 30*25)
	facts, err := Probe(t.Context(), file)
	require.NoError(t, err)
	dir := t.TempDir()
	shares := 0
	proxy, err := Proxy(t.Context(), file, dir, facts, func(share float64) bool { shares++; return share >= 0 && share <= 1 })
	require.NoError(t, err)
	made, err := Strip(t.Context(), proxy, dir, facts)
	require.NoError(t, err)
	require.Len(t, made, 2)
	vtt, err := os.ReadFile(made[1].File)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(vtt), "WEBVTT\n\n00:00:00.000 --> 00:00:01.000\nstrip#xywh=0,0,160,"))
	assert.Equal(t, 30, strings.Count(string(vtt), "-->"))
	assert.Contains(t, string(vtt), "00:00:29.000 --> 00:00:30.000\nstrip#xywh=1440,")
	size := strings.Fields(tool(t, "vipsheader", "-f", "width", made[0].File) + tool(t, "vipsheader", "-f", "height", made[0].File))
	assert.Equal(t, []string{strconv.Itoa(made[0].Width), strconv.Itoa(made[0].Height)}, size)
}

func TestWorkThatIsNotWantedAnyMoreStops(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "long.mkv")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=size=640x360:rate=50:duration=30", "-c:v", "mpeg4", "-q:v", "31", file)
	facts, err := Probe(t.Context(), file)
	require.NoError(t, err)
	asked := 0
	_, err = Proxy(t.Context(), file, t.TempDir(), facts, func(float64) bool { asked++; return false })
	assert.ErrorIs(t, err, ErrStopped)
	assert.Equal(t, 1, asked)
}

func TestAFilmWithoutSoundHasNoPeaks(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "mute.mp4")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=size=320x240:rate=25:duration=2", file)
	facts, err := Probe(t.Context(), file)
	require.NoError(t, err)
	assert.Empty(t, facts.SoundCodec)
	assert.Contains(t, facts.Colour, "yuv")
	assert.Positive(t, facts.BitRate)
}
