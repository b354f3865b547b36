package piece

import (
	"fmt"
	"strconv"
	"strings"

	"aftergust/core/file/thing"
	"aftergust/core/file/transfer"
	"aftergust/core/words/count"
)

// About is the facts of a piece in a few words, such as
// "film, 0:30, 1920 × 1080, 25 fps".
func (f Facts) About(what thing.What) string {
	parts := []string{thing.Whats.Get(what).Word}
	if f.LengthUS > 0 {
		parts = append(parts, Clock(f.LengthUS))
	}
	return strings.Join(append(parts, known(f.Shape(), f.Pace())...), ", ")
}

// Clock is a length in microseconds as 0:30, 18:20 or 1:02:11.
func Clock(us int64) string {
	s := (us + 500_000) / 1_000_000
	if s >= 3600 {
		return fmt.Sprintf("%d:%02d:%02d", s/3600, s/60%60, s%60)
	}
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

// Shape is pixel size, number of pages or files, or channels of a sound.
func (f Facts) Shape() string {
	switch {
	case f.Width > 0:
		return fmt.Sprintf("%d × %d", f.Width, f.Height)
	case f.Pages > 0:
		return count.Of(f.Pages, "page", "pages")
	case f.Entries > 0:
		return count.Of(f.Entries, "file", "files")
	default:
		return channels(f.Channels)
	}
}

// Pace is the frame rate of a film, or the sample rate of a sound.
func (f Facts) Pace() string {
	if line := f.Timeline(); line.Rate.Num > 0 {
		return line.Rate.String() + " fps"
	}
	return kilohertz(f.SampleRate)
}

// A Line is one fact with its label.
type Line struct {
	Label string `json:"label"`
	Value string `json:"value"`
}

// Lines are all facts that come from the content, in the order in which they are
// read. Those that are not known are left out.
func (f Facts) Lines() []Line {
	out := []Line{}
	add := func(label, format string, args ...any) {
		if value := fmt.Sprintf(format, args...); value != "" {
			out = append(out, Line{label, value})
		}
	}
	if f.LengthUS > 0 {
		add("Length", "%s", exactly(f.LengthUS))
	}
	if f.Width > 0 {
		add("Pixels", "%d × %d", f.Width, f.Height)
	}
	if line := f.Timeline(); line.Rate.Num > 0 {
		add("Frame rate", "%s fps%s", line.Rate.String(), map[bool]string{true: ", varies: timecode follows the average"}[f.Variable])
		add("Frames", "%s", Thousands(f.Frames))
		add("Starts at", "%s", f.StartLabel)
	}
	add("Picture", "%s", strings.Join(known(f.Codec, f.Colour, bits(f.BitDepth, f.Codec == "" && f.Width > 0)), ", "))
	if f.SoundCodec != "" {
		add("Sound", "%s", strings.Join(known(f.SoundCodec, kilohertz(f.SampleRate), bits(f.BitDepth, true), channels(f.Channels)), ", "))
	} else if f.Codec != "" {
		add("Sound", "none")
	}
	if f.Measured {
		add("Loudness", "%s", map[bool]string{true: "silent", false: fmt.Sprintf("%.1f LUFS integrated", f.LUFS)}[f.LUFS <= silence])
		add("True peak", "%.1f dBTP", f.PeakDBTP)
	}
	if f.BitRate > 0 {
		add("Bit rate", "%s", bitRate(f.BitRate))
	}
	if f.Layers {
		add("Layers", "shown flattened")
	}
	add("Font", "%s", f.Family)
	if f.Pages > 0 {
		add("Pages", "%d", f.Pages)
	}
	if f.Entries > 0 {
		add("Inside", "%s, %s unpacked%s", count.Of(f.Entries, "file", "files"), transfer.Size(f.Unpacked),
			map[bool]string{true: ", some need a password"}[f.Locked])
	}
	return out
}

// silence is the integrated loudness that silence is given, in LUFS (EBU R 128's gate).
const silence = -70

func channels(n int) string {
	switch n {
	case 0:
		return ""
	case 1:
		return "mono"
	case 2:
		return "stereo"
	case 6:
		return "5.1"
	default:
		return fmt.Sprintf("%d channels", n)
	}
}

func kilohertz(hz int) string {
	if hz == 0 {
		return ""
	}
	return strconv.FormatFloat(float64(hz)/1000, 'f', -1, 64) + " kHz"
}

func known(values ...string) (out []string) {
	for _, v := range values {
		if v != "" {
			out = append(out, v)
		}
	}
	return out
}

func bits(n int, tell bool) string {
	if n == 0 || !tell {
		return ""
	}
	return fmt.Sprintf("%d bit", n)
}

func bitRate(n int64) string {
	if n < 10_000_000 {
		return fmt.Sprintf("%d kbit/s", (n+500)/1000)
	}
	return fmt.Sprintf("%.1f Mbit/s", float64(n)/1e6)
}

// exactly is a length with hundredths of a second.
func exactly(us int64) string {
	cs := (us + 5000) / 10_000
	return fmt.Sprintf("%d:%02d:%02d.%02d", cs/360_000, cs/6000%60, cs/100%60, cs%100)
}

// Thousands groups the figures of a number: 1 234 567, with thin spaces.
func Thousands(n int64) string {
	text := strconv.FormatInt(n, 10)
	for at := len(text) - 3; at > 0; at -= 3 {
		text = text[:at] + "\u2009" + text[at:]
	}
	return text
}
