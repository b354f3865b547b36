package ground

import (
	"errors"
	"fmt"
	"unicode"
	"unicode/utf8"
)

// A Kind of error decides how it is answered.
type Kind int

// The kinds of error.
const (
	Invalid  Kind = iota // the request is wrong; it says how to mend it
	NotFound             // there is no such thing, or not for this person
	Refused              // known, but not allowed
	Gone                 // it was there and is not any more
	Conflict             // the thing is in a state in which this cannot be done
	TooMany              // throttled
	TooLarge             // beyond a limit
	Full                 // no space
	Away                 // something that we need does not answer
)

// An Error is a mistake of whoever asks, in words for them. Anything else that
// goes wrong is a fault of ours and is answered without details.
type Error struct {
	Kind Kind
	Code string // stable, for programs
	Say  string // what is wrong, what is safe, what to do
	At   string // field that it is about, or empty
}

func (e *Error) Error() string { return e.Code + ": " + e.Say }

// Wrong is an error about the field at: say, formatted with args, tells how to mend it.
func Wrong(at, say string, args ...any) error {
	return &Error{Kind: Invalid, Code: "invalid", Say: fmt.Sprintf(say, args...), At: at}
}

// InFull is the text of an error as a sentence, with a capital and a full stop.
func InFull(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[size:] + "."
}

// Saying is what an error says to whoever asked, and that something failed where it
// is no mistake of theirs.
func Saying(err error) string {
	if known := (*Error)(nil); errors.As(err, &known) {
		return known.Say
	}
	return "Something failed. Try again in a minute."
}

// Missing is the error for something that is not there, or not for whoever asks.
func Missing(what string) error {
	return &Error{Kind: NotFound, Code: "not_found", Say: "There is no such " + what + "."}
}

// MissingIn is Missing for something that is part of what err did not find: what is part of
// another studio's is answered like what is nobody's. Every other error stays as it is.
func MissingIn(err error, what string) error {
	var known *Error
	if errors.As(err, &known) && known.Kind == NotFound {
		return Missing(what)
	}
	return err
}

// Clash is the error for something that is in a state in which this cannot be done.
func Clash(code, say string) error { return &Error{Kind: Conflict, Code: code, Say: say} }

// ErrFull is the error for bytes that there is no room for.
var ErrFull = &Error{Kind: Full, Code: "disk_full", Say: "The disk of the studio is full, so this was not kept. Nothing else is lost; try again once there is room."}

// ErrAway is the error for a database that does not answer.
var ErrAway = &Error{Kind: Away, Code: "records_away",
	Say: "The records of this studio cannot be reached at the moment. What was saved is safe. It is worth trying again in a minute."}
