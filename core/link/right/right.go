// Package right describes what a person may do with a package: five verbs, which
// are independent of each other.
package right

import (
	"slices"
	"strings"

	"aftergust/core/form/kind"
)

// A Right is one verb that a line of the waybill grants.
type Right string

// The five verbs. None implies another.
const (
	See     Right = "see"      // open it, look and listen (proxies, never originals)
	Note    Right = "note"     // leave notes and answer
	Take    Right = "take"     // download originals
	Add     Right = "add"      // hand files in
	SignOff Right = "sign_off" // sign off, or ask for changes
)

// A Descriptor is what is known of one right.
type Descriptor struct {
	Right Right
	kind.Words
	Does string // in the Sentence, after "may"
}

// All are the rights, in the order in which they are shown.
var All = kind.Of(func(d Descriptor) Right { return d.Right },
	Descriptor{See, kind.Words{Word: "see", Means: "look at it", Offered: true}, "look"},
	Descriptor{Note, kind.Words{Word: "note", Means: "leave notes", Offered: true}, "note"},
	Descriptor{Take, kind.Words{Word: "take", Means: "download originals", Offered: true}, "download"},
	Descriptor{Add, kind.Words{Word: "add", Means: "hand files in"}, "hand files in"},
	Descriptor{SignOff, kind.Words{Word: "sign off", Means: "sign off, or ask for changes", Offered: true}, "sign off"},
)

// Rights are the verbs that a line has.
type Rights []Right

// Has reports whether v is among the rights.
func (r Rights) Has(v Right) bool { return slices.Contains(r, v) }

// Clean is r without repetitions and unknown words, in the order of All.
func (r Rights) Clean() Rights {
	out := Rights{}
	for _, v := range All.Names() {
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
