package linkname_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	. "aftergust/core/link/linkname"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestANameIsMadeOfWhatSomebodyTyped(t *testing.T) {
	for typed, want := range map[string]string{"Lifeboat, cut 4": "lifeboat-cut-4", "  Große Fahrt ": "grosse-fahrt", "take/../../etc": "take-etc",
		"../admin": "admin", "a.b?c#d": "a-b-c-d"} {
		got, err := Read(typed)
		assert.NoError(t, err, typed)
		assert.Equal(t, want, got, typed)
	}
	for typed, want := range map[string]error{"": ErrShort, "a": ErrShort, "//": ErrShort, strings.Repeat("a", 61): ErrLong} {
		_, err := Read(typed)
		assert.ErrorIs(t, err, want, "%.8q", typed)
	}
}

func TestAnythingTypedMakesOnePartOfAPath(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		if name, err := Read(rapid.String().Draw(t, "typed")); err == nil {
			assert.Regexp(t, `^[a-z0-9][a-z0-9-]*[a-z0-9]$`, name, "it is one part of a path, and imitates no other")
		}
	})
}

func TestATailIsKnownAgainAndFitsBehindEveryName(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[a-z0-9]{3,60}`).Draw(t, "name")
		tailed := WithTail(name, rand.IntN)
		assert.LessOrEqual(t, len(tailed), Most)
		assert.False(t, Guessable(tailed), tailed)
		again, err := Read(tailed)
		assert.NoError(t, err)
		assert.Equal(t, tailed, again)
	})
	for _, name := range []string{"lifeboat", "lifeboat-cut-4", "a-abcdefghjkm1", "a-abcdefghjk", ""} {
		assert.True(t, Guessable(name), name)
	}
}

// Source: the chance of a guess, by counting: a million names tried with a thousand links of that beginning out.
func TestATailIsNotComeUpon(t *testing.T) {
	assert.Less(t, 1e6*1e3/math.Pow(31, 12), 1e-8)
}
