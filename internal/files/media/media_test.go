package media_test

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"aftergust/core/time/timecode"
	. "aftergust/internal/files/media"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func ffmpeg(t *testing.T, args ...string) {
	t.Helper()
	out, err := exec.Command("ffmpeg", append([]string{"-v", "error", "-nostdin", "-y"}, args...)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

func film(t *testing.T, rate, start string, frames int) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "film.mov")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=size=320x180:rate="+rate, "-f", "lavfi", "-i", "sine=frequency=440:sample_rate=48000",
		"-frames:v", strconv.Itoa(frames),
		"-shortest", "-timecode", start, "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "aac", file)
	return file
}

// Reference program: ffmpeg writes the start timecode and counts; ffprobe reads frames back one by one.
func TestFactsOfFilmsAtAllRates(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		rate, start string
		want        timecode.Rate
	}{
		{"24000/1001", "01:00:00:00", timecode.Rate23976}, {"24", "00:00:00:00", timecode.Rate24}, {"25", "10:00:00:00", timecode.Rate25},
		{"30000/1001", "00:59:59;28", timecode.Rate2997DF}, {"30000/1001", "01:00:00:00", timecode.Rate2997},
		{"50", "00:00:10:49", timecode.Rate50},
		{"60000/1001", "00:09:59;56", timecode.Rate5994DF}, {"60", "23:59:59:00", timecode.Rate60},
	} {
		t.Run(c.rate+" "+c.start, func(t *testing.T) {
			facts, err := Probe(t.Context(), film(t, c.rate, c.start, 61))
			require.NoError(t, err)
			assert.Equal(t, c.want, facts.Timeline().Rate)
			assert.Equal(t, c.start, facts.StartLabel)
			assert.EqualValues(t, 61, facts.Frames)
			assert.Equal(t, []int{320, 180}, []int{facts.Width, facts.Height})
			assert.Equal(t, 48000, facts.SampleRate)
		})
	}
}

// Reference program: ffmpeg's drawtext burns the label of each frame in; here its own counter is asked through the
// timecode of a trimmed copy.
func TestLabelsAgreeWithFfmpegOnAFrameLaterInThePiece(t *testing.T) {
	t.Parallel()
	file := film(t, "30000/1001", "00:00:59;20", 40)
	facts, err := Probe(t.Context(), file)
	require.NoError(t, err)
	line := facts.Timeline()
	// Ten frames on, the count crosses the minute and skips two labels.
	assert.Equal(t, "00:00:59;29", line.Label(9))
	next := film(t, "30000/1001", line.Label(10), 5)
	again, err := Probe(t.Context(), next)
	require.NoError(t, err)
	assert.Equal(t, "00:01:00;02", again.StartLabel, "ffmpeg takes our label for a label that exists")
}

func TestTheProxyHasTheSameFramesAtTheSameTimes(t *testing.T) {
	t.Parallel()
	for _, rate := range []string{"30000/1001", "25"} {
		file := film(t, rate, "00:00:00:00", 77)
		facts, err := Probe(t.Context(), file)
		require.NoError(t, err)
		proxy, err := Proxy(t.Context(), file, t.TempDir(), facts, nil)
		require.NoError(t, err)
		assert.Equal(t, "video/mp4", proxy.Mime)
		times := func(f string) []string {
			out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "frame=pts_time", "-of", "csv=p=0",
				f).Output()
			require.NoError(t, err)
			return strings.Fields(strings.ReplaceAll(string(out), ",", ""))
		}
		want, got := times(file), times(proxy.File)
		require.Len(t, got, len(want))
		for i := range want {
			a, errA := strconv.ParseFloat(want[i], 64)
			b, errB := strconv.ParseFloat(got[i], 64)
			require.NoError(t, errA)
			require.NoError(t, errB)
			assert.InDelta(t, a, b, 0.0005, "frame %d", i)
		}
		head := make([]byte, 64<<10)
		f, err := os.Open(proxy.File)
		require.NoError(t, err)
		n, _ := f.Read(head)
		require.NoError(t, f.Close())
		assert.Less(t, bytes.Index(head[:n], []byte("moov")), bytes.Index(head[:n], []byte("mdat")), "the index stands at the front")
	}
}

