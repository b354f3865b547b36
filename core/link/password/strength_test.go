package password_test

import (
	"strings"
	"testing"

	. "aftergust/core/link/password"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// The years are those of a hundred tries in a quarter of an hour, 9 600 a day, against
// half of what NIST SP 800-63-1, appendix A gives the text (from memory, not looked up):
// 18 bits for 8 characters, 36 for 20.
func TestAPassphraseSaysHowLongItStands(t *testing.T) {
	for text, want := range map[string]struct {
		grade Grade
		says  string
	}{
		"glaze 41":                {Thin, "in after about 14 days"},       // 2^17 / 9600
		"Glaze 41":                {Thin, "in after about 2 years"},       // 2^23 / 9600 = 874 days
		"slow glaze harbo":        {Sound, "needs about 153 years"},       // 16 characters: 2^29 / 9600
		"slow glaze harbour lamp": {Strong, "more than a thousand years"}, // 39 bits
		"elk":                     {Refused, "at least 8 characters"},
		"sunshine":                {Refused, "tried first"},
		"lifeboat3":               {Refused, "the letter and the page say"},
		strings.Repeat("a harbour at noon 9", 20): {Refused, "at most 200"},
	} {
		grade, says := Strength(text, "Lifeboat, cut 3")
		assert.Equal(t, want.grade, grade, text)
		assert.Contains(t, says, want.says, text)
	}
}

func TestALongerPassphraseIsNeverWeaker(t *testing.T) {
	order := map[Grade]int{Thin: 1, Sound: 2, Strong: 3}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[a-z]{5,9} [a-z]{4,9}`).Draw(t, "text")
		grade, _ := Strength(text)
		longer, _ := Strength(text + " lamp harbour")
		if grade != Refused && longer != Refused && order[longer] < order[grade] {
			t.Fatalf("%q is %s, longer it is %s", text, grade, longer)
		}
	})
}
