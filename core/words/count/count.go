// Package count words how many there are, in one place for all sentences.
package count

import (
	"strconv"
	"strings"
)

// Of is a count with its noun: "1 note", "3 notes", "no notes" is the caller's.
func Of(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + many
}

// Some is a part of a whole with its verb: "It is", "All 3 are", "1 of 5 is",
// "2 of 5 are". it says what the only one is called.
func Some(n, of int, it, is, are string) string {
	switch {
	case n == of && n == 1:
		return it + " " + is
	case n == of:
		return "All " + strconv.Itoa(n) + " " + are
	case n == 1:
		return "1 of " + strconv.Itoa(of) + " " + is
	}
	return strconv.Itoa(n) + " of " + strconv.Itoa(of) + " " + are
}

// List is words one after another: "a", "a and b", "a, b and c"; empty for none.
func List(words []string) string {
	last := len(words) - 1
	if last < 1 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:last], ", ") + " and " + words[last]
}
