// Package people is the contact book of a studio: who packages go to.
package people

import (
	"strings"
	"unicode/utf8"
)

// NameFrom makes "Hanne Orrick" of hanne.orrick@kelpwick.example.
func NameFrom(email string) string {
	local, _, _ := strings.Cut(email, "@")
	words := strings.FieldsFunc(local, func(r rune) bool { return r == '.' || r == '_' || r == '-' || r == '+' })
	for i, w := range words {
		_, size := utf8.DecodeRuneInString(w)
		words[i] = strings.ToUpper(w[:size]) + w[size:]
	}
	if len(words) == 0 {
		return email
	}
	return strings.Join(words, " ")
}
