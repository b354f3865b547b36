package texting_test

import (
	"strings"
	"testing"

	. "aftergust/core/words/texting"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Source: 3GPP TS 23.038 and 23.040, from memory: 160 and 153 places of seven bits, 70 and 67 of UTF-16.
func TestATextTravelsInSoManyParts(t *testing.T) {
	for text, want := range map[string]int{
		"":                            0,
		"a":                           1,
		strings.Repeat("a", 160):      1,
		strings.Repeat("a", 161):      2,
		strings.Repeat("a", 306):      2,
		strings.Repeat("a", 307):      3,
		strings.Repeat("€", 80):       1,
		strings.Repeat("€", 81):       2,
		strings.Repeat("ы", 70):       1,
		strings.Repeat("ы", 71):       2,
		strings.Repeat("ы", 134):      2,
		strings.Repeat("ы", 135):      3,
		strings.Repeat("🌊", 35):       1,
		strings.Repeat("🌊", 36):       2,
		strings.Repeat("a", 69) + "“": 1,
		strings.Repeat("a", 70) + "“": 2,
	} {
		assert.Equal(t, want, Parts(text), "%.10q, %d long", text, len(text))
	}
	assert.Equal(t, `"Lifeboat" - it's here...`, Plain("“Lifeboat” – it’s here…"))
}

// Source: ITU-T E.164. The numbers are of a range that is kept for drama (Ofcom), from memory.
func TestANumberIsReadAsPeopleWriteIt(t *testing.T) {
	for _, typed := range []string{"+44 7700 900123", "0044 7700 900123", "+44 (0)7700 900-123", " +447700900123 "} {
		got, err := Number(typed)
		assert.NoError(t, err, typed)
		assert.Equal(t, "+447700900123", got, typed)
	}
	for _, typed := range []string{"", "+", "07700 900123", "+44 77", "+0447700900123", "+44 7700 900123 4567 8", "+44 7700 900123; rm", "seven", "+44+7700900123",
		"+٤٤ ٧٧٠٠ ٩٠٠١٢٣"} {
		_, err := Number(typed)
		assert.ErrorIs(t, err, ErrNoNumber, typed)
	}
	rapid.Check(t, func(t *rapid.T) {
		number, err := Number(rapid.String().Draw(t, "typed"))
		if err == nil {
			assert.Regexp(t, `^\+[1-9][0-9]{6,14}$`, number)
		}
	})
}
