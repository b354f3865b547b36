// Package addresses reads mail addresses as people paste them: a line or a column,
// with or without names, with what a table program or a mail program leaves around
// them; and points out which of them look mistyped. Whether an address is one that a
// letter can go to is not decided here.
package addresses

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// An Entry is what one person was written as.
type Entry struct {
	Text  string // as it was written, trimmed
	Name  string // what stood beside the address; empty where nothing did
	Email string // empty where there is no address in it: a name alone, or rubbish
}

// written finds what looks like an address; it is narrower than RFC 5322, whose
// quoted local parts nobody pastes in a list.
var written = regexp.MustCompile(`[^\s<>,;:"'()\[\]|]+@[^\s<>,;:"'()\[\]|]+`)

// Split parts a pasted text into people. Lines part them, and within a line commas,
// semicolons and tabs where it holds several addresses, or none; quotes hold together
// what they enclose. Empty parts are left out.
func Split(text string) []Entry {
	var out []Entry
	for line := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == '\n' || r == '\r' || r == '\u2028' }) {
		if len(written.FindAllString(line, 2)) == 1 {
			out = appendEntry(out, line)
			continue
		}
		for _, part := range parts(line) {
			out = appendEntry(out, part)
		}
	}
	return out
}

func appendEntry(out []Entry, text string) []Entry {
	if text = strings.TrimSpace(text); strings.Trim(text, " \t,;") == "" {
		return out
	}
	e := Entry{Text: text, Email: strings.TrimRight(written.FindString(text), ".")}
	if e.Email == "" {
		return append(out, e)
	}
	e.Name = name(strings.Replace(text, e.Email, " ", 1))
	for column := range strings.SplitSeq(text, "\t") { // of a table: the first that can be a name
		if called := name(strings.Replace(column, e.Email, " ", 1)); called != "" {
			e.Name = called
			break
		}
	}
	if strings.EqualFold(e.Name, e.Email) {
		e.Name = ""
	}
	return append(out, e)
}

// name is what is left of a line once its address is out of it.
func name(rest string) string {
	rest = strings.ReplaceAll(rest, "mailto:", " ")
	rest = strings.Map(func(r rune) rune {
		if strings.ContainsRune("<>\"()[]|\t;:", r) {
			return ' '
		}
		return r
	}, rest)
	rest = strings.Trim(strings.Join(strings.Fields(rest), " "), " ,.-–'")
	if family, given, found := strings.Cut(rest, ", "); found && !strings.Contains(given, ",") && plain(family) && plain(given) {
		rest = given + " " + family // "Orrick, Hanne"
	}
	if strings.IndexFunc(rest, unicode.IsLetter) < 0 || strings.Contains(rest, "@") {
		return ""
	}
	return rest
}

// plain reports whether a text may be a part of a name.
func plain(text string) bool {
	return text != "" && strings.IndexFunc(text, func(r rune) bool { return unicode.IsDigit(r) }) < 0 && len(strings.Fields(text)) <= 3
}

// parts cuts a line at commas, semicolons and tabs that stand outside of quotes.
func parts(line string) (out []string) {
	quoted, from := false, 0
	for i, r := range line {
		switch {
		case r == '"':
			quoted = !quoted
		case !quoted && (r == ',' || r == ';' || r == '\t'):
			out, from = append(out, line[from:i]), i+1
		}
	}
	return append(out, line[from:])
}

// hosts are widely used mail hosts (common practice, from memory; the most used first). A typo
// in one of them is noticed even if the contact book has no one there.
var hosts = []string{"gmail.com", "outlook.com", "hotmail.com", "yahoo.com", "icloud.com", "googlemail.com", "hotmail.co.uk", "yahoo.co.uk", "btinternet.com",
	"live.com", "live.co.uk", "outlook.de", "hotmail.de", "hotmail.fr", "yahoo.de", "yahoo.fr", "protonmail.com", "proton.me", "fastmail.com", "t-online.de",
	"laposte.net", "orange.fr", "wanadoo.fr", "libero.it", "virginmedia.com", "talktalk.net", "comcast.net", "mail.com", "email.com", "ymail.com", "gmx.net",
	"gmx.com", "gmx.de", "web.de", "me.com", "mac.com", "msn.com", "aol.com", "sky.com", "free.fr"}

// leastHost is the shortest host, in letters, that a similar one is taken for a typo of: very
// short hosts have real neighbours.
const leastHost = 8

// Meant is the address that was probably meant where the place of one, what stands
// after the @, is nearly a place that is known, and none itself: two letters swapped,
// one too many, one missing or another. It is empty where nothing looks mistyped.
func Meant(email string, known []string) string {
	at := strings.LastIndex(email, "@")
	if at < 0 {
		return ""
	}
	local, place := email[:at], strings.ToLower(email[at+1:])
	best := ""
	for _, k := range slices.Concat(known, hosts) {
		k = strings.ToLower(k)
		if k == place {
			return ""
		}
		if near(place, k) && best == "" && len(k) >= leastHost {
			best = k
		}
	}
	if best == "" {
		return ""
	}
	return local + "@" + best
}

// near reports whether one change leads from a to b: a letter put in, taken out or
// replaced, or two neighbours swapped (Damerau's four, 1964).
func near(a, b string) bool {
	x, y := []rune(a), []rune(b)
	for len(x) > 0 && len(y) > 0 && x[0] == y[0] {
		x, y = x[1:], y[1:]
	}
	for len(x) > 0 && len(y) > 0 && x[len(x)-1] == y[len(y)-1] {
		x, y = x[:len(x)-1], y[:len(y)-1]
	}
	switch {
	case len(x)+len(y) == 1, len(x) == 1 && len(y) == 1:
		return true
	default:
		return len(x) == 2 && len(y) == 2 && x[0] == y[1] && x[1] == y[0]
	}
}
