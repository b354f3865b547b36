package password_test

import (
	"strings"
	"testing"

	. "aftergust/core/link/password"

	"github.com/stretchr/testify/assert"
)

// Source: NIST SP 800-63B, 5.1.1.2.
func TestWhatIsRefusedAndWhy(t *testing.T) {
	about := []string{"Marit Oyelaran", "marit@lowtide.example", "Low Tide Pictures"}
	for text, want := range map[string]error{
		"low-tide-at-noon":             nil,
		"low-tide-noo":                 ErrYours,
		"elevenchars":                  ErrShort,
		"twelve chars":                 nil,
		strings.Repeat("wordsé ", 28):  ErrPlain,
		strings.Repeat("x", 201):       ErrLong,
		"passwordpassword":             ErrCommon,
		"Password1234!":                ErrCommon,
		"Correct Horse Battery Staple": ErrCommon,
		"correcthorsebatterystaple99":  ErrCommon,
		"aaaaaaaaaaaa":                 ErrPlain,
		"abababababab":                 ErrPlain,
		"123456789012":                 ErrPlain,
		"abcdefghijklmnop":             ErrPlain,
		"tidal tidal tidal ":           ErrPlain,
		"marit oyelaran 1984":          ErrYours,
		"LowTidePictures!":             ErrYours,
		"marit@lowtide.example":        ErrYours,
		"marit likes slow harbours":    nil,
		"slow glaze harbour lamp":      nil,
		"été à la plage bleue":         nil,
	} {
		assert.ErrorIs(t, Check(text, about...), want, text)
		if want == nil {
			assert.NoError(t, Check(text, about...), text)
		}
	}
}

func TestAPassphraseOfADoorIsNotWhatIsTriedFirst(t *testing.T) {
	about := []string{"Low Tide Pictures", "Marit Oyelaran", "Lifeboat, cut 3"}
	for text, want := range map[string]error{
		"slow glaze harbour lamp": nil, "glaze 41": nil, "glaze 4": ErrPhraseShort, strings.Repeat("wordsé ", 29): ErrPhraseLong,
		"password": ErrCommon, "Sunshine!": ErrCommon, "open sesame": ErrCommon, "12345678": ErrCommon, "23456789": ErrPlain, "abababab": ErrPlain,
		"lifeboat": ErrSeen, "Lifeboat3": ErrSeen, "low tide lifeboat": ErrSeen, "lifeboat in slow harbours": nil,
	} {
		assert.ErrorIs(t, Passphrase(text, about...), want, text)
		if want == nil {
			assert.NoError(t, Passphrase(text, about...), text)
		}
	}
}
