package preview_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	. "aftergust/core/media/preview"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestAnExcerptEndsWhereALineOrAWordEnds(t *testing.T) {
	for text, want := range map[string]string{
		"":                                "",
		"lifeboat":                        "",
		"The flag is on the wrong side.":  "The flag is on",
		"one\ntwo\nthree\nfour\nfive six": "one\ntwo",
		"Überfahrt nach Süden, ganz früh": "Überfahrt nach",
	} {
		assert.Equal(t, want, Excerpt(text), text)
	}
	long := strings.Repeat("launch ", 10_000)
	assert.Equal(t, strings.TrimSpace(long[:1995]), Excerpt(long), "two thousand characters at most")
}

func TestAnExcerptIsNeverMoreThanHalfAndAlwaysTheBeginning(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringN(0, 300, -1).Draw(t, "text")
		got := Excerpt(text)
		assert.True(t, strings.HasPrefix(text, got))
		assert.LessOrEqual(t, utf8.RuneCountInString(got), utf8.RuneCountInString(text)/ExcerptShare)
	})
}
