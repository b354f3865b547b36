package find_test

import (
	"slices"
	"strings"
	"testing"

	"aftergust/core/file/find"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWordsAreFoldedAndCutWherePeopleWouldCutThem(t *testing.T) {
	for text, want := range map[string][]string{
		"harbour_02v3.mov": {"harbour", "02v3", "02", "v", "3", "mov", "2"},
		"HarbourFilm":      {"harbourfilm", "harbour", "film"},
		"Ménaï Straße":     {"menai", "strasse"},
		"ﬁnal – Ⅻ":         {"final"},
		"48k wav":          {"48k", "48", "k", "wav"},
		"":                 nil,
	} {
		assert.Equal(t, want, find.Words(text), text)
	}
}

// Source: Unicode UAX #15, figure 3 and 4: composed and decomposed forms are canonically equivalent.
func TestBothUnicodeFormsOfANameAreTheSameWord(t *testing.T) {
	assert.Equal(t, find.Fold("\u00c5ngstr\u00f6m"), find.Fold("A\u030angstro\u0308m"))
	assert.Equal(t, find.Words("\u00c5ngstr\u00f6m"), find.Words("A\u030angstro\u0308m"))
}

func TestAQueryTakesBoundsOutOfTheWords(t *testing.T) {
	for typed, want := range map[string]find.Query{
		"wav 48k":                       {Words: []string{"wav", "48k"}},
		"longer than 2 min":             {MinLength: 120_000_001},
		"Harbour over 1.5 GB":           {Words: []string{"harbour"}, MinSize: 1_500_000_001},
		"stem <30s":                     {Words: []string{"stem"}, MaxLength: 29_999_999},
		"> 2h shorter than 3 hours cut": {Words: []string{"cut"}, MinLength: 7_200_000_001, MaxLength: 10_799_999_999},
		"under 400 mb":                  {MaxSize: 399_999_999},
		"over the hill":                 {Words: []string{"over", "the", "hill"}},
		"  ":                            {},
	} {
		assert.Equal(t, want, find.Parse(typed), typed)
	}
	assert.True(t, find.Parse(" , ").Empty())
	assert.False(t, find.Parse("> 2 s").Empty())
}

func TestEveryNameIsFoundByAnyBeginningOfItsWords(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[A-Za-z0-9éüß]{1,12}( [A-Za-z0-9éü]{1,8}){0,3}`).Draw(t, "name")
		words := find.Words(name)
		for _, word := range find.Parse(name).Words {
			runes := []rune(word)
			beginning := string(runes[:rapid.IntRange(1, len(runes)).Draw(t, "length")])
			if !slices.ContainsFunc(words, func(w string) bool { return strings.HasPrefix(w, beginning) }) {
				t.Fatalf("%q is not found by %q among %v", name, beginning, words)
			}
		}
	})
}

func TestWordsHaveBounds(t *testing.T) {
	assert.Equal(t, []string{strings.Repeat("a", 60)}, find.Words(strings.Repeat("a", 60)+" "+strings.Repeat("b", 61)))
	many := make([]string, find.MaxWords+5)
	for i := range many {
		many[i] = string([]byte{'a' + byte(i%26), 'a' + byte(i/26%26), 'a' + byte(i/676%26), 'a' + byte(i/17576)}) // all distinct
	}
	assert.Len(t, find.Words(many...), find.MaxWords)
	assert.Len(t, find.Words(many[:find.MaxWords-1]...), find.MaxWords-1)
	assert.Len(t, find.Parse("a b c d e f g h i j k l m n").Words, find.MaxQuery)
	assert.Equal(t, []string{"a", "b"}, find.Parse("a b a").Words)
	assert.Equal(t, []string{"a", "b"}, find.Words("a b a"), "each once")
	assert.Equal(t, []string{"007", "0a", "0", "a", "7"}, find.Words("007 0a"))
	assert.Equal(t, []string{"000"}, find.Words("000"), "nothing is left of zeros")
}

func TestARunIsCutWhereItsKindChangesAndNowhereElse(t *testing.T) {
	for text, want := range map[string][]string{
		"HDRip":    {"hdrip"},
		"aB":       {"ab", "a", "b"},
		"AB":       {"ab"},
		"a1":       {"a1", "a", "1"},
		"1A":       {"1a", "1", "a"},
		"e\u03011": {"e1", "e", "1"}, // an accent on its own is no cut
	} {
		assert.Equal(t, want, find.Words(text), text)
	}
}
