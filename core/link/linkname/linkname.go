// Package linkname is names of one's own for links: short, to be read out and typed.
package linkname

import (
	"errors"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Bounds of a name, in characters.
const (
	Least = 3
	Most  = 60
)

// tail is how many random letters a name ends in where its door is open: so many
// that nobody comes upon one by trying names.
const tail = 12

// tails are the letters of a tail: none that is taken for another.
const tails = "abcdefghjkmnpqrstuvwxyz23456789"

// What Read says of what cannot be a name.
var (
	ErrShort = errors.New("a name of a link has three letters at the least")
	ErrLong  = errors.New("a name of a link has sixty letters at the most")
)

// Read makes a name of what somebody typed: small letters, digits and hyphens,
// without marks.
func Read(typed string) (string, error) {
	name := slug(typed)
	switch n := len(name); {
	case n < Least:
		return "", ErrShort
	case n > Most:
		return "", ErrLong
	}
	return name, nil
}

// letters are those that no mark is taken off of.
var letters = strings.NewReplacer("ß", "ss", "ø", "o", "æ", "ae", "œ", "oe", "ł", "l", "đ", "d", "þ", "th")

func slug(typed string) string {
	var b strings.Builder
	gap := false
	for _, r := range norm.NFKD.String(letters.Replace(strings.ToLower(typed))) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			if gap && b.Len() > 0 {
				b.WriteByte('-')
			}
			gap = false
			b.WriteRune(r)
		case !unicode.Is(unicode.Mn, r):
			gap = true
		}
	}
	return b.String()
}

// WithTail adds random letters to a name. random gives 0 to n-1.
func WithTail(name string, random func(n int) int) string {
	var b strings.Builder
	b.WriteString(strings.TrimRight(name[:min(len(name), Most-tail-1)], "-"))
	b.WriteByte('-')
	for range tail {
		b.WriteByte(tails[random(len(tails))])
	}
	return b.String()
}

// Guessable reports whether a name has no random tail.
func Guessable(name string) bool {
	at := strings.LastIndexByte(name, '-')
	return at < 0 || len(name)-at-1 != tail || strings.Trim(name[at+1:], tails) != ""
}
