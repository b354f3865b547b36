// Package notice says what a studio is told of, and when it is written to about
// that: at once, gathered, once a day, or not at all. What comes together goes in
// one letter.
package notice

import (
	"time"

	"aftergust/core/event"
	"aftergust/core/kind"
)

// A Kind is what somebody is told of.
type Kind string

// The kinds of notice. Each has the name of the event that it comes from.
const (
	Opened  Kind = Kind(event.Opened)        // for the first time
	HasAll  Kind = Kind(event.HasAll)        // somebody has everything
	Noted   Kind = Kind(event.Noted)         // a recipient left a note
	Asked   Kind = Kind(event.Asked)         // somebody asks to be let in
	Closing Kind = Kind(event.Closing)       // it ends soon, and somebody has not everything
	Blocked Kind = Kind(event.Blocked)       // many wrong tries at a door
	Lost    Kind = Kind(event.Lost)          // a letter did not arrive
	Ticked  Kind = Kind(event.Ticked)        // something on a sheet is done
	Signed  Kind = Kind(event.SignedOff)     // a version is right as it is
	Wants   Kind = Kind(event.ChangesWanted) // it is not right yet
	Kept    Kind = Kind(event.Kept)          // a copy is in somebody's own studio
)

// A Cadence is when a letter tells of a notice.
type Cadence string

// The cadences.
const (
	AtOnce   Cadence = "at_once"
	Gathered Cadence = "gathered" // ten minutes after the first of them
	Daily    Cadence = "daily"    // in the morning
	Never    Cadence = "never"    // it stands in the list only
)

// Cadences are all of them.
var Cadences = kind.Of(func(d CadenceDescriptor) Cadence { return d.Cadence },
	CadenceDescriptor{AtOnce, kind.Words{Word: "At once", Means: "A letter goes for each.", Offered: true}},
	CadenceDescriptor{Gathered, kind.Words{Word: "Gathered", Means: "What comes within ten minutes goes in one letter.", Offered: true}},
	CadenceDescriptor{Daily, kind.Words{Word: "Each morning", Means: "One letter at eight in the morning.", Offered: true}},
	CadenceDescriptor{Never, kind.Words{Word: "No letter", Means: "It stands in the list of notices only.", Offered: true}},
)

// A CadenceDescriptor is what is known of one cadence.
type CadenceDescriptor struct {
	Cadence Cadence
	kind.Words
}

// A Descriptor is what is known of one kind of notice.
type Descriptor struct {
	Kind Kind
	kind.Words
	Usual  Cadence // where nobody chose another
	Once   bool    // for each person only the first time
	Theirs bool    // only where a recipient did it, not somebody of the studio
}

// All are the kinds of notice.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{HasAll, kind.Words{Word: "Has everything", Means: "Somebody has every byte of a package."}, Gathered, false, true},
	Descriptor{Noted, kind.Words{Word: "Note", Means: "A recipient left a note or an answer."}, Gathered, false, true},
	Descriptor{Signed, kind.Words{Word: "Signed off", Means: "A recipient signed something off."}, AtOnce, false, true},
	Descriptor{Wants, kind.Words{Word: "Changes wanted", Means: "A recipient wants changes of something."}, AtOnce, false, true},
	Descriptor{Closing, kind.Words{Word: "Ends soon", Means: "A package ends within two days, and somebody has not everything."}, AtOnce, false, false},
	Descriptor{Asked, kind.Words{Word: "Asked", Means: "Somebody stands before a package and asks to be let in."}, AtOnce, false, true},
	Descriptor{Lost, kind.Words{Word: "Did not arrive", Means: "A letter came back, or was refused."}, AtOnce, false, false},
	Descriptor{Blocked, kind.Words{Word: "Wrong tries", Means: "Many wrong tries at a door."}, AtOnce, false, true},
	Descriptor{Ticked, kind.Words{Word: "Ticked", Means: "A recipient ticked a task on a sheet."}, Gathered, false, true},
	Descriptor{Kept, kind.Words{Word: "Copy kept", Means: "Somebody took a copy into a studio of their own."}, Daily, false, true},
	Descriptor{Opened, kind.Words{Word: "Opened", Means: "Somebody opened a package for the first time."}, Never, true, true},
)

// GatherFor is how long what comes is gathered for one letter.
const GatherFor = 10 * time.Minute

// morning is the hour of the daily letter, on the reader's clock.
const morning = 8

// Due is when a letter tells of what happens now, on a clock in zone; zero for never.
// waiting is when the letter goes that gathers already; zero where none does.
func (c Cadence) Due(now, waiting time.Time, zone *time.Location) time.Time {
	switch c {
	case AtOnce:
		return now
	case Gathered:
		if waiting.After(now) {
			return waiting
		}
		return now.Add(GatherFor)
	case Daily:
		y, m, d := now.In(zone).Date()
		if due := time.Date(y, m, d, morning, 0, 0, 0, zone); due.After(now) {
			return due
		}
		return time.Date(y, m, d+1, morning, 0, 0, 0, zone)
	}
	return time.Time{}
}

// Choices are the cadences that were chosen, by kind; for the others the usual one holds.
type Choices map[Kind]Cadence

// Of is the cadence of a kind, with what was chosen for a project before what was
// chosen for all.
func Of(k Kind, project, all Choices) Cadence {
	if c, ok := project[k]; ok {
		return c
	}
	if c, ok := all[k]; ok {
		return c
	}
	return All.Get(k).Usual
}
