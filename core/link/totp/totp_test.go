package totp_test

import (
	"testing"
	"time"

	. "aftergust/core/link/totp"

	"github.com/stretchr/testify/assert"
)

// Source: RFC 6238, appendix B, the vectors of SHA-1: eight digits there, of which six are ours.
func TestCodesAreThoseOfRFC6238(t *testing.T) {
	secret := Secret([]byte("12345678901234567890"))
	for at, want := range map[int64]string{59: "94287082", 1111111109: "07081804", 1111111111: "14050471", 1234567890: "89005924",
		2000000000: "69279037", 20000000000: "65353130"} {
		assert.Equal(t, want[2:], Code(secret, time.Unix(at, 0)), at)
	}
	assert.Empty(t, Code("no base 32!", time.Unix(59, 0)))
	assert.Empty(t, Code(secret, time.Unix(-40, 0)))
}

func TestACodeIsTakenOneStepBeforeAndAfterItsTime(t *testing.T) {
	secret := Secret([]byte("12345678901234567890"))
	at := time.Unix(1234567890, 0)
	right := Code(secret, at)
	for off, want := range map[time.Duration]bool{0: true, -Step: true, Step: true, -2 * Step: false, 2 * Step: false} {
		step, ok := Matches(secret, right, at.Add(off))
		assert.Equal(t, want, ok, off)
		if ok {
			assert.EqualValues(t, 1234567890/30, step, "whenever it is typed")
		}
	}
	_, ok := Matches(secret, right[:3]+" "+right[3:], at)
	assert.True(t, ok, "as apps show it")
	for _, wrong := range []string{"", "12345", right + "0", "abcdef"} {
		_, ok := Matches(secret, wrong, at)
		assert.False(t, ok, wrong)
	}
	_, ok = Matches("", "", at)
	assert.False(t, ok)
}
