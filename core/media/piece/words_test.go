package piece_test

import (
	"testing"

	"aftergust/core/file/thing"
	. "aftergust/core/media/piece"

	"github.com/stretchr/testify/assert"
)

func TestFactsAreSaidInAFewWords(t *testing.T) {
	film := Facts{LengthUS: 30_000_000, Width: 1920, Height: 1080, RateNum: 25, RateDen: 1}
	assert.Equal(t, "film, 0:30, 1920 × 1080, 25 fps", film.About(thing.Film))
	assert.Equal(t, "sound, 1:02:11, stereo, 44.1 kHz", Facts{LengthUS: 3_731_000_000, Channels: 2, SampleRate: 44100}.About(thing.Sound))
	assert.Equal(t, "document, 1 page", Facts{Pages: 1}.About(thing.Document))
	assert.Equal(t, "document, 2 pages", Facts{Pages: 2}.About(thing.Document))
	assert.Equal(t, "archive, 1 file", Facts{Entries: 1}.About(thing.Archive))
	assert.Equal(t, "other", Facts{}.About(thing.Other))
}

func TestLengthsAreRoundedToTheNearestSecond(t *testing.T) {
	for us, want := range map[int64]string{0: "0:00", 499_999: "0:00", 500_000: "0:01", 59_400_000: "0:59", 59_500_000: "1:00",
		3_599_499_999: "59:59", 3_599_500_000: "1:00:00", 3_661_000_000: "1:01:01"} {
		assert.Equal(t, want, Clock(us), us)
	}
}

func TestThousandsAreGrouped(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1\u2009000", 123456: "123\u2009456", 1234567: "1\u2009234\u2009567"} {
		assert.Equal(t, want, Thousands(n))
	}
}

func lines(f Facts) map[string]string {
	out := map[string]string{}
	for _, l := range f.Lines() {
		out[l.Label] = l.Value
	}
	return out
}

func TestOnlyWhatIsKnownIsListed(t *testing.T) {
	assert.Empty(t, Facts{}.Lines())
	assert.Equal(t, map[string]string{"Length": "0:01:00.50", "Sound": "pcm_s24le, 48 kHz, 24 bit, 5.1", "Loudness": "silent",
		"True peak": "-144.0 dBTP", "Bit rate": "9999 kbit/s"},
		lines(Facts{LengthUS: 60_500_000, SoundCodec: "pcm_s24le", SampleRate: 48000, BitDepth: 24, Channels: 6, Measured: true, LUFS: -70,
			PeakDBTP: -144, BitRate: 9_999_400}))
	assert.Equal(t, map[string]string{"Pixels": "8 × 4", "Frame rate": "25 fps, varies: timecode follows the average", "Frames": "1\u2009000",
		"Starts at": "10:00:00:00", "Picture": "h264, bt709",
		"Sound": "none", "Loudness": "-23.1 LUFS integrated", "True peak": "-1.0 dBTP", "Bit rate": "10.0 Mbit/s", "Layers": "shown flattened"},
		lines(Facts{Width: 8, Height: 4, RateNum: 25, RateDen: 1, Variable: true, Frames: 1000, StartLabel: "10:00:00:00", Codec: "h264",
			Colour: "bt709", Measured: true, LUFS: -23.1, PeakDBTP: -1, BitRate: 10_000_000, Layers: true}))
	assert.Equal(t, map[string]string{"Pixels": "8 × 4", "Picture": "16 bit", "Font": "Hanken", "Pages": "3",
		"Inside": "2 files, 1.0 kB unpacked, some need a password"},
		lines(Facts{Width: 8, Height: 4, BitDepth: 16, Family: "Hanken", Pages: 3, Entries: 2, Unpacked: 1000, Locked: true}))
	assert.Equal(t, "mono", Facts{Channels: 1}.Shape())
	assert.Equal(t, "3 channels", Facts{Channels: 3}.Shape())
}
