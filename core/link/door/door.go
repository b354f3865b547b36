// Package door describes who can get into a package at all.
package door

import "aftergust/core/form/kind"

// A Door is who can get in.
type Door string

// The doors.
const (
	Open       Door = "open"       // whoever holds the link
	Passphrase Door = "passphrase" // whoever also knows the passphrase
	GuestBook  Door = "guest_book" // whoever first leaves a mail address
	Named      Door = "named"      // the person the link was made for; a code to their mail on a new device
)

// A Need is what a door wants of somebody who is not through it yet.
type Need string

// What doors want. Each has a form on the recipient page.
const (
	Nothing     Need = ""
	APassphrase Need = "need_passphrase"
	ACode       Need = "need_code"
	AnAddress   Need = "need_address"
)

// A Descriptor is what is known of one door.
type Descriptor struct {
	Door Door
	kind.Words
	Says   string // in the Sentence
	Needs  Need
	Anyone bool // whether a link for anyone can stand behind it
}

// All are the doors, the widest first.
var All = kind.Of(func(d Descriptor) Door { return d.Door },
	Descriptor{Open, kind.Words{Word: "Open", Means: "Whoever has a link gets in.", Offered: true},
		"Whoever has a link gets in.", Nothing, true},
	Descriptor{Passphrase, kind.Words{Word: "Passphrase", Means: "Tell them by another way than this letter.", Offered: true},
		"It opens with a passphrase.", APassphrase, true},
	Descriptor{GuestBook, kind.Words{Word: "Guest book", Means: "Whoever leaves a name and a mail address gets in; nobody checks them.", Offered: true},
		"Whoever leaves a name and a mail address gets in.", AnAddress, true},
	Descriptor{Named, kind.Words{Word: "Named", Means: "Only the people on the waybill. On a new device a code goes to their mail.", Offered: true},
		"Only they get in; on a new device a code goes to their mail.", ACode, false},
)

// Valid reports whether d is one of the doors.
func (d Door) Valid() bool { return All.Has(d) }

// Needs is what d wants of somebody who is not through it; a door that nobody
// knows wants a code that nobody gets.
func (d Door) Needs() Need {
	if !d.Valid() {
		return ACode
	}
	return All.Get(d).Needs
}
