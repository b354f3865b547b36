package access_test

import (
	"testing"

	. "aftergust/core/access"
	"aftergust/core/expiry"

	"github.com/stretchr/testify/assert"
)

// want says what Decide must answer, written as a list of exclusions rather
// than in Decide's own order, so that the two can disagree.
func allowedForRecipient(parcel Parcel, p Person, verb Verb, withdrawn bool) bool {
	open := parcel.State == expiry.Out || parcel.State == expiry.Closing
	through := parcel.Door == DoorOpen || p.Passed
	return p.Known && !p.Removed && open && through && !withdrawn && p.Rights.Has(verb)
}

func TestEveryCombinationIsAllowedOrHasOneReason(t *testing.T) {
	bools := []bool{false, true}
	states := []expiry.State{expiry.Draft, expiry.Out, expiry.Closing, expiry.Closed, expiry.Cleared}
	doors := []Door{DoorOpen, DoorPassphrase, DoorGuestBook, DoorNamed}
	rightSets := []Rights{nil, {See}, {Note}, {Take}, {Add}, {SignOff}, {See, Note}, {See, Take}, Verbs()}
	cases := 0
	for _, state := range states {
		for _, door := range doors {
			for _, rights := range rightSets {
				for _, verb := range Verbs() {
					for _, stopped := range bools {
						for _, known := range bools {
							for _, removed := range bools {
								for _, passed := range bools {
									for _, withdrawn := range bools {
										parcel := Parcel{State: state, Stopped: stopped, Door: door}
										person := Person{Known: known, Removed: removed, Passed: passed, Rights: rights}
										reason := Decide(parcel, person, verb, withdrawn)
										assert.Equal(t, allowedForRecipient(parcel, person, verb, withdrawn), reason == Allowed, "%+v %+v %s %v", parcel, person, verb, withdrawn)
										assert.Equal(t, reason == Allowed, reason.Say() == "", "each refusal has a sentence: %s", reason)
										person.Studio = true
										inStudio := Decide(parcel, person, verb, withdrawn) == Allowed
										assert.Equal(t, state != expiry.Cleared || verb == See, inStudio)
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
	assert.Equal(t, 5*4*9*5*32, cases)
}

func TestTheFirstThingInTheWayIsNamed(t *testing.T) {
	in := Person{Known: true, Passed: true, Rights: Rights{See}}
	out := Parcel{State: expiry.Out, Door: DoorNamed}
	closed := Parcel{State: expiry.Closed, Door: DoorNamed}
	for _, c := range []struct {
		parcel    Parcel
		person    Person
		verb      Verb
		withdrawn bool
		want      Reason
	}{
		{out, Person{}, See, false, UnknownLink},
		{closed, in, See, false, Ended},
		{Parcel{State: expiry.Closed, Stopped: true, Door: DoorNamed}, in, See, false, Stopped},
		{Parcel{State: expiry.Cleared, Stopped: true}, in, See, false, Cleared},
		{Parcel{State: expiry.Draft}, in, See, false, NotSent},
		{closed, Person{Known: true, Removed: true}, See, false, RemovedPerson},
		{out, Person{Known: true}, See, false, NeedCode},
		{Parcel{State: expiry.Out, Door: DoorPassphrase}, Person{Known: true}, See, false, NeedPassphrase},
		{Parcel{State: expiry.Out, Door: DoorGuestBook}, Person{Known: true}, See, false, NeedAddress},
		{out, in, See, true, Withdrawn},
		{out, in, Take, false, NoRight},
		{out, in, See, false, Allowed},
	} {
		assert.Equal(t, c.want, Decide(c.parcel, c.person, c.verb, c.withdrawn))
	}
}

func TestRightsAreCleanedIntoTheirOrder(t *testing.T) {
	assert.Equal(t, Rights{See, Take}, Rights{Take, "fly", See, Take}.Clean())
	assert.Equal(t, "see, take", Rights{See, Take}.String())
}
