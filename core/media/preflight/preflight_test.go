package preflight_test

import (
	"fmt"
	"strings"
	"testing"

	"aftergust/core/media/preflight"
	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func file(path string) preflight.File {
	return preflight.File{ID: path, Path: path, Size: 1000, Kind: "other", Digest: "d" + path}
}

func sound(path string, us int64, rate, depth int) preflight.File {
	f := file(path)
	f.Kind, f.LengthUS, f.SampleRate, f.BitDepth, f.HasSound, f.Measured, f.LUFS, f.PeakDBTP = "sound", us, rate, depth, true, true, -18, -3
	return f
}

func film(path string, rate timecode.Rate) preflight.File {
	f := sound(path, 10_000_000, 48000, 16)
	f.Kind, f.Rate = "film", rate
	return f
}

// codes are the findings as "code: files".
func codes(files ...preflight.File) (out []string) {
	for _, f := range preflight.Look(files) {
		out = append(out, f.Code+": "+strings.Join(f.Files, " "))
	}
	return out
}

func TestWhatIsInOrderGivesNoFinding(t *testing.T) {
	assert.Empty(t, preflight.Look(nil))
	assert.Empty(t, codes(file("a.mov"), file("b.mov"), film("c.mov", timecode.Rate25), sound("Stems/drums.wav", 60e6, 48000, 24),
		sound("Stems/bass.wav", 60e6+10_000, 48000, 24)))
}

func TestEachMistakeIsFoundWithItsFile(t *testing.T) {
	change := func(f preflight.File, with func(*preflight.File)) preflight.File { with(&f); return f }
	for name, c := range map[string]struct {
		files []preflight.File
		want  []string
	}{
		"empty":    {[]preflight.File{change(file("a"), func(f *preflight.File) { f.Size = 0 })}, []string{"empty: a"}},
		"arriving": {[]preflight.File{change(file("a"), func(f *preflight.File) { f.Size, f.Arriving = 0, true })}, []string{"arriving: a"}},
		"unreadable": {[]preflight.File{change(file("a"), func(f *preflight.File) { f.Broken = "moov atom not found" })},
			[]string{"unreadable: a"}},
		// Source: Windows' reserved names and characters.
		"names": {[]preflight.File{file("aux.txt"), file("cut 1?.mov"), file("a/b./c")}, []string{"name: aux.txt", "name: cut 1?.mov",
			"name: a/b./c"}},
		// Source: Unicode UAX #15: é composed and decomposed.
		"twins": {[]preflight.File{file("Caf\u00e9.mov"), file("cafe\u0301.MOV"), file("x")},
			[]string{"twins: Caf\u00e9.mov cafe\u0301.MOV"}},
		"path": {[]preflight.File{file(strings.Repeat("folder/", 32) + "a.mov")}, []string{"path: " + strings.Repeat("folder/", 32) +
			"a.mov"}},
		"doubled": {[]preflight.File{change(file("a"), func(f *preflight.File) { f.Digest = "x" }),
			change(file("b"), func(f *preflight.File) { f.Digest = "x" })}, []string{"doubled: a b"}},
		"no sound": {[]preflight.File{change(film("a", timecode.Rate25), func(f *preflight.File) { f.HasSound, f.Measured = false, false })},
			[]string{"no_sound: a"}},
		"silent": {[]preflight.File{change(sound("a", 1e6, 48000, 24), func(f *preflight.File) { f.PeakDBTP = -144 })},
			[]string{"silent: a"}},
		"clipped": {[]preflight.File{change(sound("a", 1e6, 48000, 24), func(f *preflight.File) { f.PeakDBTP = 0.4 })},
			[]string{"clipped: a"}},
		"length": {[]preflight.File{sound("stem_drums.wav", 60e6, 48000, 24), sound("stem_bass.wav", 60e6, 48000, 24),
			sound("stem_voice.wav", 58e6, 48000, 24)}, []string{"stem_length: stem_voice.wav"}},
		"sample rate": {[]preflight.File{sound("Stems/a.wav", 60e6, 48000, 24), sound("Stems/b.wav", 60e6, 44100, 24), sound("Stems/c.wav", 60e6,
			48000, 24)}, []string{"stem_rate: Stems/b.wav"}},
		"depth": {[]preflight.File{sound("Stems/a.wav", 60e6, 48000, 16), sound("Stems/b.wav", 60e6, 48000, 24), sound("Stems/c.wav", 60e6,
			48000, 24)}, []string{"stem_depth: Stems/a.wav"}},
		"rates": {[]preflight.File{film("a", timecode.Rate25), film("b", timecode.Rate2997DF), film("c", timecode.Rate25)},
			[]string{"frame_rates: b"}},
		"variable": {[]preflight.File{change(film("a", timecode.Rate30), func(f *preflight.File) { f.Variable = true })},
			[]string{"variable_rate: a"}},
		// Source: RFC 2045 base64, 25 MB (common practice): 18.27 MB is about the most.
		"mail": {[]preflight.File{change(file("a"), func(f *preflight.File) { f.Size = 18_300_000 }),
			change(file("b"), func(f *preflight.File) { f.Size = 18_200_000 })}, []string{"mail: a"}},
	} {
		assert.Equal(t, c.want, codes(c.files...), name)
	}
}

func TestSoundsThatDoNotBelongTogetherMayDiffer(t *testing.T) {
	assert.Empty(t, codes(sound("guide_en.wav", 95e6, 48000, 24), sound("guide_cy.wav", 119e6, 44100, 16)))
	assert.Empty(t, codes(sound("A/stem_1.wav", 95e6, 48000, 24), sound("B/stem_1.wav", 60e6, 48000, 24)), "stems of two pieces")
}

func TestFindingsSayWhyAndWhatToDoTheWorstFirst(t *testing.T) {
	heavy := film("a.mov", timecode.Rate25)
	heavy.Size = 1 << 30
	empty := file("b.txt")
	empty.Size = 0
	found := preflight.Look([]preflight.File{heavy, empty})
	require.Len(t, found, 2)
	assert.Equal(t, preflight.Warns, found[0].Severity)
	assert.Equal(t, preflight.Tells, found[1].Severity)
	for _, f := range found {
		assert.NotEmpty(t, f.Why)
		assert.NotEmpty(t, f.Do)
		assert.Equal(t, f.Files, f.Names)
	}
}

func with(f preflight.File, change func(*preflight.File)) preflight.File {
	change(&f)
	return f
}

func TestWhatIsJustStillInOrderGivesNoFinding(t *testing.T) {
	// Source: Windows' MAX_PATH of 260 UTF-16 units (from memory), less the 40 that we leave for the folder around it.
	at := strings.Repeat("a", 216) + ".mov"
	assert.Empty(t, codes(file(at)))
	assert.Equal(t, []string{"path: a" + at}, codes(file("a"+at)))
	assert.Empty(t, codes(with(sound("a", 1e6, 48000, 24), func(f *preflight.File) { f.PeakDBTP = 0 })), "full scale itself")
	assert.Equal(t, []string{"silent: a"}, codes(with(sound("a", 1e6, 48000, 24), func(f *preflight.File) { f.PeakDBTP = -90 })))
	assert.Empty(t, codes(sound("Stems/a.wav", 60e6, 48000, 24), sound("Stems/b.wav", 60e6+20_000, 48000, 24)), "a fiftieth of a second")
	assert.Equal(t, []string{"stem_length: Stems/b.wav"}, codes(sound("Stems/a.wav", 60e6, 48000, 24), sound("Stems/b.wav", 60e6+20_001, 48000, 24)))
	assert.Empty(t, codes(with(film("still.mov", timecode.Rate25), func(f *preflight.File) { f.HasSound, f.Measured, f.LengthUS = false, false, 0 })))
}

func TestAFileWithoutWhatIsComparedIsNotCompared(t *testing.T) {
	blank := func(f *preflight.File) { f.Digest = "" }
	assert.Empty(t, codes(with(file("a"), blank), with(file("b"), blank)), "sums that are not known yet")
	nothing := func(f *preflight.File) { f.Size, f.Digest = 0, "x" }
	assert.Equal(t, []string{"empty: a", "empty: b"}, codes(with(file("a"), nothing), with(file("b"), nothing)), "nothing twice is not doubled")
	same := func(f *preflight.File) { f.Digest = "x" }
	assert.Equal(t, []string{"doubled: b c"}, codes(with(file("a"), blank), with(file("b"), same), with(file("c"), same)))
	assert.Equal(t, []string{"name: aux/cut?.mov"}, codes(file("aux/cut?.mov")), "one finding for one path")
	assert.Empty(t, codes(sound("Stems/a.mp3", 60e6, 48000, 0), sound("Stems/b.wav", 60e6, 48000, 24)), "no depth on one side")
	assert.Empty(t, codes(sound("Stems/b.wav", 60e6, 48000, 24), sound("Stems/a.mp3", 60e6, 48000, 0)), "nor on the other")
	assert.Empty(t, codes(sound("Stems/a.wav", 60e6, 48000, 24), sound("Stems/b.wav", 0, 44100, 16)), "no length")
	assert.Empty(t, codes(sound("Stems/a.wav", 60e6, 48000, 24), with(film("Stems/b.mov", timecode.Rate25), func(f *preflight.File) { f.SampleRate = 96000 })))
	odd := func(f *preflight.File) { f.Rate, f.Variable = timecode.Rate30, true }
	assert.Equal(t, []string{"variable_rate: a"}, codes(with(film("a", timecode.Rate25), odd), film("b", timecode.Rate25), film("c", timecode.Rate25)))
	assert.Equal(t, []string{"frame_rates: d"}, codes(film("b", timecode.Rate25), with(film("a", timecode.Rate25), func(f *preflight.File) { f.Rate = timecode.Rate{} }),
		film("c", timecode.Rate25), film("d", timecode.Rate30)), "one whose rate is not known does not hide the others")
	assert.Empty(t, codes(film("a", timecode.Rate25), with(sound("b", 1e6, 48000, 24), func(f *preflight.File) { f.Rate = timecode.Rate30 })))
}

func TestTheOddOnesAreTheFewer(t *testing.T) {
	assert.Equal(t, []string{"stem_length: Stems/b.wav"}, codes(sound("Stems/a.wav", 60e6, 48000, 24), sound("Stems/b.wav", 58e6, 48000, 24)),
		"of two the first is taken to be right")
	assert.Equal(t, []string{"frame_rates: a"}, codes(film("a", timecode.Rate24), film("b", timecode.Rate25), film("c", timecode.Rate25)))
	var stems []preflight.File
	for i := range 7 {
		stems = append(stems, sound(fmt.Sprintf("Stems/%d.wav", i), int64(60+i)*1e6, 48000, 24))
	}
	said := func(files []preflight.File) string { return preflight.Look(files)[0].Why }
	assert.Contains(t, said(stems[:6]), "0.wav 60.00 s, 1.wav 61.00 s, 2.wav 62.00 s, 3.wav 63.00 s, 4.wav 64.00 s, 5.wav 65.00 s.")
	assert.Contains(t, said(stems), "5.wav 65.00 s, ….")
}
