// Package reminder says when those who have not everything of a package are
// reminded before it ends: by a ladder of hours before the end, in hours in which
// they are awake, and not soon after they were written to.
package reminder

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"aftergust/core/link/throttle"
	"aftergust/core/words/count"
)

// A Ladder is how many hours before the end reminders go, longest first. An empty
// one reminds nobody.
type Ladder []int

// Bounds of a ladder.
const (
	MaxRungs = 6
	MaxHours = 30 * 24 // before the end
)

// Standard is the ladder of a studio that chose none.
func Standard() Ladder { return Ladder{72, 24, 3} }

// ErrLadder says what is wrong with a ladder, and what to do.
var ErrLadder = errors.New("the reminders are not clear")

// Clean is a ladder in order, each rung once. It returns ErrLadder for one that has
// too many rungs, or one that is out of bounds.
func (l Ladder) Clean() (Ladder, error) {
	sorted := slices.Clone(l)
	slices.SortFunc(sorted, func(a, b int) int { return b - a })
	sorted = slices.Compact(sorted)
	if len(sorted) > MaxRungs {
		return nil, fmt.Errorf("%w: choose at most %d", ErrLadder, MaxRungs)
	}
	for _, hours := range sorted {
		if hours < 1 || hours > MaxHours {
			return nil, fmt.Errorf("%w: a reminder goes from 1 hour to %d days before the end", ErrLadder, MaxHours/24)
		}
	}
	if sorted == nil {
		sorted = Ladder{}
	}
	return sorted, nil
}

// Say is a ladder in words that go on after "reminded": "3 days, 1 day and 3 hours
// before the end"; "by nobody but you" for an empty one.
func (l Ladder) Say() string {
	if len(l) == 0 {
		return "by nobody but you"
	}
	words := make([]string, len(l))
	for i, hours := range l {
		words[i] = count.Of(hours, "hour", "hours")
		if hours%24 == 0 {
			words[i] = count.Of(hours/24, "day", "days")
		}
	}
	return count.List(words) + " before the end"
}

// The hours in which people are awake, on their own clock (common practice).
const (
	wakes  = 8
	sleeps = 21
	// evening is the hour at which somebody is written to who would be asleep later.
	evening = 20
)

// Awake is a moment moved into the hours in which somebody in the zone is awake:
// the morning after it, or the evening before.
func Awake(at time.Time, zone *time.Location, before bool) time.Time {
	local := at.In(zone)
	y, m, d := local.Date()
	hour := local.Hour()
	switch {
	case hour >= wakes && hour < sleeps:
		return at
	case before && hour < wakes:
		return time.Date(y, m, d-1, evening, 0, 0, 0, zone)
	case before:
		return time.Date(y, m, d, evening, 0, 0, 0, zone)
	case hour < wakes:
		return time.Date(y, m, d, wakes, 0, 0, 0, zone)
	default:
		return time.Date(y, m, d+1, wakes, 0, 0, 0, zone)
	}
}

// moment is when a rung goes: so many hours before the end; where they sleep then,
// on the morning after, as long as half of the time is left by then, else on the
// evening before.
func moment(hours int, ends time.Time, zone *time.Location) time.Time {
	ideal := ends.Add(-time.Duration(hours) * time.Hour)
	morning := Awake(ideal, zone, false)
	if ends.Sub(morning) >= time.Duration(hours)*time.Hour/2 {
		return morning
	}
	return Awake(ideal, zone, true)
}

// A Case is somebody who has not everything of a package that is open.
type Case struct {
	Ends  time.Time      // of the package
	Since time.Time      // when that end was set: what was due before is not made up for
	Heard time.Time      // when they were last written to about the package
	Zone  *time.Location // their clock
}

// Next is when they are reminded next; it has come where it is not after now. ok is
// false where no reminder is to come any more. Only the last rung that has passed
// counts: whoever was asleep for two of them gets one letter.
func (l Ladder) Next(c Case, now time.Time) (at time.Time, ok bool) {
	passed := -1
	for i, hours := range l {
		if moment(hours, c.Ends, c.Zone).After(now) {
			break
		}
		passed = i
	}
	if passed >= 0 && c.wants(l[passed]) {
		if at := Awake(now, c.Zone, false); at.Before(c.Ends) {
			if at.Equal(now) {
				return moment(l[passed], c.Ends, c.Zone), true
			}
			return at, true
		}
	}
	for _, hours := range l[passed+1:] {
		if c.wants(hours) {
			return moment(hours, c.Ends, c.Zone), true
		}
	}
	return time.Time{}, false
}

// wants reports whether a rung counts: its end was set before it, and they were not
// written to after it, nor shortly before.
func (c Case) wants(hours int) bool {
	at := moment(hours, c.Ends, c.Zone)
	pause := min(throttle.RemindPause, time.Duration(hours)*time.Hour)
	return at.After(c.Since) && at.Sub(c.Heard) >= pause
}

// How early and how often a package is looked at for a reminder that is to come:
// the clock of whoever it goes to may turn out to be another one meanwhile.
const (
	early = 36 * time.Hour
	again = 6 * time.Hour
)

// Look is when to look next at a package of which the next reminder goes at a moment.
func Look(next, now time.Time) time.Time {
	if wait := next.Add(-early); wait.After(now) {
		return wait
	}
	if soon := now.Add(again); soon.Before(next) {
		return soon
	}
	return next
}
