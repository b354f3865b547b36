// Package notice says what a studio is told of, and when it is written to about
// that: at once, gathered, once a day, or not at all. What comes together goes in
// one letter.
package notice

import (
	"cmp"
	"time"

	"aftergust/core/form/kind"
	"aftergust/core/record/event"
)

// A Kind is what somebody is told of.
type Kind string

// The kinds of notice. Each has the name of the event that it comes from, but for those that
// a note itself brings to one member of the studio: what is said between members is no event
// of the package, and stands in no proof.
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
	Named   Kind = "named"                   // a note names them
	Given   Kind = "given"                   // a note was given to them to do
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

// A Descriptor is what is known of one kind of notice. Offered are those of which other programs
// can be told as well (internal/parts/hooks): all that come from events.
type Descriptor struct {
	Kind Kind
	kind.Words
	Usual  Cadence                                // where nobody chose another
	Once   bool                                   // for each person only the first time
	Theirs bool                                   // only where a recipient did it, not somebody of the studio
	say    func(who string, f event.Facts) string // nil: the event says it
}

// Comes reports whether a kind comes from an event of the package.
func (d Descriptor) Comes() bool { return d.say == nil }

// Say is a notice in one sentence.
func Say(k Kind, who event.Who, f event.Facts) string {
	d := All.Get(k)
	if d.Comes() {
		return event.Say(event.Kind(k), who, f)
	}
	name := cmp.Or(who.Member, who.Line, "Somebody")
	return d.say(name, f) + "."
}

// All are the kinds of notice.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{HasAll, kind.Words{Word: "Has everything", Means: "Somebody has every byte of a package.", Offered: true}, Gathered, false, true, nil},
	Descriptor{Noted, kind.Words{Word: "Note", Means: "A recipient left a note or an answer.", Offered: true}, Gathered, false, true, nil},
	Descriptor{Named, kind.Words{Word: "Named", Means: "A note names you with an @."}, Gathered, false, false,
		func(who string, f event.Facts) string { return who + " named you in a note " + event.On(f) }},
	Descriptor{Given, kind.Words{Word: "Yours to do", Means: "A colleague gave you a note to do."}, Gathered, false, false,
		func(who string, f event.Facts) string { return who + " gave you a note to do, " + event.On(f) }},
	Descriptor{Signed, kind.Words{Word: "Signed off", Means: "A recipient signed something off.", Offered: true}, AtOnce, false, true, nil},
	Descriptor{Wants, kind.Words{Word: "Changes wanted", Means: "A recipient wants changes of something.", Offered: true}, AtOnce, false, true, nil},
	Descriptor{Closing, kind.Words{Word: "Ends soon", Means: "A package ends within two days, and somebody has not everything.", Offered: true}, AtOnce, false, false, nil},
	Descriptor{Asked, kind.Words{Word: "Asked", Means: "Somebody stands before a package and asks to be let in.", Offered: true}, AtOnce, false, true, nil},
	Descriptor{Lost, kind.Words{Word: "Did not arrive", Means: "A letter came back, or was refused.", Offered: true}, AtOnce, false, false, nil},
	Descriptor{Blocked, kind.Words{Word: "Wrong tries", Means: "Many wrong tries at a door.", Offered: true}, AtOnce, false, true, nil},
	Descriptor{Ticked, kind.Words{Word: "Ticked", Means: "A recipient ticked a task on a sheet.", Offered: true}, Gathered, false, true, nil},
	Descriptor{Kept, kind.Words{Word: "Copy kept", Means: "Somebody took a copy into a studio of their own.", Offered: true}, Daily, false, true, nil},
	Descriptor{Opened, kind.Words{Word: "Opened", Means: "Somebody opened a package for the first time.", Offered: true}, Never, true, true, nil},
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
