package access_test

import (
	"testing"

	. "aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"

	"github.com/stretchr/testify/assert"
)

// want says what Decide must answer, written as a list of exclusions rather
// than in Decide's own order, so that the two can disagree.
func allowedForRecipient(parcel Parcel, p Person, verb right.Right, withdrawn bool) bool {
	open := parcel.State == state.Out || parcel.State == state.Closing
	through := parcel.Door == door.Open || p.Passed || parcel.Door == door.GuestBook && p.Named
	return p.Known && !p.Removed && open && through && !withdrawn && p.Rights.Has(verb)
}

type passing struct{ passed, named bool }

func TestEveryCombinationIsAllowedOrHasOneReason(t *testing.T) {
	bools := []bool{false, true}
	states := []state.State{state.Draft, state.Out, state.Closing, state.Closed, state.Cleared}
	doors := []door.Door{door.Open, door.Passphrase, door.GuestBook, door.Named}
	rightSets := []right.Rights{nil, {right.See}, {right.Note}, {right.Take}, {right.Add}, {right.SignOff}, {right.See, right.Note},
		{right.See, right.Take}, right.All.Names()}
	cases := 0
	for _, at := range states {
		for _, way := range doors {
			for _, rights := range rightSets {
				for _, verb := range right.All.Names() {
					for _, stopped := range bools {
						for _, known := range bools {
							for _, removed := range bools {
								for _, passed := range []passing{{false, false}, {false, true}, {true, false}, {true, true}} {
									for _, withdrawn := range bools {
										parcel := Parcel{State: at, Stopped: stopped, Door: way}
										person := Person{Known: known, Removed: removed, Passed: passed.passed, Named: passed.named, Rights: rights}
										reason := Decide(parcel, person, verb, withdrawn)
										assert.Equal(t, allowedForRecipient(parcel, person, verb, withdrawn), reason == Allowed, "%+v %+v %s %v", parcel, person, verb,
											withdrawn)
										assert.Equal(t, reason == Allowed, reason.Say() == "", "each refusal has a sentence: %s", reason)
										person.Studio = true
										inStudio := Decide(parcel, person, verb, withdrawn) == Allowed
										assert.Equal(t, at != state.Cleared || verb == right.See, inStudio)
										cases++
									}
								}
							}
						}
					}
				}
			}
		}
	}
	assert.Equal(t, 5*4*9*5*64, cases)
}

func TestTheFirstThingInTheWayIsNamed(t *testing.T) {
	in := Person{Known: true, Passed: true, Rights: right.Rights{right.See}}
	out := Parcel{State: state.Out, Door: door.Named}
	closed := Parcel{State: state.Closed, Door: door.Named}
	for _, c := range []struct {
		parcel    Parcel
		person    Person
		verb      right.Right
		withdrawn bool
		want      Reason
	}{
		{out, Person{}, right.See, false, UnknownLink},
		{closed, in, right.See, false, Ended},
		{Parcel{State: state.Closed, Stopped: true, Door: door.Named}, in, right.See, false, Stopped},
		{Parcel{State: state.Cleared, Stopped: true}, in, right.See, false, Cleared},
		{Parcel{State: state.Draft}, in, right.See, false, NotSent},
		{closed, Person{Known: true, Removed: true}, right.See, false, RemovedPerson},
		{out, Person{Known: true}, right.See, false, NeedCode},
		{Parcel{State: state.Out, Door: door.Passphrase}, Person{Known: true}, right.See, false, NeedPassphrase},
		{Parcel{State: state.Out, Door: door.GuestBook}, Person{Known: true}, right.See, false, NeedAddress},
		{out, in, right.See, true, Withdrawn},
		{out, in, right.Take, false, NoRight},
		{out, in, right.See, false, Allowed},
	} {
		assert.Equal(t, c.want, Decide(c.parcel, c.person, c.verb, c.withdrawn))
	}
}

// What shows of a package, written as it must be for a stranger: before a door
// that was not passed nothing but who sent it.
func TestWhatShowsIsListed(t *testing.T) {
	passed, stranger := Person{Known: true, Passed: true}, Person{Known: true}
	all := Shown{Sender: true, Title: true, Ends: true, Inside: true}
	record := Shown{Sender: true, Title: true, Ends: true}
	nothing := Shown{Sender: true}
	for _, c := range []struct {
		parcel Parcel
		person Person
		want   Shown
	}{
		{Parcel{State: state.Out, Door: door.Open}, stranger, all},
		{Parcel{State: state.Out, Door: door.Passphrase}, passed, all},
		{Parcel{State: state.Out, Door: door.Passphrase}, stranger, nothing},
		{Parcel{State: state.Out, Door: door.GuestBook}, stranger, nothing},
		{Parcel{State: state.Out, Door: door.GuestBook}, Person{Known: true, Named: true}, all},
		{Parcel{State: state.Out, Door: door.Passphrase}, Person{Known: true, Named: true}, nothing},
		{Parcel{State: state.Closing, Door: door.Named}, stranger, nothing},
		{Parcel{State: state.Out, Door: "new"}, stranger, nothing},
		{Parcel{State: state.Closed, Door: door.Open}, stranger, record},
		{Parcel{State: state.Closed, Stopped: true, Door: door.Named}, passed, record},
		{Parcel{State: state.Closed, Stopped: true, Door: door.Named}, stranger, nothing},
		{Parcel{State: state.Closed, Door: door.GuestBook}, stranger, nothing},
		{Parcel{State: state.Cleared, Door: door.Passphrase}, stranger, nothing},
		{Parcel{State: state.Cleared, Door: door.Open}, stranger, record},
		{Parcel{State: state.Draft, Door: door.Open}, passed, nothing},
		{Parcel{State: state.Out, Door: door.Open}, Person{Known: true, Removed: true, Passed: true}, nothing},
		{Parcel{State: state.Out, Door: door.Open}, Person{}, Shown{}},
	} {
		assert.Equal(t, c.want, Shows(c.parcel, c.person), "%+v %+v", c.parcel, c.person)
	}
}

func TestADoorThatNobodyKnowsStaysShut(t *testing.T) {
	assert.Equal(t, NeedCode, Standing(Parcel{State: state.Out, Door: "trapdoor"}, Person{Known: true}))
}

func TestWhoMayAskAndWhoIsLetIn(t *testing.T) {
	for reason, may := range map[Reason]bool{Ended: true, Stopped: true, RemovedPerson: true, Cleared: true, NeedCode: true,
		NeedPassphrase: true, NeedAddress: false, NoRight: false,
		UnknownLink: false, NotSent: false, Allowed: false} {
		assert.Equal(t, may, reason.MayAsk(), reason)
	}
	assert.True(t, LetsIn(right.Rights{right.See}))
	assert.True(t, LetsIn(right.Rights{right.Take}))
	assert.False(t, LetsIn(right.Rights{right.Note, right.Add, right.SignOff}))
}
