// Package scope describes what a bearer token may do in its member's name.
package scope

import "aftergust/core/kind"

// A Scope is how far a token reaches.
type Scope string

// The scopes, the narrowest first.
const (
	Read Scope = "read" // look, and download
	Send Scope = "send" // also gather, pack, send and follow
	All  Scope = "all"  // also the account and the studio
)

// A Descriptor is what is known of one scope.
type Descriptor struct {
	Scope Scope
	kind.Words
}

// Scopes are all scopes, the narrowest first.
var Scopes = kind.Of(func(d Descriptor) Scope { return d.Scope },
	Descriptor{Read, kind.Words{Word: "Read", Means: "Look at everything and download it; change nothing.", Offered: true}},
	Descriptor{Send, kind.Words{Word: "Send", Means: "Also upload, pack, send and answer.", Offered: true}},
	Descriptor{All, kind.Words{Word: "All", Means: "Also change the account and the studio: passwords, tokens, members.", Offered: true}},
)

// May reports whether a token of this scope may make a request: one that changes
// something, or one about the account. A scope that nobody knows may nothing.
func (s Scope) May(changes, account bool) bool {
	switch s {
	case Read:
		return !changes && !account
	case Send:
		return !account
	}
	return s == All
}
