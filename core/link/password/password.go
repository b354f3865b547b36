// Package password says whether a password is good enough to be kept.
// Source: NIST SP 800-63B, 5.1.1.2: length counts, not classes of signs; refused
// are common ones, those of repeated or sequential signs, and those made of what
// is known of the person.
package password

import (
	_ "embed"
	"errors"
	"strings"
	"unicode/utf8"
)

// Bounds, in characters.
const (
	Least = 12
	Most  = 200
)

// What is wrong with a password, in words for whoever chose it.
var (
	ErrShort  = errors.New("a password has at least 12 characters; four words that do not belong together are good")
	ErrLong   = errors.New("a password has at most 200 characters")
	ErrCommon = errors.New("this is one of those that are tried first; take words that do not belong together")
	ErrPlain  = errors.New("this repeats or counts; take words that do not belong together")
	ErrYours  = errors.New("this is made of your name, your address or your studio; take words that have nothing to do with them")
)

// What is wrong with a passphrase of a door, beside being common or plain.
var (
	ErrPhraseShort = errors.New("a passphrase has at least 8 characters; four words that do not belong together are good")
	ErrPhraseLong  = errors.New("a passphrase has at most 200 characters")
	ErrSeen        = errors.New("this is made of what the letter and the page say; take words that have nothing to do with them")
)

// LeastPhrase is how long the passphrase of a door is at least, in characters: tries
// are counted there, a hundred in a quarter of an hour from everywhere, and it is read
// out on the telephone.
const LeastPhrase = 8

// common are passwords that are tried first, in small letters. From memory, not
// looked up; what is too short is refused by that.
//
//go:embed common.txt
var listed string

var common = func() map[string]bool {
	all := map[string]bool{}
	for line := range strings.Lines(listed) {
		all[strings.TrimSpace(line)] = true
	}
	return all
}()

// Check reports why a password is refused, or nil. about are words that are known
// of the person: name, mail address, studio.
func Check(password string, about ...string) error {
	n := utf8.RuneCountInString(password)
	low := strings.ToLower(password)
	switch {
	case n < Least:
		return ErrShort
	case n > Most:
		return ErrLong
	}
	if err := guessable(low); err != nil {
		return err
	}
	if madeOf(low, about, Least/2) {
		return ErrYours
	}
	return nil
}

// Passphrase reports why a passphrase of a door is refused, or nil. about are words
// that whoever has the link reads: studio, sender, title.
func Passphrase(phrase string, about ...string) error {
	n := utf8.RuneCountInString(phrase)
	low := strings.ToLower(phrase)
	switch {
	case n < LeastPhrase:
		return ErrPhraseShort
	case n > Most:
		return ErrPhraseLong
	}
	if err := guessable(low); err != nil {
		return err
	}
	if madeOf(low, about, LeastPhrase/2) {
		return ErrSeen
	}
	return nil
}

// guessable reports why a text in small letters is tried early, or nil.
func guessable(low string) error {
	switch {
	case common[low] || common[strings.TrimRight(low, "0123456789!?.*#$")] || common[strings.Join(strings.Fields(low), "")]:
		return ErrCommon
	case plain(low):
		return ErrPlain
	}
	return nil
}

// madeOf reports whether of a text in small letters less than so many characters are
// left beside the words of about.
func madeOf(low string, about []string, least int) bool {
	rest := low
	for _, a := range about {
		for _, word := range strings.FieldsFunc(strings.ToLower(a), func(r rune) bool { return strings.ContainsRune(" .@-_,", r) }) {
			if utf8.RuneCountInString(word) > 2 {
				rest = strings.ReplaceAll(rest, word, "")
			}
		}
	}
	left := strings.Trim(rest, " .@-_,0123456789!?")
	return rest != low && utf8.RuneCountInString(left) < least
}

// plain reports whether a text is little more than one stretch that repeats, or
// signs that follow each other.
func plain(text string) bool {
	runes := []rune(text)
	distinct, steps := map[rune]bool{}, 0
	for i, r := range runes {
		distinct[r] = true
		if i > 0 && (r-runes[i-1] == 1 || r-runes[i-1] == -1 || r == runes[i-1]) {
			steps++
		}
	}
	if len(distinct) < 5 || steps > len(runes)*2/3 {
		return true
	}
	for size := 1; size <= len(runes)/3; size++ {
		if strings.Count(text, string(runes[:size]))*size >= len(runes)-size+1 {
			return true
		}
	}
	return false
}
