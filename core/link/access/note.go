package access

import "aftergust/core/link/right"

// A NoteAct is what somebody may want to do with a note.
type NoteAct string

// The acts. To read is to see it, and everything that lies at it.
const (
	ReadNote   NoteAct = "read"
	AnswerNote NoteAct = "answer"
	SignNote   NoteAct = "sign"   // give it a sign
	TickNote   NoteAct = "tick"   // say that it is done, or open it again
	CarryNote  NoteAct = "carry"  // say where it belongs on another version
	EditNote   NoteAct = "edit"   // change its words
	RemoveNote NoteAct = "remove" // take it back
	AssignNote NoteAct = "assign" // say who of the studio does it
	HideNote   NoteAct = "hide"   // make it the studio's own, or everybody's
)

// NoteActs are all acts.
func NoteActs() []NoteAct {
	return []NoteAct{ReadNote, AnswerNote, SignNote, TickNote, CarryNote, EditNote, RemoveNote, AssignNote, HideNote}
}

// A Note is what DecideNote needs to know of a note.
type Note struct {
	Private   bool // the studio's own
	Mine      bool // written by whoever asks
	Withdrawn bool // on an item that was taken out of the package
}

// UnknownNote is the reason why a private note is none for anybody outside of the studio.
const UnknownNote Reason = "unknown_note"

// DecideNote says whether person may do act with a note of the package, and if not, why.
// A private note does not exist for anybody outside. Only its author changes the words
// of a note or takes it back; only the studio assigns it or keeps it to itself.
func DecideNote(parcel Parcel, person Person, act NoteAct, note Note) Reason {
	verb := right.Note
	if act == ReadNote {
		verb = right.See
	}
	if reason := Decide(parcel, person, verb, note.Withdrawn); reason != Allowed {
		return reason
	}
	if note.Private && !person.Studio {
		return UnknownNote
	}
	switch act {
	case EditNote, RemoveNote:
		if !note.Mine {
			return NoRight
		}
	case AssignNote, HideNote:
		if !person.Studio {
			return NoRight
		}
	}
	return Allowed
}
