// Package expiry says when a package ends, which state it is in at a moment,
// and how the time that is left is worded. Zones are those of the IANA time
// zone database; an hour that a zone skips is refused, one that it repeats is
// taken the later time, so that nobody loses an hour they were promised.
package expiry

import (
	"fmt"
	"time"

	"aftergust/core/link/state"
)

// ClosingWindow is how long before its end a package counts as Closing.
const ClosingWindow = 48 * time.Hour

// Moments are the dates in a package's life. A zero time means: not yet, or never.
type Moments struct {
	Sent    time.Time
	Ends    time.Time
	Stopped time.Time
	Cleared time.Time
}

// At is the state at the moment now. A package ends at the very instant Ends.
func (m Moments) At(now time.Time) state.State {
	switch {
	case !m.Cleared.IsZero() && !now.Before(m.Cleared):
		return state.Cleared
	case m.Sent.IsZero():
		return state.Draft
	case !m.Stopped.IsZero() && !now.Before(m.Stopped):
		return state.Closed
	case m.Ends.IsZero():
		return state.Out
	case !now.Before(m.Ends):
		return state.Closed
	case m.Ends.Sub(now) < ClosingWindow:
		return state.Closing
	default:
		return state.Out
	}
}

const localLayout = "2006-01-02T15:04"

// LoadZone is time.LoadLocation without its special names.
func LoadZone(name string) (*time.Location, error) {
	if name == "" || name == "Local" {
		return nil, fmt.Errorf("%w: %q; use a name such as Europe/London", ErrZone, name)
	}
	zone, err := time.LoadLocation(name)
	if err != nil {
		return nil, fmt.Errorf("%w: %q; use a name such as Europe/London", ErrZone, name)
	}
	return zone, nil
}

// ZoneOr is the zone of a name, and UTC for one that is not known.
func ZoneOr(name string) *time.Location {
	zone, err := LoadZone(name)
	if err != nil {
		return time.UTC
	}
	return zone
}

// InZone is the instant of a wall-clock time such as 2026-12-04T18:00 in the
// zone: the later one where the clocks show it twice, ErrSkipped where never.
func InZone(local string, zone *time.Location) (time.Time, error) {
	wall, err := time.Parse(localLayout, local)
	if err != nil {
		return time.Time{}, fmt.Errorf("%w: %q is not a date and an hour such as 2026-12-04T18:00", ErrRule, local)
	}
	var found time.Time
	for _, at := range readings(wall, zone) {
		if at.After(found) {
			found = at
		}
	}
	if found.IsZero() {
		return time.Time{}, fmt.Errorf("%w: on %s the clocks in %s jump over %s; choose an hour before or after",
			ErrSkipped, wall.Format("2 January"), zone, wall.Format("15:04"))
	}
	return found, nil
}

// readings are the instants at which the clocks in a zone show a time: none where
// they jump over it, two where they are put back over it.
func readings(wall time.Time, zone *time.Location) (at []time.Time) {
	for _, probe := range []time.Time{wall.Add(-36 * time.Hour), wall.Add(36 * time.Hour)} {
		_, offset := probe.In(zone).Zone()
		candidate := wall.Add(-time.Duration(offset) * time.Second).In(zone)
		if candidate.Format(localLayout) == wall.Format(localLayout) && (len(at) == 0 || !candidate.Equal(at[0])) {
			at = append(at, candidate)
		}
	}
	return at
}

// Twice says whether the clocks in a zone show a time such as 2026-10-25T01:30
// two times on that day, when InZone takes the later one.
func Twice(local string, zone *time.Location) bool {
	wall, err := time.Parse(localLayout, local)
	return err == nil && len(readings(wall, zone)) > 1
}
