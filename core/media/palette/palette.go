// Package palette reads a colour as people write it and gives its values in the
// forms that they copy, and its contrast with black and white.
//
// Conversions follow CSS Color Module Level 4 (sections 7, 9 and 18 with their
// matrices); contrast follows WCAG 2.2 (relative luminance). Everything is sRGB.
package palette

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// ErrColour is returned for what is not a colour. Its text says what to write.
var ErrColour = errors.New("this is not a colour: write #35618E, rgb(53 97 142), hsl(210 46% 38%) or oklch(0.48 0.09 253)")

// A Colour is in sRGB, 0 to 255 each.
type Colour struct{ R, G, B uint8 }

var (
	function = regexp.MustCompile(`^(rgba?|hsla?|oklch)\(([^()]*)\)$`)
	between  = regexp.MustCompile(`[\s,/]+`)
)

// Parse reads #rgb, #rrggbb with or without the sign, rgb(), hsl() and oklch()
// with commas or spaces. An oklch() outside of sRGB is clipped to it.
func Parse(text string) (Colour, error) {
	text = strings.ToLower(strings.TrimSpace(text))
	if m := function.FindStringSubmatch(text); m != nil {
		parts := between.Split(strings.TrimSpace(m[2]), -1)
		if len(parts) != 3 {
			return Colour{}, ErrColour
		}
		return parseFunction(strings.TrimSuffix(m[1], "a"), parts)
	}
	hex := strings.TrimPrefix(text, "#")
	if len(hex) == 3 {
		hex = string([]byte{hex[0], hex[0], hex[1], hex[1], hex[2], hex[2]})
	}
	n, err := strconv.ParseUint(hex, 16, 32)
	if err != nil || len(hex) != 6 {
		return Colour{}, ErrColour
	}
	return Colour{uint8(n >> 16), uint8(n >> 8), uint8(n)}, nil
}

func parseFunction(name string, parts []string) (Colour, error) {
	// What 100 % stands for in each part.
	whole := map[string][3]float64{"rgb": {255, 255, 255}, "hsl": {360, 1, 1}, "oklch": {1, 0.4, 360}}[name]
	var v [3]float64
	for i, part := range parts {
		number, percent := strings.CutSuffix(strings.TrimSuffix(part, "deg"), "%")
		x, err := strconv.ParseFloat(number, 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return Colour{}, ErrColour
		}
		if percent {
			x *= whole[i] / 100
		} else if name == "hsl" && i > 0 {
			x /= 100
		}
		v[i] = x
	}
	switch name {
	case "rgb":
		return Colour{byteOf(v[0] / 255), byteOf(v[1] / 255), byteOf(v[2] / 255)}, nil
	case "hsl":
		return fromHSL(v[0], min(max(v[1], 0), 1), min(max(v[2], 0), 1)), nil
	default:
		return fromOKLCH(min(max(v[0], 0), 1), max(v[1], 0), v[2]), nil
	}
}

// Hex is the colour as #RRGGBB.
func (c Colour) Hex() string { return fmt.Sprintf("#%02X%02X%02X", c.R, c.G, c.B) }

// RGB is the colour as rgb(53 97 142).
func (c Colour) RGB() string { return fmt.Sprintf("rgb(%d %d %d)", c.R, c.G, c.B) }

// HSL is the colour as hsl(210 46% 38%), each rounded.
func (c Colour) HSL() string {
	r, g, b := float64(c.R)/255, float64(c.G)/255, float64(c.B)/255
	high, low := max(r, g, b), min(r, g, b)
	light, span := (high+low)/2, high-low
	hue, saturation := 0.0, 0.0
	if span > 0 {
		saturation = span / (1 - math.Abs(2*light-1))
		switch high {
		case r:
			hue = math.Mod((g-b)/span+6, 6)
		case g:
			hue = (b-r)/span + 2
		default:
			hue = (r-g)/span + 4
		}
	}
	return fmt.Sprintf("hsl(%.0f %.0f%% %.0f%%)", math.Mod(math.Round(hue*60), 360), saturation*100, light*100)
}

func fromHSL(hue, saturation, light float64) Colour {
	// CSS Color 4, section 7.1.
	f := func(n float64) uint8 {
		k := math.Mod(n+math.Mod(math.Mod(hue, 360)+360, 360)/30, 12)
		return byteOf(light - saturation*min(light, 1-light)*max(-1, min(k-3, 9-k, 1)))
	}
	return Colour{f(0), f(8), f(4)}
}

// OKLCH is the colour as oklch(0.4808 0.0883 252.68): lightness 0 to 1, chroma, hue
// in degrees.
func (c Colour) OKLCH() string {
	light, chroma, hue := c.oklch()
	return fmt.Sprintf("oklch(%.4f %.4f %.2f)", light, chroma, hue)
}

