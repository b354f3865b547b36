package palette_test

import (
	"strconv"
	"testing"

	"aftergust/core/media/palette"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func colour(t *testing.T, text string) palette.Colour {
	t.Helper()
	c, err := palette.Parse(text)
	require.NoError(t, err, text)
	return c
}

// Source: WCAG 2.2, 1.4.3 and its technique G18: black on white 21, #767676 on white 4.54.
func TestContrastIsThatOfWCAG(t *testing.T) {
	assert.InDelta(t, 21, palette.Contrast(palette.Black, palette.White), 1e-9)
	assert.InDelta(t, 4.54, palette.Contrast(colour(t, "#767676"), palette.White), 0.005)
	assert.InDelta(t, 1, palette.Contrast(palette.White, palette.White), 1e-9)
	assert.Equal(t, "4.54, enough for text", palette.Saying(palette.Contrast(colour(t, "#767676"), palette.White)))
	assert.Equal(t, "4.47, for large text only", palette.Saying(palette.Contrast(colour(t, "#777777"), palette.White)))
	assert.Equal(t, "1, too little for text", palette.Saying(1))
}

// Source: CSS Color Module Level 4: rebeccapurple in section 6.1, hsl(120 100% 25%) is green in section 7,
// OKLCH of the primaries as computed by the matrices of section 18 (from memory).
func TestColoursConvertAsCSSDoes(t *testing.T) {
	for text, hex := range map[string]string{
		"#639": "#663399", "663399": "#663399", " #35618e ": "#35618E", "rgb(102, 51, 153)": "#663399", "rgb(40% 20% 60%)": "#663399",
		"hsl(270 50% 40%)": "#663399", "hsl(120deg, 100%, 25%)": "#008000", "hsl(-240 100 25)": "#008000", "oklch(0.628 0.2577 29.23)": "#FF0000",
		"oklch(86.64% 0.2948 142.5)": "#00FF00", "oklch(1 0 0)": "#FFFFFF", "oklch(0 0.4 12)": "#000000",
	} {
		got := colour(t, text).Hex()
		if got != hex {
			assert.InDelta(t, 1, palette.Contrast(colour(t, got), colour(t, hex)), 0.03, "%s gives %s, not %s", text, got, hex)
		}
	}
	purple := colour(t, "#663399")
	assert.Equal(t, "rgb(102 51 153)", purple.RGB())
	assert.Equal(t, "hsl(270 50% 40%)", purple.HSL())
	assert.Equal(t, "oklch(0.4403 0.1603 303.37)", purple.OKLCH())
	assert.Equal(t, "oklch(0.6280 0.2577 29.23)", colour(t, "#f00").OKLCH())
	assert.Equal(t, "oklch(1.0000 0.0000 0.00)", palette.White.OKLCH())
	assert.Equal(t, "hsl(0 0% 50%)", colour(t, "#808080").HSL())
}

func TestWhatIsNoColourIsRefusedInWords(t *testing.T) {
	for _, text := range []string{"", "#12", "#ggg", "puce", "rgb(1 2)", "rgb(1 2 x)", "hsl(NaN 1 1)", "#1234567", "rgb(1 2 3"} {
		_, err := palette.Parse(text)
		assert.ErrorIs(t, err, palette.ErrColour, text)
	}
}

func TestWhatIsCopiedIsReadBackAsTheSameColour(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := palette.Colour{R: rapid.Byte().Draw(t, "r"), G: rapid.Byte().Draw(t, "g"), B: rapid.Byte().Draw(t, "b")}
		for _, text := range []string{c.Hex(), c.RGB()} {
			back, err := palette.Parse(text)
			if err != nil || back != c {
				t.Fatalf("%s becomes %v", text, back)
			}
		}
		// OKLCH is written with four figures, which can be one step of eight bits off where the curve is steep.
		back, err := palette.Parse(c.OKLCH())
		if err != nil || far(back.R, c.R) || far(back.G, c.G) || far(back.B, c.B) {
			t.Fatalf("%s of %v becomes %v", c.OKLCH(), c, back)
		}
	})
}

func far(a, b uint8) bool { return max(a, b)-min(a, b) > 1 }

// Source: CSS Color Module Level 4, section 6.1 (named colours) and their hues, from memory:
// deeppink, crimson and coral lie on both sides of the red at 0 degrees.
func TestTheHueOfRedsGoesRoundTheCircle(t *testing.T) {
	for hex, want := range map[string]string{
		"#FF1493": "hsl(328 100% 54%)", "#DC143C": "hsl(348 83% 47%)", "#FF7F50": "hsl(16 100% 66%)", "#FF0080": "hsl(330 100% 50%)",
		"#FF0001": "hsl(0 100% 50%)", "#0000FF": "hsl(240 100% 50%)", "#00FF7F": "hsl(150 100% 50%)",
	} {
		assert.Equal(t, want, colour(t, hex).HSL())
	}
	// The way there is another formula than the way back.
	for hue := range 360 {
		text := "hsl(" + strconv.Itoa(hue) + " 100% 50%)"
		assert.Equal(t, text, colour(t, text).HSL())
	}
}
