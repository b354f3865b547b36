// Package letterhead makes of the three colours of a studio all colours of a page,
// such that everything on it can be read.
package letterhead

import (
	"fmt"
	"math"

	"aftergust/core/form/kind"
	"aftergust/core/media/palette"
)

// Colours are what a studio chooses.
type Colours struct {
	Main   palette.Colour // what one presses
	Ground palette.Colour // behind everything
	Band   palette.Colour // over everything
}

// A Look is all colours of a page. Each text has a contrast of at least 4.5 to what
// it stands on (WCAG 2.2, 1.4.3).
type Look struct {
	Ground, Surface, Empty            palette.Colour // Empty is where nothing is yet
	Ink, Muted, Line, Edge            palette.Colour
	Main, MainDeep, MainFaint, OnMain palette.Colour
	Late, Wrong                       palette.Colour
	Band, OnBand                      palette.Colour
	Fixes                             []Fix
}

// A Fix is a colour that was chosen and is another on the page, and why.
type Fix struct {
	Of       string // which of the three
	Chosen   palette.Colour
	Taken    palette.Colour
	Contrast float64 // of what was chosen, to what it would stand on
}

// Say puts a fix into a sentence.
func (f Fix) Say() string {
	way := "darker"
	if palette.Contrast(f.Taken, palette.Black) > palette.Contrast(f.Chosen, palette.Black) {
		way = "lighter"
	}
	if f.Of == "ground" {
		return fmt.Sprintf("On %s neither dark nor light text would be easy to read. On the page it is %s: %s.", f.Chosen.Hex(), way, f.Taken.Hex())
	}
	// Cut, not rounded, so that 4.499 is not called 4.5.
	return fmt.Sprintf("%s would be hard to read (%.1f to 1, and 4.5 is needed). On the page it is %s: %s.", f.Chosen.Hex(),
		math.Floor(f.Contrast*10)/10, way, f.Taken.Hex())
}

const (
	text = 4.5 // contrast of text (WCAG 2.2, 1.4.3)
	edge = 3   // of what can be filled in or pressed (1.4.11)
)

var (
	ink   = palette.Colour{R: 0x1D, G: 0x2B, B: 0x2F}
	paper = palette.Colour{R: 0xFF, G: 0xFD, B: 0xF8}
	late  = palette.Colour{R: 0x8F, G: 0x4E, B: 0x08}
	wrong = palette.Colour{R: 0x9C, G: 0x33, B: 0x25}
)

// Standard are the colours of a studio that has chosen none.
var Standard = Colours{Main: palette.Colour{R: 0x14, G: 0x59, B: 0x4A}, Ground: palette.Colour{R: 0xF5, G: 0xF2, B: 0xEA},
	Band: palette.Colour{R: 0x3B, G: 0x4A, B: 0x6B}}

// Read reads colours as they were chosen; what is none is that of the standard.
func Read(main, ground, band string) Colours {
	c := Standard
	for i, to := range []*palette.Colour{&c.Main, &c.Ground, &c.Band} {
		if read, err := palette.Parse([]string{main, ground, band}[i]); err == nil {
			*to = read
		}
	}
	return c
}

// Tokens are the colours of a look by the names of the tokens in whose place they stand.
func (l Look) Tokens() map[string]string {
	out := map[string]string{}
	for name, c := range map[string]palette.Colour{"ground": l.Ground, "surface": l.Surface, "ink": l.Ink, "muted": l.Muted, "line": l.Line,
		"empty": l.Empty, "edge": l.Edge, "perforation": l.Line, "main": l.Main, "main-deep": l.MainDeep, "main-faint": l.MainFaint,
		"on-main": l.OnMain, "late": l.Late, "wrong": l.Wrong, "band": l.Band, "on-band": l.OnBand} {
		out[name] = c.Hex()
	}
	return out
}

// on is what reads best on a colour: ink, paper or, between them, black or white.
func on(ground palette.Colour) palette.Colour {
	best := ink
	for _, c := range []palette.Colour{paper, palette.Black, palette.White} {
		if palette.Contrast(best, ground) < text && palette.Contrast(c, ground) > palette.Contrast(best, ground) {
			best = c
		}
	}
	if palette.Contrast(paper, ground) > palette.Contrast(best, ground) && best == ink {
		best = paper
	}
	return best
}

