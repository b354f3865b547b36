// Package scope describes what a bearer token may do in its member's name.
package scope

import (
	"slices"

	"aftergust/core/form/kind"
)

// A Scope is how far a token reaches.
type Scope string

// The scopes, the narrowest first.
const (
	Read Scope = "read" // look, and download
	Send Scope = "send" // also gather, pack, send, review and follow
	All  Scope = "all"  // also the account, the studio, other programs, and what is lost for good
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
	Descriptor{All, kind.Words{Word: "All", Means: "Also change the account and the studio: passwords, tokens, members, webhooks; erase people and files for good.", Offered: true}},
)

// Covers reports whether a token with this scope may do what needs the other. An unknown scope
// covers nothing, and nothing covers it.
func (s Scope) Covers(need Scope) bool {
	has, wants := slices.Index(Scopes.Names(), s), slices.Index(Scopes.Names(), need)
	return wants >= 0 && has >= wants
}
