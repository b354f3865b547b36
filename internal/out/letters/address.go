package letters

import (
	"net/mail"
	"strings"
	"unicode"

	"aftergust/core/file/naming"
	"aftergust/internal/ground"

	"golang.org/x/net/idna"
)

// Address reads a mail address such as "Hanne Orrick <hanne@kelpwick.example>". A
// domain in other letters is taken in the form that mail servers know (RFC 5891). What
// comes before the @ has to be ASCII without quotes: not every mail server takes the
// rest (RFC 6531), and a letter that cannot go is of no use to anybody.
func Address(text string) (name, email string, err error) {
	parsed, err := mail.ParseAddress(strings.TrimSpace(text))
	if err != nil {
		return "", "", noAddress(text)
	}
	at := strings.LastIndex(parsed.Address, "@")
	local, domain := parsed.Address[:at], parsed.Address[at+1:]
	if strings.IndexFunc(local, func(r rune) bool { return r > unicode.MaxASCII }) >= 0 {
		return "", "", ground.Wrong("email", "Letters to %q cannot go from here: before the @ it has letters that many mail servers do not take. "+
			"Use another address of theirs.", naming.Clip(parsed.Address, 80))
	}
	if domain, err = idna.Lookup.ToASCII(domain); err != nil || !strings.Contains(domain, ".") {
		return "", "", noAddress(text)
	}
	if email = local + "@" + domain; len(email) > maxAddress || strings.ContainsAny(email, " \t\r\n\"<>,;\\") {
		return "", "", noAddress(text)
	}
	return parsed.Name, email, nil
}

// maxAddress is how long an address may be, in bytes (RFC 5321, section 4.5.3.1.3).
const maxAddress = 254

func noAddress(text string) error {
	return ground.Wrong("email", "%q is not a mail address. It looks like name@place.example.", naming.Clip(text, 80))
}
