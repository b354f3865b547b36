package preflight_test

import (
	"strings"
	"testing"

	"aftergust/core/preflight"
	"aftergust/core/timecode"

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
