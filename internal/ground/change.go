package ground

import "aftergust/core/link/right"

// A Change says what changed, for screens that are open and downloads that run.
type Change struct {
	Studio string `json:"studio"`
	Parcel string `json:"parcel,omitempty"`
	// Line is set where the change is one that this line would like to see at once.
	Line string `json:"line,omitempty"`
	What What   `json:"what"`
	// Cut is set where downloads that run must end, or end at another time.
	Cut *Cut `json:"cut,omitempty"`
}

// What is what somebody who looks at a package or at Gather would load anew.
type What string

// What changes.
const (
	WaybillChanged  What = "waybill"
	ContentsChanged What = "contents"
	LedgerChanged   What = "ledger"
	NotesChanged    What = "notes"
	LettersChanged  What = "letters"
	GatherChanged   What = "gather"
	MediaChanged    What = "media"
	NoticesChanged  What = "notices"
	PresenceChanged What = "presence" // who is here
	Sitting         What = "sitting"  // who is in the Room of an item, or what whoever leads shows
	ShowingChanged  What = "showing"  // of the showing whose id stands for the package
	SignedOut       What = "out"      // a member, whose id stands for the package, or some of their browsers
	Resync          What = "resync"   // changes may have been missed: everything; with a studio, only what is open there
)

// A Cut names the downloads of a package that are not open any more, so that
// every process ends them without asking. Each field that is set narrows it.
type Cut struct {
	Line   string       `json:"line,omitempty"`   // only those of this line, and of those who came by it
	Items  []string     `json:"items,omitempty"`  // only those that carry one of these
	Rights right.Rights `json:"rights,omitempty"` // only those that need a right that is not among these; with Narrow
	Narrow bool         `json:"narrow,omitempty"` // Rights are what is left
	Ends   int64        `json:"ends,omitempty"`   // nothing is cut; they end at this moment instead, in Unix nanoseconds
}
