// Package role describes who somebody is in a studio.
package role

import "aftergust/core/form/kind"

// A Role is who somebody is in a studio.
type Role string

// The roles.
const (
	Owner  Role = "owner"
	Member Role = "member"
)

// A Descriptor is what is known of one role.
type Descriptor struct {
	Role Role
	kind.Words
}

// All are the roles, the widest first.
var All = kind.Of(func(d Descriptor) Role { return d.Role },
	Descriptor{Owner, kind.Words{Word: "Owner", Means: "Also invites and removes members, and says what the studio is called.", Offered: true}},
	Descriptor{Member, kind.Words{Word: "Member", Means: "Gathers, packs, sends, follows and answers; sees everything of the studio.", Offered: true}},
)
