// Package pickup is codes that somebody reads out on the phone and somebody else
// types in. What they must withstand is reckoned in its test, with the limits of
// core/link/throttle.
package pickup

import "strings"

// Letters is how many letters a code has, of five bits each.
const Letters = 10

// alphabet leaves out letters that are taken for others. Source: Crockford's
// Base32, from memory.
const alphabet = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"

// Make is a code of the lowest 50 bits of random, in the form in which Read reads it.
func Make(random uint64) string {
	var b [Letters]byte
	for i := range b {
		b[i] = alphabet[random&31]
		random >>= 5
	}
	return string(b[:])
}

// Show is a code in groups, to be read out: 4TKM-7R9-2XD.
func Show(code string) string {
	if len(code) != Letters {
		return code
	}
	return code[:4] + "-" + code[4:7] + "-" + code[7:]
}

// Read reads a code as somebody typed it: in any case, with or without anything
// between its letters, O for 0, I and L for 1. ok is false where it cannot be one.
func Read(typed string) (code string, ok bool) {
	var b strings.Builder
	for _, r := range strings.ToUpper(typed) {
		switch r {
		case ' ', '-', '.', '\t', '\u2013', '\u00a0':
			continue
		case 'O':
			r = '0'
		case 'I', 'L':
			r = '1'
		}
		if r > 127 || strings.IndexByte(alphabet, byte(r)) < 0 || b.Len() == Letters {
			return "", false
		}
		b.WriteRune(r)
	}
	return b.String(), b.Len() == Letters
}