// room is the contrast that black or white has at least to a ground, so that there is
// room between them for several colours of text.
const room = 8.5

// roomy is a ground on which several colours of text can be read.
func roomy(ground palette.Colour) palette.Colour {
	light, _ := palette.Reach(ground, room, palette.Black)
	dark, _ := palette.Reach(ground, room, palette.White)
	if light == ground || palette.Contrast(light, ground) < palette.Contrast(dark, ground) {
		return light
	}
	return dark
}

// Look makes all colours of a page of those that were chosen.
func (c Colours) Look() Look {
	l := Look{Ground: roomy(c.Ground), Band: c.Band, OnBand: on(c.Band)}
	if l.Ground != c.Ground {
		best := max(palette.Contrast(c.Ground, palette.Black), palette.Contrast(c.Ground, palette.White))
		l.Fixes = append(l.Fixes, Fix{"ground", c.Ground, l.Ground, best})
	}
	l.Ink = on(l.Ground)
	dark := palette.Contrast(l.Ink, palette.Black) > palette.Contrast(l.Ink, palette.White)
	lift := palette.White
	if dark { // its paper is nearer to the ink, so that it does not glare
		l.Surface = palette.Mix(l.Ground, lift, 0.06)
	} else {
		l.Surface = palette.Mix(l.Ground, lift, 0.6)
	}
	if reached, ok := palette.Reach(l.Ink, text, l.Ground, l.Surface); ok {
		l.Ink = reached
	} else {
		l.Surface = l.Ground
	}
	read := func(from palette.Colour) palette.Colour {
		reached, _ := palette.Reach(from, text, l.Ground, l.Surface) // ink reaches it, so there is one
		return reached
	}
	l.Line, l.Empty = palette.Mix(l.Ink, l.Ground, 0.82), palette.Mix(l.Ink, l.Ground, 0.93)
	l.Edge, _ = palette.Reach(palette.Mix(l.Ink, l.Ground, 0.5), edge, l.Ground, l.Surface)
	l.Muted, _ = palette.Reach(palette.Mix(l.Ink, l.Ground, 0.25), text, l.Ground, l.Surface, l.Empty)
	l.MainFaint = palette.Mix(c.Main, l.Ground, 0.86)
	l.Main, _ = palette.Reach(c.Main, text, l.Ground, l.Surface, l.MainFaint)
	if palette.Contrast(l.Main, l.MainFaint) < text {
		l.MainFaint = l.Surface
		l.Main = read(c.Main)
	}
	l.OnMain = on(l.Main)
	l.MainDeep, _ = palette.Reach(palette.Mix(l.Main, l.Ink, 0.2), text, l.Ground, l.Surface, l.OnMain)
	if palette.Contrast(l.MainDeep, l.OnMain) < text {
		l.MainDeep = l.Main
	}
	l.Late, l.Wrong = read(late), read(wrong)
	if l.Main != c.Main {
		contrast := min(palette.Contrast(c.Main, l.Ground), palette.Contrast(c.Main, l.Surface), palette.Contrast(c.Main, l.MainFaint))
		l.Fixes = append(l.Fixes, Fix{"main", c.Main, l.Main, contrast})
	}
	return l
}

// A Typeface is what headings are set in.
type Typeface string

// The typefaces, all of which ship with the application.
const (
	Bricolage Typeface = "bricolage"
	Hanken    Typeface = "hanken"
	RedHat    Typeface = "red_hat"
)

// A TypefaceDescriptor is what is known of one typeface.
type TypefaceDescriptor struct {
	Typeface Typeface
	kind.Words
}

// Typefaces are all typefaces.
var Typefaces = kind.Of(func(d TypefaceDescriptor) Typeface { return d.Typeface },
	TypefaceDescriptor{Bricolage, kind.Words{Word: "Bricolage Grotesque", Means: "Lively, with corners.", Offered: true}},
	TypefaceDescriptor{Hanken, kind.Words{Word: "Hanken Grotesk", Means: "Quiet and even.", Offered: true}},
	TypefaceDescriptor{RedHat, kind.Words{Word: "Red Hat Mono", Means: "As if typed.", Offered: true}},
)
