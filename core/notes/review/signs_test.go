package review_test

import (
	"strings"
	"testing"

	. "aftergust/core/notes/review"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWhoIsMentioned(t *testing.T) {
	names := []string{"Hanne Orrick", "Tove Lind", "Tove Marsh", "Marit Oyelaran", "Ödön"}
	for text, want := range map[string][]int{
		"":                               nil,
		"@Hanne look":                    {0},
		"@hanne orrick, and @MARIT!":     {0, 3},
		"@Tove is two people":            nil,
		"@Tove Marsh is one":             {2},
		"mail hanne@kelpwick.example":    nil,
		"@Hannelore is somebody else":    nil,
		"(@Ödön)":                        {4},
		"@Hanne, @Hanne and once more @": {0},
	} {
		assert.Equal(t, want, Mentioned(text, names), text)
	}
	assert.Empty(t, Mentioned("@ @@", []string{"", " "}))
}

func TestAWholeNameIsAlwaysFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[A-Za-zÅØö]{1,8}( [A-Za-zÅØö]{1,8})?`).Draw(t, "name")
		before := rapid.StringMatching(`[a-z ,.]{0,10}`).Draw(t, "before")
		assert.Equal(t, []int{0}, Mentioned(before+" @"+strings.ToUpper(name)+".", []string{name}))
	})
}
