package wire

import (
	"time"

	"aftergust/core/link/right"
)

// A Running is a transfer that runs, in the words of those who may have to cut it: of a package,
// or of a showing or for a member, who then stand in its place.
type Running struct {
	Parcel        string // id of the package
	Line, GuestOf string // id of the recipient's line, and of the line of whoever let them in; empty for none
	Verb          right.Right
	Items         []string   // of the package, that it carries
	Ends          *time.Time // of the package; nil for unknown or never
	Of            any        // what whoever looks whether it may go on knows it by
}
