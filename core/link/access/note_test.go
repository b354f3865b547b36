package access_test

import (
	"testing"

	. "aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWhoMayDoWhatWithANote(t *testing.T) {
	out := Parcel{State: state.Out, Door: door.Open}
	hanne := Person{Known: true, Rights: right.Rights{right.See, right.Note}}
	looks := Person{Known: true, Rights: right.Rights{right.See}}
	studio := Person{Studio: true}
	may := func(p Person, n Note) (acts []NoteAct) {
		for _, act := range NoteActs() {
			if DecideNote(out, p, act, n) == Allowed {
				acts = append(acts, act)
			}
		}
		return acts
	}
	assert.Equal(t, []NoteAct{ReadNote, AnswerNote, SignNote, TickNote, CarryNote}, may(hanne, Note{}))
	assert.Equal(t, []NoteAct{ReadNote, AnswerNote, SignNote, TickNote, CarryNote, EditNote, RemoveNote}, may(hanne, Note{Mine: true}))
	assert.Equal(t, []NoteAct{ReadNote}, may(looks, Note{Mine: true}), "whose right was taken away does not edit either")
	assert.Equal(t, []NoteAct{ReadNote, AnswerNote, SignNote, TickNote, CarryNote, AssignNote, HideNote}, may(studio, Note{}))
	assert.Equal(t, NoteActs(), may(studio, Note{Mine: true, Private: true}))
	assert.Empty(t, may(hanne, Note{Private: true}))
	assert.Empty(t, may(hanne, Note{Withdrawn: true, Mine: true}))
	assert.Equal(t, UnknownNote, DecideNote(out, hanne, ReadNote, Note{Private: true}))
}

func TestNobodyOutsideDoesMoreWithANoteThanWithThePackage(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		parcel := Parcel{State: rapid.SampledFrom(state.All.Names()).Draw(t, "state"), Stopped: rapid.Bool().Draw(t, "stopped"),
			Door: rapid.SampledFrom(door.All.Names()).Draw(t, "door")}
		person := Person{Known: rapid.Bool().Draw(t, "known"), Removed: rapid.Bool().Draw(t, "removed"), Passed: rapid.Bool().Draw(t, "passed"),
			Rights: rapid.SliceOfDistinct(rapid.SampledFrom(right.All.Names()), rapid.ID[right.Right]).Draw(t, "rights")}
		note := Note{rapid.Bool().Draw(t, "private"), rapid.Bool().Draw(t, "mine"), rapid.Bool().Draw(t, "withdrawn")}
		act := rapid.SampledFrom(NoteActs()).Draw(t, "act")
		if DecideNote(parcel, person, act, note) != Allowed {
			return
		}
		verb := right.Note
		if act == ReadNote {
			verb = right.See
		}
		assert.Equal(t, Allowed, Decide(parcel, person, verb, note.Withdrawn))
		assert.False(t, note.Private)
	})
}
