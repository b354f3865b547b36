package count_test

import (
	"testing"

	"aftergust/core/words/count"

	"github.com/stretchr/testify/assert"
)

func TestOneIsSaidAsOne(t *testing.T) {
	assert.Equal(t, []string{"0 notes", "1 note", "2 notes"},
		[]string{count.Of(0, "note", "notes"), count.Of(1, "note", "notes"), count.Of(2, "note", "notes")})
}

func TestAPartAgreesWithItsVerb(t *testing.T) {
	for want, c := range map[string][2]int{"It is": {1, 1}, "All 3 are": {3, 3}, "1 of 5 is": {1, 5}, "2 of 5 are": {2, 5}, "0 of 5 are": {0, 5}} {
		assert.Equal(t, want, count.Some(c[0], c[1], "It", "is", "are"))
	}
}

func TestWordsAreListed(t *testing.T) {
	for want, words := range map[string][]string{"": nil, "a": {"a"}, "a and b": {"a", "b"}, "a, b and c": {"a", "b", "c"}} {
		assert.Equal(t, want, count.List(words))
	}
}
