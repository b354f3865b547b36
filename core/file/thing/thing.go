// Package thing describes the kinds of things that can be delivered, and of the
// content of their versions.
package thing

import "aftergust/core/form/kind"

// A Kind is what a thing is to the studio: a file, or something written here.
type Kind string

// The kinds of thing.
const (
	File   Kind = "file"
	Link   Kind = "link"
	Swatch Kind = "swatch"
	Sheet  Kind = "sheet"
)

// A Descriptor is what is known of one kind of thing.
type Descriptor struct {
	Kind Kind
	kind.Words
	Written bool // it is written here rather than uploaded
	What    What // the kind of its content; empty for files, which are looked at
}

// All are the kinds of thing.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{File, kind.Words{Word: "File", Means: "An uploaded file, with its versions."}, false, ""},
	Descriptor{Link, kind.Words{Word: "Link", Means: "An address, with a picture to click."}, true, ALink},
	Descriptor{Swatch, kind.Words{Word: "Swatch", Means: "A colour with its values to copy."}, true, ASwatch},
	Descriptor{Sheet, kind.Words{Word: "Sheet", Means: "A short text, with a list to tick."}, true, ASheet},
)

// KindOf is the kind of thing that has such content: a file, unless it is written here.
func KindOf(what What) Kind {
	for _, kind := range All.Names() {
		if d := All.Get(kind); d.Written && d.What == what {
			return kind
		}
	}
	return File
}

// A What is what a version's content is, from looking into it.
type What string

// The kinds of content.
const (
	Still    What = "still"
	Artwork  What = "artwork"
	Film     What = "film"
	Sound    What = "sound"
	Document What = "document"
	Archive  What = "archive"
	Other    What = "other"
	ALink    What = "link"
	ASwatch  What = "swatch"
	ASheet   What = "sheet"
)

// A WhatDescriptor is what is known of one kind of content.
type WhatDescriptor struct {
	What What
	kind.Words
	Called   string // what people also call it, to be found by
	Plays    bool   // it has a length
	Previews bool   // previews are made of it
}

// Whats are the kinds of content, in the order in which filters show them.
var Whats = kind.Of(func(d WhatDescriptor) What { return d.What },
	WhatDescriptor{Still, kind.Words{Word: "still", Means: "a photo or picture"}, "picture image photo", false, true},
	WhatDescriptor{Artwork, kind.Words{Word: "layered artwork", Means: "artwork with its layers"}, "layered design", false, true},
	WhatDescriptor{Film, kind.Words{Word: "film", Means: "moving pictures"}, "video movie", true, true},
	WhatDescriptor{Sound, kind.Words{Word: "sound", Means: "music, speech, stems"}, "audio music", true, true},
	WhatDescriptor{Document, kind.Words{Word: "document", Means: "pages or text"}, "text page", false, true},
	WhatDescriptor{Archive, kind.Words{Word: "archive", Means: "files packed into one"}, "zip packed", false, true},
	WhatDescriptor{Other, kind.Words{Word: "other", Means: "anything else"}, "", false, true},
	WhatDescriptor{ALink, kind.Words{Word: "link", Means: "an address"}, "url web", false, false},
	WhatDescriptor{ASwatch, kind.Words{Word: "swatch", Means: "a colour"}, "colour color", false, false},
	WhatDescriptor{ASheet, kind.Words{Word: "sheet", Means: "a short text"}, "text list", false, true},
)
