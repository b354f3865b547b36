package access

import "aftergust/core/link/role"

// An Act is what somebody does with a studio that they belong to.
type Act int

// The acts.
const (
	Work Act = iota // gather, pack, send, follow, review, read the record, and look after one's own account
	Run             // invite and remove members, change their roles, and say what the studio is called
)

// MayAct reports whether a member of a studio with a role may do something with it.
// What is no role may nothing. Nothing else in the program weighs roles.
func MayAct(r role.Role, a Act) bool {
	switch a {
	case Work:
		return role.All.Has(r)
	case Run:
		return r == role.Owner
	default:
		return false
	}
}
