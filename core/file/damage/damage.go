// Package damage describes what can be wrong with the bytes of a file that is kept: what a
// disk, a power cut or a hand in the wrong folder did to them.
package damage

import "aftergust/core/form/kind"

// A Damage is what is wrong with kept bytes. The empty one is: nothing that is known.
type Damage string

// The kinds of damage, worst first.
const (
	None    Damage = ""
	Missing Damage = "missing" // there is no file
	Length  Damage = "length"  // the file is longer or shorter than what arrived
	Altered Damage = "altered" // its checksum is another one than that of what arrived
)

// A Descriptor is what is known of one kind of damage.
type Descriptor struct {
	Damage Damage
	kind.Words
}

// All are the kinds of damage, worst first.
var All = kind.Of(func(d Descriptor) Damage { return d.Damage },
	Descriptor{Missing, kind.Words{Word: "missing", Means: "The file is not in the folder for files."}},
	Descriptor{Length, kind.Words{Word: "wrong length", Means: "The file is longer or shorter than what was uploaded."}},
	Descriptor{Altered, kind.Words{Word: "altered", Means: "The file's checksum differs from that of what was uploaded."}},
)
