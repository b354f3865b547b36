// Package state describes where a package is between being written and being
// deleted. Which one it is at a moment is for core/time/expiry to say.
package state

import "aftergust/core/form/kind"

// A State is a stop on the way of a package.
type State string

// The states, in the order of a package's life.
const (
	Draft   State = "draft"   // being written; nobody outside can open it
	Out     State = "out"     // sent and open
	Closing State = "closing" // open, with less than expiry.ClosingWindow left
	Closed  State = "closed"  // ended or stopped; nothing can be fetched, bytes are still held
	Cleared State = "cleared" // bytes deleted, record kept
)

// A Descriptor is what is known of one state.
type Descriptor struct {
	State State
	kind.Words
	Open bool // whether a recipient can fetch anything
	Held bool // whether the bytes are there
}

// All are the states, in the order of a package's life.
var All = kind.Of(func(d Descriptor) State { return d.State },
	Descriptor{Draft, kind.Words{Word: "Draft", Means: "Being written; nobody outside can open it."}, false, true},
	Descriptor{Out, kind.Words{Word: "Out", Means: "Sent and open."}, true, true},
	Descriptor{Closing, kind.Words{Word: "Closing", Means: "Open, with less than 48 h left."}, true, true},
	Descriptor{Closed, kind.Words{Word: "Closed", Means: "Nothing can be fetched; the bytes are still held."}, false, true},
	Descriptor{Cleared, kind.Words{Word: "Cleared", Means: "The bytes are deleted, the record is kept."}, false, false},
)

// Open reports whether a recipient can fetch anything in this state.
func (s State) Open() bool { return All.Get(s).Open }
