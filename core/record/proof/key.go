package proof

import (
	"bytes"
	"crypto/ed25519"
	"encoding/hex"
)

// smallOrder are the y of the points whose order divides eight, as they are encoded, without the
// sign: for a key of these anybody can make signatures that fit many texts (RFC 8032, section 7,
// describes the check; a test verifies the list with another library).
var smallOrder = []string{
	"0000000000000000000000000000000000000000000000000000000000000000",
	"0100000000000000000000000000000000000000000000000000000000000000",
	"26e8958fc2b227b045c3f489f2ef98f0d5dfac05d3c63339b13802886d53fc05",
	"c7176a703d4dd84fba3c0b760d10670f2a2053fa2c39ccc64ec7fd7792ac037a",
	"ecffffffffffffffffffffffffffffffffffffffffffffffffffffffffffff7f",
}

// prime is 2^255 - 19, little-endian like keys.
var prime = append(append([]byte{0xed}, bytes.Repeat([]byte{0xff}, 30)...), 0x7f)

// sound reports whether a public key is one that signatures can be checked with: y is below the
// prime, so that it has one encoding (RFC 8032, 5.1.3), and the point is none of small order.
func sound(key ed25519.PublicKey) bool {
	y := bytes.Clone(key)
	y[len(y)-1] &= 0x7f
	for _, weak := range smallOrder {
		if hex.EncodeToString(y) == weak {
			return false
		}
	}
	for i := len(y) - 1; i >= 0; i-- {
		if y[i] != prime[i] {
			return y[i] < prime[i]
		}
	}
	return false
}
