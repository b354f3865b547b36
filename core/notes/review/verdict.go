package review

import (
	"fmt"
	"strings"
	"time"

	"aftergust/core/form/kind"
	"aftergust/core/words/count"
)

// A Verdict is what somebody decides of a version.
type Verdict string

// The verdicts.
const (
	SignedOff     Verdict = "signed_off"
	ChangesWanted Verdict = "changes_wanted"
)

// A VerdictDescriptor is what is known of one verdict.
type VerdictDescriptor struct {
	Verdict Verdict
	kind.Words
}

// Verdicts are all verdicts.
var Verdicts = kind.Of(func(d VerdictDescriptor) Verdict { return d.Verdict },
	VerdictDescriptor{SignedOff, kind.Words{Word: "Signed off", Means: "It is right as it is.", Offered: true}},
	VerdictDescriptor{ChangesWanted, kind.Words{Word: "Changes wanted", Means: "It is not right yet; the notes say what.", Offered: true}},
)

// An Asked is a person whose verdict a round waits for.
type Asked struct {
	Name     string
	Verdicts map[string]Verdict // by version; the last one of each
}

// A RoundState is how far a round is.
type RoundState string

// The states of a round.
const (
	RoundOpen    RoundState = "open"    // somebody has not decided yet
	RoundChanges RoundState = "changes" // all have decided, and something should change
	RoundSigned  RoundState = "signed"  // all have signed everything off
	RoundClosed  RoundState = "closed"  // by hand
)

// RoundStates are all states.
func RoundStates() []RoundState {
	return []RoundState{RoundOpen, RoundChanges, RoundSigned, RoundClosed}
}

// A Standing is where a round stands.
type Standing struct {
	State RoundState
	Waits []string // names of those who have not decided on everything
	Wants int      // verdicts that want changes
	Says  string
}

// Stand works out where a round stands: the versions that it bundles, who is asked, when
// it is due, and whether it was closed by hand. A round that asks nobody waits for nobody,
// and stays open until it is closed.
func Stand(versions []string, asked []Asked, closed bool) Standing {
	s := Standing{State: RoundOpen}
	for _, one := range asked {
		decided := true
		for _, v := range versions {
			verdict, ok := one.Verdicts[v]
			decided = decided && ok
			if verdict == ChangesWanted {
				s.Wants++
			}
		}
		if !decided {
			s.Waits = append(s.Waits, one.Name)
		}
	}
	switch {
	case closed:
		s.State, s.Says = RoundClosed, "closed"
	case len(asked) == 0:
		s.Says = "open; nobody is asked to sign off"
	case len(s.Waits) > 0:
		s.Says = "waits for " + count.List(short(s.Waits))
	case s.Wants > 0:
		s.State, s.Says = RoundChanges, "changes wanted"
	default:
		s.State, s.Says = RoundSigned, "signed off"
	}
	return s
}

// short is a list of names that a sentence can hold.
func short(names []string) []string {
	const most = 3
	if len(names) <= most {
		return names
	}
	return append(names[:most:most], count.Of(len(names)-most, "other", "others"))
}

// RoundName is what a round is called: "Round 2 of 3", or "Round 2" where no number was
// agreed; one more than agreed says so.
func RoundName(number, agreed int) string {
	switch {
	case agreed <= 0:
		return fmt.Sprintf("Round %d", number)
	case number > agreed:
		return fmt.Sprintf("Round %d, %d agreed", number, agreed)
	}
	return fmt.Sprintf("Round %d of %d", number, agreed)
}

// Due words when a round is due, seen from now: "due Fri 27 Nov", "due today", "2 days late".
func Due(at *time.Time, now time.Time, zone *time.Location) string {
	if at == nil {
		return ""
	}
	day := func(t time.Time) time.Time {
		y, m, d := t.In(zone).Date()
		return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	}
	days := int(day(*at).Sub(day(now)).Hours() / 24)
	switch {
	case days == 0 && !now.After(*at):
		return "due today"
	case days == 0:
		return "late since today"
	case days < 0:
		return count.Of(-days, "day", "days") + " late"
	case days == 1:
		return "due tomorrow"
	}
	return "due " + strings.TrimSpace(at.In(zone).Format("Mon 2 Jan"))
}
