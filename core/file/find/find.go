// Package find turns what people type into what is looked for, and things into
// the words under which they are found.
//
// A thing is found when every word of the query begins one of its words. Letters
// are compared without case and without accents (Unicode NFKD, UAX #15, with the
// marks taken off), so that "menai" finds "Ménaï".
package find

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// MaxWords is how many words of one thing are kept, and MaxQuery how many of a query count.
const (
	MaxWords = 20_000
	MaxQuery = 12
)

// Fold is text as it is compared.
func Fold(text string) string {
	plain := strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFKD.String(text))
	return cases.Fold().String(plain)
}

// Words are the words of texts, folded, each once, in the order in which they
// come. A word is a run of letters and digits; a run that mixes both, or small
// and capital letters, also counts in its parts: "harbour_02v3" is found by
// "harbour", "02v3", "02", "2" and "v3"; "HarbourFilm" by "film".
func Words(texts ...string) []string {
	var out []string
	seen := map[string]bool{}
	keep := func(word string) {
		if word != "" && len(word) <= 60 && !seen[word] && len(out) < MaxWords {
			seen[word] = true
			out = append(out, word)
		}
	}
	for _, text := range texts {
		for run := range strings.FieldsFuncSeq(text, func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.Is(unicode.Mn, r)
		}) {
			keep(Fold(run))
			parts := split(run)
			if len(parts) == 1 {
				continue
			}
			for _, part := range parts {
				keep(Fold(part))
			}
		}
	}
	for _, word := range slices.Clone(out) {
		if trimmed := strings.TrimLeft(word, "0"); trimmed != "" && trimmed != word && strings.IndexFunc(word, unicode.IsLetter) < 0 {
			keep(trimmed)
		}
	}
	return out
}

// split cuts a run where letters and digits meet and before a capital letter
// that follows a small one.
func split(run string) (parts []string) {
	begin, previous := 0, rune(0)
	for i, r := range run {
		if i > 0 && (unicode.IsDigit(r) != unicode.IsDigit(previous) || (unicode.IsUpper(r) && unicode.IsLower(previous))) &&
			!unicode.Is(unicode.Mn, r) {
			parts = append(parts, run[begin:i])
			begin = i
		}
		previous = r
	}
	return append(parts, run[begin:])
}

// A Query is what somebody looks for.
type Query struct {
	Words     []string // each begins one of the thing's words
	MinLength int64    // microseconds; 0: any
	MaxLength int64    // microseconds; 0: any
	MinSize   int64    // bytes; 0: any
	MaxSize   int64    // bytes; 0: any
}

// Empty reports whether the query asks for nothing.
func (q Query) Empty() bool {
	return len(q.Words) == 0 && q.MinLength == 0 && q.MaxLength == 0 && q.MinSize == 0 && q.MaxSize == 0
}

// "longer than 2 min", "over 100 MB", "> 1.5 GB", "shorter than 30s".
var bound = regexp.MustCompile(`(?i)(?:(longer|larger|bigger|heavier|more|over|above)(?:\s+than)?|(shorter|smaller|lighter|less|under|below)(?:\s+than)?|(>)|(<))\s*(\d+(?:\.\d+)?)\s*(seconds|second|sec|s|minutes|minute|mins|min|m|hours|hour|hrs|h|bytes|byte|kb|mb|gb|tb)\b`)

var units = map[string]float64{"s": 1e6, "m": 60e6, "h": 3600e6, "bytes": 1, "byte": 1, "kb": 1e3, "mb": 1e6, "gb": 1e9, "tb": 1e12}

// Parse reads a query as it is typed. Bounds on length and size are taken out of
// it; sizes are SI. What is left are words.
func Parse(typed string) Query {
	var q Query
	rest := bound.ReplaceAllStringFunc(typed, func(text string) string {
		m := bound.FindStringSubmatch(text)
		number, err := strconv.ParseFloat(m[5], 64)
		if err != nil {
			return text
		}
		unit := strings.ToLower(m[6])
		size := strings.HasSuffix(unit, "b") || strings.HasPrefix(unit, "byte")
		if !size {
			unit = unit[:1]
		}
		value := min(number*units[unit], 1e18)
		atLeast := m[1] != "" || m[3] != ""
		switch {
		case size && atLeast:
			q.MinSize = int64(value) + 1
		case size:
			q.MaxSize = max(1, int64(value)-1)
		case atLeast:
			q.MinLength = int64(value) + 1
		default:
			q.MaxLength = max(1, int64(value)-1)
		}
		return " "
	})
	for run := range strings.FieldsFuncSeq(rest, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.Is(unicode.Mn, r)
	}) {
		if word := Fold(run); word != "" && len(q.Words) < MaxQuery && !slices.Contains(q.Words, word) {
			q.Words = append(q.Words, word)
		}
	}
	return q
}