// Reference program: sox stat, of known tones.
func TestPeaksOfKnownTones(t *testing.T) {
	t.Parallel()
	for _, volume := range []float64{1, 0.5, 0.1} {
		file := filepath.Join(t.TempDir(), "tone.wav")
		out, err := exec.Command("sox", "-n", "-r", "48000", "-b", "24", file, "synth", "3", "sine", "440", "vol",
			fmt.Sprint(volume)).CombinedOutput()
		require.NoError(t, err, "%s", out)
		facts, err := Probe(t.Context(), file)
		require.NoError(t, err)
		assert.EqualValues(t, 3_000_000, facts.LengthUS)
		assert.Equal(t, 24, facts.BitDepth)
		_, err = Listen(t.Context(), file, t.TempDir(), &facts)
		require.NoError(t, err)
		require.Len(t, facts.Peaks, PeakCount)
		assert.InDelta(t, 20*math.Log10(volume), facts.PeakDBTP, 0.11, "the true peak of a tone is its amplitude")
		stat, err := exec.Command("sox", file, "-n", "stat").CombinedOutput()
		require.NoError(t, err)
		loudest := 0.0
		for line := range strings.Lines(string(stat)) {
			if value, ok := strings.CutPrefix(line, "Maximum amplitude:"); ok {
				loudest, err = strconv.ParseFloat(strings.TrimSpace(value), 64)
				require.NoError(t, err)
			}
		}
		for _, p := range facts.Peaks[2 : PeakCount-2] {
			assert.InDelta(t, loudest*255, float64(p), math.Max(4, loudest*255*0.04))
		}
	}
}

func TestPicturesArePreviewedWhateverTheirFormat(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	source := filepath.Join(dir, "source.png")
	ffmpeg(t, "-f", "lavfi", "-i", "testsrc2=size=2400x1200", "-frames:v", "1", source)
	for _, name := range []string{"a.jpg", "a.tif", "a.webp", "a.png"} {
		file := filepath.Join(dir, name)
		out, err := exec.Command("vips", "copy", source, file).CombinedOutput()
		require.NoError(t, err, "%s", out)
		f, err := os.Open(file)
		require.NoError(t, err)
		kind, mime := Kind(f, "renamed.txt")
		require.NoError(t, f.Close())
		assert.EqualValues(t, "still", kind, "the content decides, not the ending")
		facts, made, err := Still(t.Context(), file, t.TempDir(), mime)
		require.NoError(t, err, name)
		assert.Equal(t, []int{2400, 1200, 8}, []int{facts.Width, facts.Height, facts.BitDepth})
		require.Len(t, made, 2)
		assert.Equal(t, []int{720, 360}, []int{made[0].Width, made[0].Height})
		assert.Equal(t, []int{1800, 900}, []int{made[1].Width, made[1].Height})
	}
}

func TestWhatIsBrokenIsSaidToBe(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	whole, err := os.ReadFile(film(t, "25", "00:00:00:00", 50))
	require.NoError(t, err)
	for name, content := range map[string][]byte{
		"truncated.mov": whole[:len(whole)/3], "text.mov": []byte("this is not a film"), "empty.mov": {},
		"list.mov": []byte("ffconcat version 1.0\nfile '/etc/passwd'\n"), "playlist.mov": []byte("#EXTM3U\n#EXTINF:1\n/etc/passwd\n"),
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, content, 0o600))
		_, err := Probe(t.Context(), file)
		require.ErrorIs(t, err, ErrUnreadable, name)
		assert.NotContains(t, err.Error(), dir, "no path of this machine is told")
		_, _, err = Still(t.Context(), file, t.TempDir(), "image/jpeg")
		assert.ErrorIs(t, err, ErrUnreadable, name)
	}
}

func TestKindsByContent(t *testing.T) {
	t.Parallel()
	for content, want := range map[string]string{
		"%PDF-1.4\n": "document", "PK\x03\x04\x14\x00": "archive", "plain words": "document", "\x00\x01\x02\x03\xff": "other",
		"8BPS\x00\x01": "artwork", "RIFF\x24\x00\x00\x00WAVEfmt ": "sound", "\xff\xd8\xff\xe0": "still", "": "document",
	} {
		kind, _ := Kind(strings.NewReader(content), "x")
		assert.EqualValues(t, want, kind, "%q", content)
	}
}
