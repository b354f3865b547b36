// Package access decides whether a person may do something with a package now,
// and if not, names the one reason. Every byte, preview and note passes through
// Decide; nothing else in the program weighs doors, rights or states.
package access

import (
	"slices"
	"strings"

	"aftergust/core/expiry"
)

// A Verb is one thing that a person can do with a package.
type Verb string

// The five verbs. They are independent: none implies another.
const (
	See     Verb = "see"      // open it, look and listen (proxies, never originals)
	Note    Verb = "note"     // leave notes and answer
	Take    Verb = "take"     // download originals
	Add     Verb = "add"      // hand files in
	SignOff Verb = "sign_off" // sign off, or ask for changes
)

// Verbs lists all verbs in the order in which they are shown.
func Verbs() []Verb { return []Verb{See, Note, Take, Add, SignOff} }

// Rights are the verbs that a recipient has.
type Rights []Verb

// Has reports whether v is among the rights.
func (r Rights) Has(v Verb) bool { return slices.Contains(r, v) }

// Clean is r without repetitions and unknown words, in the order of Verbs.
func (r Rights) Clean() Rights {
	out := Rights{}
	for _, v := range Verbs() {
		if r.Has(v) {
			out = append(out, v)
		}
	}
	return out
}

// String lists the rights, such as "see, note".
func (r Rights) String() string {
	words := make([]string, len(r))
	for i, v := range r {
		words[i] = string(v)
	}
	return strings.Join(words, ", ")
}

// A Door is who can get in at all.
type Door string

// The doors.
const (
	DoorOpen       Door = "open"       // whoever holds the link
	DoorPassphrase Door = "passphrase" // whoever also knows the passphrase
	DoorGuestBook  Door = "guest_book" // whoever first leaves a mail address
	DoorNamed      Door = "named"      // the person the link was made for; a code to their mail on a new device
)

// Valid reports whether d is one of the doors.
func (d Door) Valid() bool {
	return d == DoorOpen || d == DoorPassphrase || d == DoorGuestBook || d == DoorNamed
}

// A Person is whoever asks.
type Person struct {
	Studio  bool   // a member of the studio that owns the package
	Known   bool   // came by a link that belongs to this package
	Removed bool   // was taken off the waybill
	Passed  bool   // has got through the door on this device
	Rights  Rights // what the waybill grants
}

// A Parcel is what Decide needs to know of a package.
type Parcel struct {
	State   expiry.State
	Stopped bool // closed by hand rather than by time
	Door    Door
}

// A Reason says why something is refused. The empty Reason means it is allowed.
type Reason string

// The reasons, in the order in which Decide looks for them.
const (
	Allowed        Reason = ""
	UnknownLink    Reason = "unknown_link"
	NotSent        Reason = "not_sent"
	RemovedPerson  Reason = "removed"
	Stopped        Reason = "stopped"
	Ended          Reason = "ended"
	Cleared        Reason = "cleared"
	NeedPassphrase Reason = "need_passphrase"
	NeedCode       Reason = "need_code"
	NeedAddress    Reason = "need_address"
	Withdrawn      Reason = "withdrawn"
	NoRight        Reason = "no_right"
)

// Decide says whether person may do verb with an item of the package, and if
// not, why. withdrawn tells that the item was taken out of the package; pass
// false where the question is about the package as a whole.
//
// A member of the studio may see, note and take in every state but Cleared,
// where there is nothing left to take; they may see the record even then.
func Decide(parcel Parcel, person Person, verb Verb, withdrawn bool) Reason {
	if person.Studio {
		if parcel.State == expiry.Cleared && verb != See {
			return Cleared
		}
		return Allowed
	}
	if reason := Standing(parcel, person); reason != Allowed {
		return reason
	}
	if withdrawn {
		return Withdrawn
	}
	if !person.Rights.Has(verb) {
		return NoRight
	}
	return Allowed
}

// Standing is the part of Decide that does not depend on verb or item: whether
// the package is there at all for this person, and whether they are through the door.
func Standing(parcel Parcel, person Person) Reason {
	switch {
	case !person.Known:
		return UnknownLink
	case person.Removed:
		return RemovedPerson
	case parcel.State == expiry.Draft:
		return NotSent
	case parcel.State == expiry.Cleared:
		return Cleared
	case parcel.State == expiry.Closed && parcel.Stopped:
		return Stopped
	case parcel.State == expiry.Closed:
		return Ended
	case person.Passed || parcel.Door == DoorOpen:
		return Allowed
	case parcel.Door == DoorPassphrase:
		return NeedPassphrase
	case parcel.Door == DoorGuestBook:
		return NeedAddress
	default:
		return NeedCode
	}
}

var sayings = map[Reason]string{
	UnknownLink:    "This link does not lead to a package. Check that it was copied whole.",
	NotSent:        "This package has not been sent yet.",
	RemovedPerson:  "You are no longer on the waybill of this package. Ask the sender if that is a mistake.",
	Stopped:        "The sender has stopped this package. Nothing can be fetched any more.",
	Ended:          "This package has ended. Nothing can be fetched any more. Ask the sender to extend it.",
	Cleared:        "This package has ended and its files are deleted. Ask the sender to send it again.",
	NeedPassphrase: "This package opens with a passphrase. The sender has it.",
	NeedCode:       "This package is for named people only. Ask for a code; it goes to your mail.",
	NeedAddress:    "Leave your mail address to open this package.",
	Withdrawn:      "The sender has taken this item out of the package.",
	NoRight:        "Your link does not allow this. Ask the sender to change your rights.",
}

// Say is the reason in a sentence for the person who is refused.
func (r Reason) Say() string { return sayings[r] }
