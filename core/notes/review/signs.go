package review

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"aftergust/core/form/kind"
)

// A Sign is what somebody says to a note without words.
type Sign string

// The signs.
const (
	Agree  Sign = "agree"
	Love   Sign = "love"
	Unsure Sign = "unsure"
	Seen   Sign = "seen"
)

// A SignDescriptor is what is known of one sign.
type SignDescriptor struct {
	Sign Sign
	kind.Words
}

// Signs are all signs, in the order in which they are offered.
var Signs = kind.Of(func(d SignDescriptor) Sign { return d.Sign },
	SignDescriptor{Agree, kind.Words{Word: "Yes", Means: "I want that too.", Offered: true}},
	SignDescriptor{Love, kind.Words{Word: "Lovely", Means: "Keep it as it is.", Offered: true}},
	SignDescriptor{Unsure, kind.Words{Word: "Not sure", Means: "Let us talk about it.", Offered: true}},
	SignDescriptor{Seen, kind.Words{Word: "Seen", Means: "I have read it.", Offered: true}},
)

// MostStars is how many stars a piece can get.
const MostStars = 5

// An Attached is what kind of thing lies at a note.
type Attached string

// The kinds.
const (
	Voice   Attached = "voice"
	Picture Attached = "picture"
)

// An AttachedDescriptor is what is known of one kind.
type AttachedDescriptor struct {
	Attached Attached
	kind.Words
	Most int64 // bytes that are taken of it
}

// Attachments are the kinds of what can lie at a note.
var Attachments = kind.Of(func(d AttachedDescriptor) Attached { return d.Attached },
	AttachedDescriptor{Voice, kind.Words{Word: "Voice", Means: "Said instead of written.", Offered: true}, 40_000_000},
	AttachedDescriptor{Picture, kind.Words{Word: "Picture", Means: "Shows what is meant.", Offered: true}, 40_000_000},
)

// Mentioned finds the people whom a text names with an @ before their name, whole or its
// first word, whatever its case. names are those who can be meant; of two with the same
// first word neither is meant by it alone. The answer are places in names, in their order.
func Mentioned(text string, names []string) (out []int) {
	first := map[string]int{}
	for _, n := range names {
		first[firstWord(n)]++
	}
	long := make([]int, len(names)) // the longest name is tried first: Hanne Orrick before Hanne
	for i := range names {
		long[i] = i
	}
	slices.SortStableFunc(long, func(a, b int) int { return cmp.Compare(len(names[b]), len(names[a])) })
	lower := strings.ToLower(text)
	for at := range mentions(lower) {
		rest := lower[at:]
		i := slices.IndexFunc(long, func(i int) bool {
			name := strings.ToLower(strings.TrimSpace(names[i]))
			return startsWith(rest, name) || first[firstWord(name)] == 1 && startsWith(rest, firstWord(name))
		})
		if i >= 0 && !slices.Contains(out, long[i]) {
			out = append(out, long[i])
		}
	}
	slices.Sort(out)
	return out
}

// mentions are the places after each @ that begins a word.
func mentions(text string) func(func(int) bool) {
	return func(yield func(int) bool) {
		before := ' '
		for i, c := range text {
			if c == '@' && !letter(before) && !yield(i+1) {
				return
			}
			before = c
		}
	}
}

func letter(c rune) bool { return unicode.IsLetter(c) || unicode.IsDigit(c) }

func firstWord(name string) string {
	word, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(name)), " ")
	return word
}

// startsWith reports whether text begins with word, as a whole word.
func startsWith(text, word string) bool {
	rest, ok := strings.CutPrefix(text, word)
	next, _ := utf8.DecodeRuneInString(rest)
	return ok && word != "" && !letter(next)
}
