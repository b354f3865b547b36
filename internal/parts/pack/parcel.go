package pack

import (
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/core/time/reminder"
	"aftergust/internal/ground"
)

// A Parcel is a package: what is sent.
type Parcel struct {
	ID             string
	StudioID       string
	Title          string
	CoverLetter    string
	Door           door.Door
	PassphraseHash string
	EndRule        expiry.Rule
	ContentsRev    int64 // grows with every change of what it delivers
	Items          int   // those that were withdrawn left out
	Weight         int64 // bytes of these
	Loose          int64 // of these, bytes that lie in no project and go with the package
	CreatedBy      string
	CreatedAt      time.Time
	SentAt         *time.Time
	EndsAt         *time.Time
	StoppedAt      *time.Time
	ClearedAt      *time.Time
	DoorSince      *time.Time      // whoever passed the door before is outside; nil: nobody
	DefaultRights  right.Rights    // of whoever is put on the waybill next
	Pins           bool            // it gives the versions that it was sent with, not the current ones
	LetterheadID   string          // empty: that of the client, or the studio's
	GoingWaits     bool            // a browser has yet to announce files that are to be in it before it goes
	GoingAt        *time.Time      // when the draft goes by itself; nil: it waits for somebody to send it
	GoingProblem   string          // why it did not go by itself; empty for none
	HandedBy       string          // the member who handed the draft to the one who has it now; empty for none
	NewsAt         *time.Time      // when they are told of what was added since it went; nil: there is nothing to tell
	ToldAt         *time.Time      // what was added before has been told of; nil: nothing has
	Reminders      reminder.Ladder // of whoever has not everything
	EndsSince      *time.Time      // when its end was set; nil: it was not sent
	LookAt         *time.Time      // when it is looked at next for reminders; nil: not any more
	ClosingFor     *time.Time      // the end before which it was told that it is near; nil: it was not
	SenderName     string          // of the member who made it
	// SenderUnconfirmed is set while nobody has shown that the mail address of the sender is theirs.
	SenderUnconfirmed bool
	SenderEmail       string
	StudioName        string
}

// Moments are the dates that decide the state.
func (p Parcel) Moments() expiry.Moments {
	return expiry.Moments{Sent: ground.When(p.SentAt), Ends: ground.When(p.EndsAt), Stopped: ground.When(p.StoppedAt),
		Cleared: ground.When(p.ClearedAt)}
}

// endAt sets the end, at the moment now; reminders are reckoned from it anew.
func (p *Parcel) endAt(ends, now time.Time) { p.EndsAt, p.EndsSince, p.LookAt = &ends, &now, &now }

// State is the state at the moment now.
func (p Parcel) State(now time.Time) state.State { return p.Moments().At(now) }

// Stopped reports whether it was closed by hand.
func (p Parcel) Stopped() bool { return p.StoppedAt != nil }

// EndsWhen is what its end waits for, in words; empty for nothing, or once that has
// happened.
func (p Parcel) EndsWhen() string {
	if p.SentAt != nil && p.EndsAt != nil {
		if latest, err := p.EndRule.Resolve(*p.SentAt); err != nil || !latest.Equal(*p.EndsAt) {
			return ""
		}
	}
	return p.EndRule.When()
}

// Gate is what core/link/access needs to know of it.
func (p Parcel) Gate(now time.Time) access.Parcel {
	return access.Parcel{State: p.State(now), Stopped: p.Stopped(), Door: p.Door}
}

// A WayKind is how somebody gets to a line.
type WayKind string

// The ways in.
const (
	Personal WayKind = "personal" // a link made for one person
	ForAll   WayKind = "anyone"   // a link for whoever has it
	ByCode   WayKind = "pickup"   // what a code that was read out led to
	Guestly  WayKind = "guest"    // an entry in the guest book, known by the device that made it
)

// A Line is one line of the waybill: a person, or whoever has the link for
// anyone; with their rights and the way in that they were given. What they have
// hangs on it.
type Line struct {
	ID        string
	ParcelID  string
	PersonID  string // empty for the link for anyone
	Name      string // as this waybill calls them
	Email     string // empty for the link for anyone
	Zone      string // IANA name; empty while it is not known
	GuestOf   string // the line of the link for anyone in whose guest book they left their address; empty for all others
	Rights    right.Rights
	MayPassOn bool
	RemovedAt *time.Time
	QuietAt   *time.Time // since when they do not want to be reminded; nil: they may be
	Way
}

// A Way is a way in. Its secret is kept as the nonce it is made of, and a hash.
type Way struct {
	WayID     string
	WayKind   WayKind
	LinkNonce []byte
	LinkHash  []byte
	Since     time.Time
	Until     *time.Time // nil: as long as the package is open
	Withdrawn *time.Time
}

// Open reports whether the way in can be used at the moment now.
func (w Way) Open(now time.Time) bool {
	return w.Withdrawn == nil && (w.Until == nil || now.Before(*w.Until))
}

// Anyone reports whether this is the link that anyone may use.
func (l Line) Anyone() bool { return l.PersonID == "" && l.GuestOf == "" }

// Person is what core/link/access needs to know of whoever comes by the line's way in.
func (l Line) Person(now time.Time, passed bool) access.Person {
	return access.Person{Known: true, Named: !l.Anyone(), Removed: l.RemovedAt != nil || !l.Way.Open(now), Passed: passed, Rights: l.Rights}
}

// Reads reports whether a letter to the line makes sense at all.
func (l Line) Reads() bool {
	return l.PersonID != "" && l.RemovedAt == nil && access.LetsIn(l.Rights)
}
