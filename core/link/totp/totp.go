// Package totp reckons with codes that an app shows for thirty seconds (RFC 6238,
// by SHA-1 and six digits, as apps expect).
package totp

import (
	"crypto/subtle"
	"encoding/base32"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
)

// Step is how long one code is shown; a code is taken one step before and after
// its time, for clocks that differ.
const (
	Step = 30 * time.Second
	skew = 1
)

// SecretBytes is how many random bytes a secret has (RFC 4226, section 4: 160 bits recommended).
const SecretBytes = 20

// Secret writes random bytes as apps read them.
func Secret(random []byte) string {
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(random)
}

// Code is the code of a secret at a moment; empty for what is no secret.
func Code(secret string, at time.Time) string { return code(secret, at.Unix()/int64(Step/time.Second)) }

func code(secret string, step int64) string {
	if step < 0 {
		return ""
	}
	made, err := hotp.GenerateCodeCustom(secret, uint64(step), hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
	if err != nil {
		return ""
	}
	return made
}

// Matches reports whether a code is that of a secret at a moment, and of which step:
// one that was used before must not be taken again (RFC 6238, section 5.2).
func Matches(secret, typed string, at time.Time) (step int64, ok bool) {
	typed = strings.ReplaceAll(typed, " ", "")
	now := at.Unix() / int64(Step/time.Second)
	for s := now - skew; s <= now+skew; s++ {
		if right := code(secret, s); right != "" && subtle.ConstantTimeCompare([]byte(right), []byte(typed)) == 1 {
			step, ok = s, true
		}
	}
	return step, ok
}
