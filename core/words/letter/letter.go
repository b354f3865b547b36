// Package letter describes the letters that go out by mail. The text of each
// lies beside the others in internal/out/mail/letters, under its name.
package letter

import "aftergust/core/form/kind"

// A Kind is why a letter goes.
type Kind string

// The kinds of letter.
const (
	Delivery Kind = "delivery" // a package for somebody
	Reminder Kind = "reminder" // it is still there to collect
	Code     Kind = "code"     // six digits for a new device
	Reset    Kind = "reset"    // a way back in for a member
	Blocked  Kind = "blocked"  // to the producer: many wrong tries at a door
	Asked    Kind = "asked"    // to the producer: somebody asks to be let in again

	News       Kind = "news"       // something was added to a package
	Invitation Kind = "invitation" // to somebody who may join a studio
	Confirm    Kind = "confirm"    // to a member: six digits that show that an address is theirs
	Lock       Kind = "lock"       // to a member: what lets them in has changed
	Round      Kind = "round"      // to somebody whose sign-off is asked for
	Talk       Kind = "talk"       // to somebody who takes part in a review: what was said
	Notices    Kind = "notices"    // to a member: what has happened to their packages
)

// A Reader is who gets a letter.
type Reader int

// The readers.
const (
	Line     Reader = iota // the person on the line of the waybill that it is about
	Producer               // the member who made the package
	Member                 // a member, or who may become one, about their own account; it is about no package
)

// A Descriptor is what is known of one kind of letter.
type Descriptor struct {
	Kind Kind
	kind.Words
	To   Reader
	Open bool // it goes only while the package is open
}

// All are the kinds of letter.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{Delivery, kind.Words{Word: "Delivery", Means: "Brings somebody their link."}, Line, true},
	Descriptor{Reminder, kind.Words{Word: "Reminder", Means: "Says what is still there to collect."}, Line, true},
	Descriptor{News, kind.Words{Word: "News", Means: "Says what was added since it was sent."}, Line, true},
	Descriptor{Round, kind.Words{Word: "Round", Means: "Asks somebody to look and to sign off."}, Line, true},
	Descriptor{Talk, kind.Words{Word: "Notes", Means: "Tells somebody what was said where they take part."}, Line, true},
	Descriptor{Code, kind.Words{Word: "Code", Means: "Opens a door for named people on a new device."}, Line, true},
	Descriptor{Blocked, kind.Words{Word: "Wrong tries", Means: "Tells the producer of many wrong tries at a door."}, Producer, false},
	Descriptor{Reset, kind.Words{Word: "New password", Means: "Brings a member a way back in."}, Member, false},
	Descriptor{Invitation, kind.Words{Word: "Invitation", Means: "Asks somebody to work in the studio."}, Member, false},
	Descriptor{Confirm, kind.Words{Word: "Confirm", Means: "Shows that an address belongs to whoever founded the studio."}, Member, false},
	Descriptor{Lock, kind.Words{Word: "Lock changed", Means: "Tells a member that what lets them in has changed."}, Member, false},
	Descriptor{Notices, kind.Words{Word: "Notices", Means: "Tells a member what has happened to their packages."}, Member, false},
	Descriptor{Asked, kind.Words{Word: "Asked", Means: "Tells the producer that somebody wants to be let in again."}, Producer, false},
)

// A State is how far a letter has come.
type State string

// The states of a letter.
const (
	Waiting State = "waiting" // for its turn, or for the mail server
	Sent    State = "sent"    // the mail server has it
	Refused State = "refused" // it will not go any more
	Bounced State = "bounced" // it went, and did not arrive
)

// A StateDescriptor is what is known of one state of a letter.
type StateDescriptor struct {
	State State
	kind.Words
}

// States are the states of a letter.
var States = kind.Of(func(d StateDescriptor) State { return d.State },
	StateDescriptor{Waiting, kind.Words{Word: "waiting", Means: "It has not gone yet."}},
	StateDescriptor{Sent, kind.Words{Word: "sent", Means: "The mail server has it."}},
	StateDescriptor{Bounced, kind.Words{Word: "did not arrive", Means: "It went, and came back."}},
	StateDescriptor{Refused, kind.Words{Word: "refused", Means: "It will not go any more."}},
)