func (c Colour) oklch() (light, chroma, hue float64) {
	r, g, b := linear(c.R), linear(c.G), linear(c.B)
	// CSS Color 4, section 18: linear sRGB to LMS, by way of XYZ, and LMS to OKLab.
	l := math.Cbrt(0.4122214708*r + 0.5363325363*g + 0.0514459929*b)
	m := math.Cbrt(0.2119034982*r + 0.6806995451*g + 0.1073969566*b)
	s := math.Cbrt(0.0883024619*r + 0.2817188376*g + 0.6299787005*b)
	light = 0.2104542553*l + 0.7936177850*m - 0.0040720468*s
	x := 1.9779984951*l - 2.4285922050*m + 0.4505937099*s
	y := 0.0259040371*l + 0.7827717662*m - 0.8086757660*s
	chroma, hue = math.Hypot(x, y), math.Mod(math.Atan2(y, x)*180/math.Pi+360, 360)
	if chroma < 0.00005 {
		chroma, hue = 0, 0 // a grey has no hue
	}
	return light, chroma, hue
}

// Mix is a colour so far on the way from one to another, in sRGB as browsers mix
// layers: 0 is a, 1 is b.
func Mix(a, b Colour, share float64) Colour {
	mix := func(x, y uint8) uint8 { return byteOf((float64(x)*(1-share) + float64(y)*share) / 255) }
	return Colour{mix(a.R, b.R), mix(a.G, b.G), mix(a.B, b.B)}
}

// Reach is the colour nearest to c, lighter or darker with its hue, that has a
// contrast of at least least to each ground. ok is false where none has, since the
// grounds are too far apart; it is then what comes nearest to it.
func Reach(c Colour, least float64, grounds ...Colour) (reached Colour, ok bool) {
	worst := func(c Colour) float64 {
		w := math.Inf(1)
		for _, g := range grounds {
			w = min(w, Contrast(c, g))
		}
		return w
	}
	if worst(c) >= least {
		return c, true
	}
	light, chroma, hue := c.oklch()
	const steps = 400
	best, contrast := c, worst(c)
	for i := 1; i <= steps; i++ {
		for _, to := range []float64{light - float64(i)/steps, light + float64(i)/steps} {
			if to < 0 || to > 1 {
				continue
			}
			next := fromOKLCH(to, chroma, hue)
			if w := worst(next); w >= least {
				return next, true
			} else if w > contrast {
				best, contrast = next, w
			}
		}
	}
	for _, end := range []Colour{Black, White} {
		if w := worst(end); w >= least {
			return end, true
		} else if w > contrast {
			best, contrast = end, w
		}
	}
	return best, false
}

func fromOKLCH(light, chroma, hue float64) Colour {
	if light == 0 || light == 1 {
		chroma = 0 // black and white have none (CSS Color 4, section 9.3)
	}
	x, y := chroma*math.Cos(hue*math.Pi/180), chroma*math.Sin(hue*math.Pi/180)
	cube := func(v float64) float64 { return v * v * v }
	l := cube(light + 0.3963377774*x + 0.2158037573*y)
	m := cube(light - 0.1055613458*x - 0.0638541728*y)
	s := cube(light - 0.0894841775*x - 1.2914855480*y)
	return Colour{
		encode(4.0767416621*l - 3.3077115913*m + 0.2309699292*s),
		encode(-1.2684380046*l + 2.6097574011*m - 0.3413193965*s),
		encode(-0.0041960863*l - 0.7034186147*m + 1.7076147010*s),
	}
}

// linear undoes the transfer function of sRGB (IEC 61966-2-1).
func linear(v uint8) float64 {
	x := float64(v) / 255
	if x <= 0.04045 {
		return x / 12.92
	}
	return math.Pow((x+0.055)/1.055, 2.4)
}

func encode(x float64) uint8 {
	if x <= 0.0031308 {
		return byteOf(12.92 * x)
	}
	return byteOf(1.055*math.Pow(x, 1/2.4) - 0.055)
}

func byteOf(x float64) uint8 { return uint8(math.Round(min(max(x, 0), 1) * 255)) }

// Black and White are what contrast is told against.
var (
	Black = Colour{}
	White = Colour{255, 255, 255}
)

// Contrast is the contrast of two colours, 1 to 21 (WCAG 2.2).
func Contrast(a, b Colour) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

func luminance(c Colour) float64 {
	return 0.2126*linear(c.R) + 0.7152*linear(c.G) + 0.0722*linear(c.B)
}

// Saying words a contrast for people who choose text colours: "4.54, enough for
// text" (WCAG 2.2, 1.4.3: 4.5 for text, 3 for large text).
func Saying(contrast float64) string {
	// Cut, not rounded, so that 4.499 is not called 4.5.
	shown := strconv.FormatFloat(math.Floor(contrast*100)/100, 'f', -1, 64)
	switch {
	case contrast >= 4.5:
		return shown + ", enough for text"
	case contrast >= 3:
		return shown + ", for large text only"
	default:
		return shown + ", too little for text"
	}
}
