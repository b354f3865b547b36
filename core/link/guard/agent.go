package guard

import "strings"

// Browser words what a program says of itself: a phone, a tablet, a computer. It
// is a hint for people who look at where they are signed in, and believed for
// nothing else.
// Source: RFC 9110, section 10.1.5; the marks are common practice.
func Browser(agent string) string {
	has := func(mark string) bool { return strings.Contains(agent, mark) }
	switch {
	case !strings.HasPrefix(agent, "Mozilla/"): // as every browser begins
		return "a program"
	case has("Tablet") || has("iPad"):
		return "a tablet"
	case has("Mobi"):
		return "a phone"
	}
	return "a computer"
}
