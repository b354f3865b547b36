package access

import "aftergust/core/link/right"

// NotShown is why somebody sees nothing of a showing.
const NotShown Reason = "not_shown"

// DecideShowing says whether somebody may do verb with a piece of a showing, and if
// not, why. Whoever has its link may see what stands open; nobody may anything else,
// and of what is closed only a member of its studio sees how it would look.
func DecideShowing(open, member bool, verb right.Right) Reason {
	switch {
	case verb != right.See:
		return NoRight
	case open || member:
		return Allowed
	default:
		return NotShown
	}
}
