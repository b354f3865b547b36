// Package texting is what there is to know about text messages before one goes:
// whom a number reaches, and in how many parts a text travels.
package texting

import (
	"errors"
	"strings"
	"unicode/utf16"
)

// basic are the letters of the default alphabet, and those that take two places
// in it. Source: 3GPP TS 23.038, section 6.2.1, from memory.
const (
	basic = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
	twice = "^{}\\[~]|€\f"
)

// Parts is how many messages a text travels in: of 160 places where all of it is in
// the default alphabet, of 70 in UTF-16 else; with 153 and 67 where there are several.
// Source: 3GPP TS 23.040, section 9.2.3.24.1, from memory.
func Parts(text string) int {
	places := 0
	for _, r := range text {
		switch {
		case strings.ContainsRune(basic, r):
			places++
		case strings.ContainsRune(twice, r):
			places += 2
		default:
			return parts(len(utf16.Encode([]rune(text))), 70, 67)
		}
	}
	return parts(places, 160, 153)
}

func parts(places, one, several int) int {
	if places <= one {
		return min(places, 1)
	}
	return (places + several - 1) / several
}

// Plain replaces what would make a text travel in UTF-16 without a need: curly
// quotes, dashes, and spaces that do not break.
func Plain(text string) string {
	return strings.NewReplacer("“", `"`, "”", `"`, "‘", "'", "’", "'", "–", "-", "—", "-", "…", "...", "\u00a0", " ", "\u202f", " ").Replace(text)
}

// ErrNoNumber is what Number says of what is no number.
var ErrNoNumber = errors.New("write the number with its country: +44 7700 900123")

// Number reads a telephone number as people write it, with its country code, in the
// form +447700900123. Source: ITU-T E.164: at most fifteen digits, the first of them
// no zero.
func Number(text string) (string, error) {
	var b strings.Builder
	text = strings.TrimSpace(text)
	if rest, ok := strings.CutPrefix(text, "00"); ok {
		text = "+" + rest
	}
	for i, r := range text {
		switch {
		case i == 0 && r == '+', r >= '0' && r <= '9':
			b.WriteRune(r)
		case i > 0 && strings.ContainsRune(" -./()\u00a0", r):
		default:
			return "", ErrNoNumber
		}
	}
	number := strings.Replace(b.String(), "+440", "+44", 1)
	if n := len(number) - 1; !strings.HasPrefix(number, "+") || n < 7 || n > 15 || number[1] == '0' {
		return "", ErrNoNumber
	}
	return number, nil
}
