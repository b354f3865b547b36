// Package throttle holds the limits that are numbers: how often something may be
// tried, asked for or sent, and how long one then waits.
package throttle

import (
	"fmt"
	"time"

	"aftergust/core/link/door"
)

// Wrong tries at a door or a password within Window; the next one has to wait.
// They count by link and source together first, so that a stranger uses up the
// tries of nobody but themselves.
const (
	Window     = 15 * time.Minute
	PerLink    = 10  // with one link, or for one mail address, from one source
	PerHost    = 30  // from one source, at whatever
	Everywhere = 100 // with one link, or for one mail address, from all sources that were not in before
)

// Codes that go by mail. NIST SP 800-63B, 5.1.3.2: out-of-band secrets live at
// most ten minutes.
const (
	CodeLife     = 10 * time.Minute
	CodeTries    = 5  // of one code
	CodesPerLink = 5  // within Window, with one link from one source
	CodesInAll   = 15 // within Window, with one link from all sources that were not in before
)

// A way back in for a member who lost their password, by mail.
const (
	ResetLife        = 30 * time.Minute
	ResetsPerAddress = 3  // within Window, for one address from one source
	ResetsInAll      = 10 // within Window, letters to one address, from all sources
	// InvitationLife is how long somebody may think about joining a studio.
	InvitationLife       = 7 * 24 * time.Hour
	InvitationsPerStudio = 20 // within Window
)

// AsksPerLink is how often somebody before a shut package may ask within Window.
const AsksPerLink = 3

// Entries in the guest book of one link within Window: from one source, and in all.
const (
	GuestsPerHost = 10
	GuestsInAll   = 60
)

// MaxGuests is how many names the guest book of one link holds.
const MaxGuests = 200

// Codes to read out on the phone (core/link/pickup): how long one lives, how many live at
// a time on a server, and how many wrong ones are taken within Window, from all
// sources together.
const (
	PickupLife    = 10 * time.Minute
	PickupsLive   = 100
	PickupGuesses = 100
	// PickupStay is how long somebody who came by one may come back.
	PickupStay = 24 * time.Hour
)

// OpeningsPerHost is how many openings of a showing count from one source within Window.
const OpeningsPerHost = 10

// TextsPerLine is how many text messages go to one person within Window.
const TextsPerLine = 3

// RemindPause is how long one person is left alone after a reminder.
const RemindPause = 12 * time.Hour

// MayRemind reports whether somebody last reminded at the moment last may be
// reminded again now.
func MayRemind(last, now time.Time) bool { return now.Sub(last) >= RemindPause }

// Opens words how a shut door is opened and how often that may be tried; it is
// empty for what is no need of a door.
func Opens(need door.Need) string {
	switch need {
	case door.APassphrase:
		return fmt.Sprintf("with a passphrase; %d tries in %d minutes", PerLink, int(Window.Minutes()))
	case door.ACode:
		return fmt.Sprintf("with a code to your mail address, once for each device; it works for %d minutes, in the browser that asked for it",
			int(CodeLife.Minutes()))
	case door.AnAddress:
		return "with your name and mail address; nobody writes to you because of it"
	}
	return ""
}
