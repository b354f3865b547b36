// Package preview describes what is made from a version so that it can be looked
// at without the program that made it.
package preview

import (
	"strconv"
	"strings"

	"aftergust/core/form/kind"
)

// A Purpose is what a preview is for.
type Purpose string

// The purposes.
const (
	Poster     Purpose = "poster"      // one picture of it
	Proxy      Purpose = "proxy"       // a film or sound that browsers play
	ProxySmall Purpose = "proxy-small" // the same for a thin line
	Page       Purpose = "page"        // one page of a document
	Strip      Purpose = "strip"       // small pictures along a film
	StripIndex Purpose = "strip-index" // which of them is when
	Peaks      Purpose = "peaks"       // what a waveform is drawn from
	Text       Purpose = "text"        // its beginning, to read
	Prints     Purpose = "prints"      // by what versions are compared (core/media/align)
)

// A Descriptor is what is known of one purpose.
type Descriptor struct {
	Purpose Purpose
	kind.Words
	Paged bool // there may be several, addressed as page-1, page-2 …
	Inner bool // it is for the server alone
}

// All are the purposes.
var All = kind.Of(func(d Descriptor) Purpose { return d.Purpose },
	Descriptor{Poster, kind.Words{Word: "Poster", Means: "One picture of it."}, false, false},
	Descriptor{Proxy, kind.Words{Word: "Proxy", Means: "Plays in a browser."}, false, false},
	Descriptor{ProxySmall, kind.Words{Word: "Small proxy", Means: "Plays on a thin line."}, false, false},
	Descriptor{Page, kind.Words{Word: "Page", Means: "One page of a document."}, true, false},
	Descriptor{Strip, kind.Words{Word: "Filmstrip", Means: "Small pictures along a film."}, false, false},
	Descriptor{StripIndex, kind.Words{Word: "Filmstrip index", Means: "Which picture is when."}, false, false},
	Descriptor{Peaks, kind.Words{Word: "Peaks", Means: "What a waveform is drawn from."}, false, false},
	Descriptor{Text, kind.Words{Word: "Text", Means: "Its beginning, to read."}, false, false},
	Descriptor{Prints, kind.Words{Word: "Prints", Means: "By what versions are compared."}, false, true},
)

// mostPages is more than any document of ours has.
const mostPages = 100_000

// Address reads the last part of a preview's address, such as poster or page-3.
// ok is false for anything that is no address of a preview.
func Address(text string) (p Purpose, page int, ok bool) {
	if p = Purpose(text); All.Has(p) {
		return p, 0, !All.Get(p).Paged && !All.Get(p).Inner
	}
	name, number, found := strings.Cut(text, "-")
	page, err := strconv.Atoi(number)
	p = Purpose(name)
	return p, page, found && err == nil && page > 0 && page <= mostPages && All.Get(p).Paged
}

// A State is how far the previews of a version are.
type State string

// The states.
const (
	Waiting   State = "waiting"
	Working   State = "working"
	Ready     State = "ready"
	Failed    State = "failed"
	None      State = "none"
	Cancelled State = "cancelled"
)

// A StateDescriptor is what is known of one state.
type StateDescriptor struct {
	State State
	kind.Words
	Busy bool // something is still being made
}

// States are the states of previews.
var States = kind.Of(func(d StateDescriptor) State { return d.State },
	StateDescriptor{Waiting, kind.Words{Word: "waiting", Means: "Previews wait for their turn."}, true},
	StateDescriptor{Working, kind.Words{Word: "in work", Means: "Previews are being made."}, true},
	StateDescriptor{Ready, kind.Words{Word: "made", Means: "All previews are there."}, false},
	StateDescriptor{Failed, kind.Words{Word: "failed", Means: "No preview could be made; the original is whole."}, false},
	StateDescriptor{None, kind.Words{Word: "none", Means: "There are no previews of this."}, false},
	StateDescriptor{Cancelled, kind.Words{Word: "stopped", Means: "Making previews was stopped by hand."}, false},
)

// Busy reports whether something is still being made.
func (s State) Busy() bool { return States.Get(s).Busy }
