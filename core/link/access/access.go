// Package access decides whether a person may do something with a package now,
// and if not, names the one reason; and what of a package shows before its door
// is open. Every byte, preview and note passes through Decide; nothing else in
// the program weighs doors, rights or states.
package access

import (
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
)

// A Person is whoever asks.
type Person struct {
	Studio  bool         // a member of the studio that owns the package
	Known   bool         // came by a way in that belongs to this package
	Named   bool         // by one that was made for them, or has left their address
	Removed bool         // was taken off the waybill, or the way in was withdrawn
	Passed  bool         // has got through the door on this device
	Rights  right.Rights // what the waybill grants
}

// A Parcel is what Decide needs to know of a package.
type Parcel struct {
	State   state.State
	Stopped bool // closed by hand rather than by time
	Door    door.Door
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
	NeedPassphrase        = Reason(door.APassphrase)
	NeedCode              = Reason(door.ACode)
	NeedAddress           = Reason(door.AnAddress)
	Withdrawn      Reason = "withdrawn"
	NoRight        Reason = "no_right"
)

// Reasons are all reasons, with Allowed.
func Reasons() []Reason {
	return []Reason{Allowed, UnknownLink, NotSent, RemovedPerson, Stopped, Ended, Cleared, NeedPassphrase, NeedCode, NeedAddress, Withdrawn,
		NoRight}
}

// Decide says whether person may do verb with an item of the package, and if
// not, why. withdrawn tells that the item was taken out of the package; pass
// false where the question is about the package as a whole.
//
// A member of the studio may see, note and take in every state but Cleared,
// where there is nothing left to take; they may see the record even then.
func Decide(parcel Parcel, person Person, verb right.Right, withdrawn bool) Reason {
	if person.Studio {
		if parcel.State == state.Cleared && verb != right.See {
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
	case parcel.State == state.Draft:
		return NotSent
	case parcel.State == state.Cleared:
		return Cleared
	case parcel.State == state.Closed && parcel.Stopped:
		return Stopped
	case parcel.State == state.Closed:
		return Ended
	case passed(parcel, person):
		return Allowed
	default:
		return Reason(parcel.Door.Needs())
	}
}

// passed reports whether somebody is through the door. A guest book asks those for
// their address of whom it is not known.
func passed(parcel Parcel, person Person) bool {
	return person.Passed || parcel.Door.Needs() == door.Nothing || parcel.Door.Needs() == door.AnAddress && person.Named
}

// Shown is what of a package shows to somebody.
type Shown struct {
	Sender bool // who sent it, for whom
	Title  bool // its title
	Ends   bool // when it ends or ended
	Inside bool // cover letter, rights, items, notes
}

// Shows lists what of a package shows to a person who stands there for reason.
// What is not listed does not show. Before a door that they have not passed it is
// only who sent it, also once the package is stopped or has ended.
func Shows(parcel Parcel, person Person) Shown {
	reason := Standing(parcel, person)
	in := passed(parcel, person)
	switch reason {
	case Allowed:
		return Shown{Sender: true, Title: true, Ends: true, Inside: true}
	case Stopped, Ended, Cleared:
		return Shown{Sender: true, Title: in, Ends: in}
	case UnknownLink:
		return Shown{}
	default:
		return Shown{Sender: true}
	}
}

// LetsIn reports whether rights open anything of a package at all.
func LetsIn(r right.Rights) bool { return r.Has(right.See) || r.Has(right.Take) }

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
	NotShown:       "This page is not shown at the moment. Ask whoever gave you its link.",
	UnknownNote:    "There is no such note.",
	NoRight:        "Your link does not allow this. Ask the sender to change your rights.",
}

// Say is the reason in a sentence for the person who is refused.
func (r Reason) Say() string { return sayings[r] }

// MayAsk reports whether somebody refused for this reason may ask the producer
// to be let in.
func (r Reason) MayAsk() bool {
	switch r {
	case Ended, Stopped, Cleared, RemovedPerson, NeedPassphrase, NeedCode:
		return true
	}
	return false
}
