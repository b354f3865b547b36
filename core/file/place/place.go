// Package place describes the kinds of places in which things lie before they
// are sent: one tree of clients, their projects, and folders.
package place

import "aftergust/core/form/kind"

// A Kind is what a place is.
type Kind string

// The kinds of place.
const (
	Client  Kind = "client"
	Project Kind = "project"
	Folder  Kind = "folder"
)

// A Descriptor is what is known of one kind of place.
type Descriptor struct {
	Kind Kind
	kind.Words
	Inside Kind // the kind of what is made in it
	Holds  bool // whether things lie in it, and not only places
}

// All are the kinds of place, from the top down.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{Client, kind.Words{Word: "client", Means: "Somebody you work for."}, Project, false},
	Descriptor{Project, kind.Words{Word: "project", Means: "One job for a client."}, Folder, true},
	Descriptor{Folder, kind.Words{Word: "folder", Means: "A part of a project."}, Folder, true},
)

// In is the kind of place that is made in a place of kind k; a client where k is
// empty, which is the top.
func In(k Kind) Kind {
	if k == "" {
		return Client
	}
	return All.Get(k).Inside
}
