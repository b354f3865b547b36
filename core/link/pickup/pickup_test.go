package pickup_test

import (
	"math"
	"strings"
	"testing"
	"time"

	. "aftergust/core/link/pickup"
	"aftergust/core/link/throttle"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Source: the chance of a guess, by counting. So many wrong codes are taken within a
// window, from all sources together; each meets one of so many codes that live.
func TestAYearOfTryingHasAChanceBelowOneInAMillion(t *testing.T) {
	windows := float64(365*24*time.Hour) / float64(throttle.Window)
	tries := windows * throttle.PickupGuesses
	codes := math.Pow(2, 5*Letters)
	chance := tries * throttle.PickupsLive / codes
	t.Logf("%.0f tries a year, %d codes at a time of %.3g: %.2g", tries, throttle.PickupsLive, codes, chance)
	assert.Less(t, chance, 1e-6)
	assert.LessOrEqual(t, throttle.PickupLife, 10*time.Minute)
}

func TestACodeIsReadAsPeopleTypeIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		code := Make(rapid.Uint64().Draw(t, "random"))
		shown := Show(code)
		for _, typed := range []string{code, shown, strings.ToLower(shown), " " + strings.ReplaceAll(shown, "-", " ") + "\t",
			strings.NewReplacer("0", "o", "1", "l").Replace(shown), strings.NewReplacer("0", "O", "1", "I").Replace(code)} {
			got, ok := Read(typed)
			assert.True(t, ok, typed)
			assert.Equal(t, code, got, typed)
		}
	})
	assert.Equal(t, "0000-000-000", Show(Make(0)))
	assert.Equal(t, "ZZZZ-ZZZ-ZZZ", Show(Make(math.MaxUint64)), "what lies above fifty bits does not count")
}

func TestWhatIsNoCodeIsNotRead(t *testing.T) {
	for _, typed := range []string{"", "4TKM-7R9-2X", "4TKM-7R9-2XDA", "4TKM-7R9-2XU", "4TKM_7R9_2XD", "４TKM-7R9-2XD", strings.Repeat("4", 4000)} {
		_, ok := Read(typed)
		assert.False(t, ok, "%.20q", typed)
	}
	assert.Equal(t, "short", Show("short"))
}
