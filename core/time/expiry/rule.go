package expiry

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"aftergust/core/form/kind"
	"aftergust/core/words/count"
)

// A Kind is one way of saying when a package ends.
type Kind string

// The kinds of rule. The first two name an instant as soon as the package is sent;
// the others wait for what people do, and name the latest end beside it.
const (
	AfterDays  Kind = "after_days"    // so many times 24 hours on the wall clock of the zone after sending
	AtTime     Kind = "at"            // at a date and hour in the zone
	OnceOpened Kind = "after_opening" // so many days after the first of them opened it
	AllHave    Kind = "when_all_have" // so many hours after everybody has everything
	SomeHave   Kind = "after_takings" // so many hours after so many of them have everything
)

// A Descriptor is what is known of one kind of rule.
type Descriptor struct {
	Kind Kind
	kind.Words
	Waits bool // for what people do
}

// Kinds are all kinds of rule.
var Kinds = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{AfterDays, kind.Words{Word: "After days", Means: "So many days after sending, at the same hour.", Offered: true}, false},
	Descriptor{AtTime, kind.Words{Word: "Day and hour", Means: "At a day and an hour in a zone.", Offered: true}, false},
	Descriptor{OnceOpened, kind.Words{Word: "Once opened", Means: "So many days after the first of them opened it.", Offered: true}, true},
	Descriptor{AllHave, kind.Words{Word: "When all have it", Means: "When everybody who may download has everything, and some hours more.", Offered: true},
		true},
	Descriptor{SomeHave, kind.Words{Word: "After takings", Means: "When so many people have everything, and some hours more.", Offered: true}, true},
)

// A Rule says when a package ends, as the producer chose it.
type Rule struct {
	Kind Kind `json:"kind"`
	Days int  `json:"days,omitempty" minimum:"0" maximum:"365" doc:"for after_days and after_opening: 1 to 365"`
	// Local is a wall-clock time as 2026-12-04T18:00.
	Local string `json:"local,omitempty" doc:"for at: wall-clock time in the zone, as 2026-12-04T18:00"`
	Zone  string `json:"zone" doc:"IANA time zone in which the rule is meant, as Europe/London"`
	// Hold is in hours, so that whoever still looks is not cut off.
	Hold   int `json:"hold,omitempty" minimum:"0" maximum:"720" doc:"for when_all_have and after_takings: hours that it stays open after that"`
	People int `json:"people,omitempty" minimum:"0" maximum:"500" doc:"for after_takings: how many people have everything"`
	Latest int `json:"latest,omitempty" minimum:"0" maximum:"365" doc:"for rules that wait for what people do: it ends after so many days at the latest"`
}

// Errors that name what is wrong with a rule. Their text says what to do.
var (
	ErrZone    = errors.New("unknown time zone")
	ErrRule    = errors.New("the end is not clear")
	ErrSkipped = errors.New("this hour does not exist")
	ErrPast    = errors.New("the end lies in the past")
)

// Bounds of a rule.
const (
	MaxDays   = 365 // the longest time that a package may stay out
	MaxHold   = 720 // hours
	MaxPeople = 500
)

// Waits reports whether the rule waits for what people do.
func (r Rule) Waits() bool { return Kinds.Get(r.Kind).Waits }

// Resolve is the instant at which a package sent at the moment sent will end, or
// end at the latest where the rule waits for what people do. It returns ErrZone,
// ErrRule, ErrSkipped or ErrPast, wrapped with what to do.
func (r Rule) Resolve(sent time.Time) (time.Time, error) {
	zone, err := LoadZone(r.Zone)
	if err != nil {
		return time.Time{}, err
	}
	if r.Waits() {
		return r.latest(sent, zone)
	}
	switch r.Kind {
	case AfterDays:
		return later(sent, r.Days, zone)
	case AtTime:
		at, err := InZone(r.Local, zone)
		if err != nil {
			return time.Time{}, err
		}
		if !at.After(sent) {
			return time.Time{}, fmt.Errorf("%w: %s has passed; choose a later hour", ErrPast, Long(at, zone))
		}
		if at.Sub(sent) > MaxDays*24*time.Hour {
			return time.Time{}, fmt.Errorf("%w: choose an end within %d days", ErrRule, MaxDays)
		}
		return at, nil
	default:
		return time.Time{}, fmt.Errorf("%w: choose a number of days, or a date and an hour", ErrRule)
	}
}

// latest is the latest end of a rule that waits, once all its numbers are good.
func (r Rule) latest(sent time.Time, zone *time.Location) (time.Time, error) {
	switch {
	case r.Kind == OnceOpened && (r.Days < 1 || r.Days > MaxDays):
		return time.Time{}, fmt.Errorf("%w: choose from 1 to %d days after the first opening", ErrRule, MaxDays)
	case r.Kind == SomeHave && (r.People < 1 || r.People > MaxPeople):
		return time.Time{}, fmt.Errorf("%w: choose after how many people, from 1 to %d", ErrRule, MaxPeople)
	case r.Hold < 0 || r.Hold > MaxHold:
		return time.Time{}, fmt.Errorf("%w: it may stay open for 0 to %d hours more", ErrRule, MaxHold)
	case r.Latest < 1 || r.Latest > MaxDays:
		return time.Time{}, fmt.Errorf("%w: choose after how many days it ends at the latest, from 1 to %d", ErrRule, MaxDays)
	}
	return later(sent, r.Latest, zone)
}

// later is so many days after a moment, at the same hour in the zone. An hour that
// the zone skips on that day moves on by the gap, as clocks do.
func later(sent time.Time, days int, zone *time.Location) (time.Time, error) {
	if days < 1 || days > MaxDays {
		return time.Time{}, fmt.Errorf("%w: choose from 1 to %d days", ErrRule, MaxDays)
	}
	local := sent.In(zone)
	return time.Date(local.Year(), local.Month(), local.Day()+days, local.Hour(), local.Minute(), local.Second(), 0, zone), nil
}

// Progress is what people have done with a package, as far as a rule may wait for it.
type Progress struct {
	Opened time.Time   // when the first of them opened it; zero: nobody has
	Have   []time.Time // of each who may download, when they had everything; zero: they have not
}

// Reached is the end that follows from what people have done; ok is false while the
// rule still waits. It may lie in the past.
func (r Rule) Reached(p Progress) (ends time.Time, ok bool) {
	zone, err := LoadZone(r.Zone)
	if err != nil {
		return time.Time{}, false
	}
	var have []time.Time
	for _, at := range p.Have {
		if !at.IsZero() {
			have = append(have, at)
		}
	}
	slices.SortFunc(have, time.Time.Compare)
	need := 0
	switch r.Kind {
	case OnceOpened:
		ends, err = later(p.Opened, r.Days, zone)
		return ends, err == nil && !p.Opened.IsZero()
	case AllHave:
		need = len(p.Have)
	case SomeHave:
		need = r.People
	}
	if need < 1 || len(have) < need {
		return time.Time{}, false
	}
	return have[need-1].Add(time.Duration(r.Hold) * time.Hour), true
}

// When is what the rule waits for, in words that go on after "ends": "when everybody
// has everything, and 24 h more". It is empty for a rule that waits for nothing.
func (r Rule) When() string {
	more := ""
	if r.Hold > 0 {
		more = fmt.Sprintf(", and %d h more", r.Hold)
	}
	switch r.Kind {
	case OnceOpened:
		return count.Of(r.Days, "day", "days") + " after it is first opened"
	case AllHave:
		return "when everybody has everything" + more
	case SomeHave:
		return "when " + count.Of(r.People, "person has", "people have") + " everything" + more
	default:
		return ""
	}
}
