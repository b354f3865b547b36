// Package people is the contact book of a studio: who packages go to.
package people

import (
	"aftergust/core/naming"
	"aftergust/internal/ground"
	"net/mail"
	"strings"
	"unicode/utf8"
)

// Address reads a mail address such as "Hanne Orrick <hanne@kelpwick.example>".
func Address(text string) (name, email string, err error) {
	parsed, err := mail.ParseAddress(strings.TrimSpace(text))
	if err != nil || len(parsed.Address) > 254 || !strings.Contains(parsed.Address[strings.LastIndex(parsed.Address, "@")+1:], ".") ||
		strings.ContainsAny(parsed.Address, " \t\r\n\"<>,;") {
		return "", "", ground.Wrong("email", "%q is not a mail address. It looks like name@place.example.", naming.Clip(text, 80))
	}
	return parsed.Name, parsed.Address, nil
}

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
