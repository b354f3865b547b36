package letterhead_test

import (
	"testing"

	. "aftergust/core/media/letterhead"
	"aftergust/core/media/palette"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func colour(t *rapid.T, name string) palette.Colour {
	return palette.Colour{R: rapid.Uint8().Draw(t, name+" r"), G: rapid.Uint8().Draw(t, name+" g"), B: rapid.Uint8().Draw(t, name+" b")}
}

// Source: WCAG 2.2, 1.4.3: 4.5 to 1 for text, whatever a studio chooses.
func TestWhateverIsChosenEverythingCanBeRead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := Colours{Main: colour(t, "main"), Ground: colour(t, "ground"), Band: colour(t, "band")}.Look()
		for name, pair := range map[string][2]palette.Colour{
			"ink": {l.Ink, l.Ground}, "ink on paper": {l.Ink, l.Surface}, "muted": {l.Muted, l.Ground}, "muted on paper": {l.Muted, l.Surface}, "muted on nothing": {l.Muted, l.Empty},
			"main": {l.Main, l.Ground}, "main on paper": {l.Main, l.Surface}, "main on its faint": {l.Main, l.MainFaint}, "button": {l.OnMain, l.Main},
			"pressed": {l.OnMain, l.MainDeep}, "late": {l.Late, l.Ground}, "wrong": {l.Wrong, l.Surface}, "band": {l.OnBand, l.Band},
		} {
			assert.GreaterOrEqual(t, palette.Contrast(pair[0], pair[1]), 4.5, "%s: %s on %s", name, pair[0].Hex(), pair[1].Hex())
		}
	})
}

func TestWhatIsReadableStaysAsItWasChosen(t *testing.T) {
	l := Standard.Look()
	assert.Equal(t, Standard.Main, l.Main)
	assert.Equal(t, Standard.Ground, l.Ground)
	assert.Empty(t, l.Fixes)
}

func TestAColourThatIsHardToReadIsCorrectedAndExplained(t *testing.T) {
	yellow := palette.Colour{R: 0xF7, G: 0xE0, B: 0x8A}
	l := Colours{Main: yellow, Ground: palette.White, Band: palette.Black}.Look()
	assert.Len(t, l.Fixes, 1)
	assert.Regexp(t, `^#F7E08A would be hard to read \(1\.\d to 1, and 4\.5 is needed\)\. On the page it is darker: #[0-9A-F]{6}\.$`, l.Fixes[0].Say())
	night := Colours{Main: palette.Colour{R: 0x14, G: 0x20, B: 0x60}, Ground: palette.Colour{R: 10, G: 10, B: 20}, Band: palette.Black}.Look()
	assert.Contains(t, night.Fixes[0].Say(), "lighter")
	assert.Len(t, Typefaces.Names(), 3)
}
