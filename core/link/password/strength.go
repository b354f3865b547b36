package password

import (
	"fmt"
	"math"
	"time"
	"unicode"
	"unicode/utf8"

	"aftergust/core/link/throttle"
	"aftergust/core/words/count"
)

// A Grade is how long the passphrase of a door stands against somebody who tries
// without a pause.
type Grade string

// Grades, from the least.
const (
	Refused Grade = "refused" // it is not taken
	Thin    Grade = "thin"    // it may fall while the package is out
	Sound   Grade = "sound"   // it outlasts every package
	Strong  Grade = "strong"  // it outlasts whoever tries
)

// In days.
const (
	year      = 365
	triesADay = throttle.Everywhere * float64(24*time.Hour) / float64(throttle.Window)
)

// Strength grades a passphrase and says why, in words for whoever types it. about are
// words that whoever has the link reads.
func Strength(phrase string, about ...string) (Grade, string) {
	if err := Passphrase(phrase, about...); err != nil {
		return Refused, err.Error()
	}
	// On the average it is found when half of them were tried.
	days := math.Exp2(bits(phrase)-1) / triesADay
	switch {
	case days < 3*year:
		return Thin, "thin: who tries without a pause at this door is in after about " + roughly(days) + ". Another word makes it sound"
	case days < 1000*year:
		return Sound, "sound: who tries without a pause at this door needs about " + roughly(days)
	}
	return Strong, "strong: who tries without a pause at this door needs more than a thousand years"
}

// bits is what a text that a person chose is worth, in bits of chance. Source: NIST
// SP 800-63-1, appendix A.2.1 (from memory, not looked up): 4 for the first character,
// 2 for each of the next seven, 1.5 up to the twentieth, 1 from there, and 6 more where
// it has both capitals and signs that are no letters.
func bits(text string) float64 {
	n := utf8.RuneCountInString(text)
	worth := 4 + 2*float64(min(n, 8)-1) + 1.5*float64(max(min(n, 20)-8, 0)) + float64(max(n-20, 0))
	upper, sign := false, false
	for _, r := range text {
		upper = upper || unicode.IsUpper(r)
		sign = sign || !unicode.IsLetter(r) && !unicode.IsSpace(r)
	}
	if upper && sign {
		worth += 6
	}
	return worth
}

func roughly(days float64) string {
	switch n := int(days + 0.5); {
	case n < 1:
		return "a day"
	case n < 60:
		return count.Of(n, "day", "days")
	case n < 2*year:
		return fmt.Sprintf("%d months", n*12/year)
	default:
		return fmt.Sprintf("%d years", n/year)
	}
}
