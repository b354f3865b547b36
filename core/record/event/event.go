// Package event describes what can happen to a package, and puts it into words.
// An event keeps the facts as they were; its words are made here and nowhere
// else, for the Story, for letters and for exports.
package event

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"aftergust/core/file/transfer"
	"aftergust/core/form/kind"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
	"aftergust/core/words/letter"
)

// A Kind is what happened.
type Kind string

// The kinds of event.
const (
	Sent          Kind = "sent"
	Stopped       Kind = "stopped"
	Extended      Kind = "extended"
	Cleared       Kind = "cleared"
	DoorChanged   Kind = "door_changed"
	Added         Kind = "recipient_added"
	Removed       Kind = "recipient_removed"
	Rights        Kind = "rights_changed"
	Withdrawn     Kind = "item_withdrawn"
	Reminded      Kind = "reminded"
	Opened        Kind = "opened"
	Looked        Kind = "looked"
	Took          Kind = "took"
	Noted         Kind = "noted"
	Done          Kind = "note_done"
	Blocked       Kind = "door_blocked"
	Asked         Kind = "asked"
	Quiet         Kind = "quiet"
	ItemsAdded    Kind = "items_added"
	EndReached    Kind = "end_reached"
	Signed        Kind = "signed"
	LetIn         Kind = "let_in"
	TurnedAway    Kind = "turned_away"
	Pickup        Kind = "pickup_code"
	SecondPlace   Kind = "second_place"
	Texted        Kind = "texted"
	Kept          Kind = "kept"
	Ticked        Kind = "ticked"
	Unticked      Kind = "unticked"
	HasAll        Kind = "has_all"
	Closing       Kind = "closing"
	Lost          Kind = "letter_lost"
	NotesBrought  Kind = "notes_brought"
	SignedOff     Kind = "signed_off"
	ChangesWanted Kind = "changes_wanted"
	RoundBegan    Kind = "round_began"
	SignOffAsked  Kind = "sign_off_asked"
	Confirmed     Kind = "confirmed"
)

// Changes is what an event brings screens to look at anew.
type Changes string

// What screens look at anew. The words are those of ground.Change.
const (
	Waybill  Changes = "waybill"
	Contents Changes = "contents"
	Ledger   Changes = "ledger"
	Notes    Changes = "notes"
)

// Facts are what an event keeps of how things were: names, version, size, sum,
// rights, end, way in. Who it was stands apart from them (Who), since it may have
// to be erased.
type Facts struct {
	Title  string       `json:"title,omitempty"`  // of the package
	Door   string       `json:"door,omitempty"`   // of the package
	Ends   *time.Time   `json:"ends,omitempty"`   // of the package
	Zone   string       `json:"zone,omitempty"`   // in which its end is meant
	Rights right.Rights `json:"rights,omitempty"` // of the line
	Way    string       `json:"way,omitempty"`    // by which somebody came: personal, anyone
	Name   string       `json:"name,omitempty"`   // of the item
	Number int          `json:"number,omitempty"` // of the version
	Size   int64        `json:"size,omitempty"`   // bytes of the version
	SHA256 string       `json:"sha256,omitempty"` // of the version, as far as it was known, in hexadecimal
	At     string       `json:"at,omitempty"`     // place of a note, as its timeline labels it; or the words of the task that was ticked; or how many items were kept; or how much was confirmed
	Count  int          `json:"count,omitempty"`  // how many people it is about, who are not named
}

// Text is the facts as they are hashed into the chain of their package (core/record/proof): JSON,
// its members in the order of Facts, what is empty left out, the end in UTC.
func (f Facts) Text() []byte {
	if f.Ends != nil {
		utc := f.Ends.UTC()
		f.Ends = &utc
	}
	text, _ := json.Marshal(f) // strings, numbers and a time always can be written
	return text
}

// A Who is the people of an event as they were called. Name is empty for an
// event that is about nobody, or once it was erased.
type Who struct {
	Line   string // the person on the waybill
	Member string // who of the studio did it
}

// A Descriptor is what is known of one kind of event.
type Descriptor struct {
	Kind Kind
	kind.Words
	Changes Changes
	Letter  letter.Kind // the letter that follows from it; empty for most
	Opens   bool        // they have opened the package
	Looks   bool        // they have looked at the item
	Present bool        // it is a sign of life of the person
	Theirs  bool        // the page of that person shows it
	say     func(who Who, f Facts) string
}

// All are the kinds of event.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{Kind: Sent, Words: word("Sent"), Changes: Waybill, Letter: letter.Delivery, say: func(w Who, f Facts) string {
		return by(w, "sent the package") + until(f) + "."
	}},
	Descriptor{Kind: Stopped, Words: word("Stopped"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "stopped the package") + "."
	}},
	Descriptor{Kind: Extended, Words: word("Extended"), Changes: Waybill, say: func(w Who, f Facts) string {
		return by(w, "changed the end") + until(f) + "."
	}},
	Descriptor{Kind: EndReached, Words: word("End reached"), Changes: Waybill, say: func(_ Who, f Facts) string {
		return "What its end waited for has happened" + until(f) + "."
	}},
	Descriptor{Kind: DoorChanged, Words: word("Door changed"), Changes: Waybill, say: func(w Who, f Facts) string {
		return strings.TrimSpace(by(w, "changed the door or its passphrase. ") + door.All.Get(door.Door(f.Door)).Says)
	}},
	Descriptor{Kind: Cleared, Words: word("Cleared"), Changes: Waybill, say: func(Who, Facts) string { return "Its files were deleted." }},
	Descriptor{Kind: Added, Words: word("Put on the waybill"), Changes: Waybill, Letter: letter.Delivery, say: func(w Who, f Facts) string {
		return by(w, "put "+line(w)+" on the waybill") + may(f) + "."
	}},
	Descriptor{Kind: Removed, Words: word("Taken off the waybill"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "took "+line(w)+" off the waybill") + "."
	}},
	Descriptor{Kind: Rights, Words: word("Rights changed"), Changes: Waybill, say: func(w Who, f Facts) string {
		return by(w, "changed what "+line(w)+" may do") + may(f) + "."
	}},
	Descriptor{Kind: Withdrawn, Words: word("Item withdrawn"), Changes: Contents, say: func(w Who, f Facts) string {
		return by(w, "withdrew "+item(f)) + "."
	}},
	Descriptor{Kind: ItemsAdded, Words: word("Told of what is new"), Changes: Waybill, Letter: letter.News, say: func(_ Who, _ Facts) string {
		return "Everybody was told of what was added, in one letter."
	}},
	Descriptor{Kind: Reminded, Words: word("Reminded"), Changes: Waybill, Letter: letter.Reminder, say: func(w Who, _ Facts) string {
		return by(w, "reminded "+line(w)) + "."
	}},
	Descriptor{Kind: Opened, Words: word("Opened"), Changes: Ledger, Opens: true, Present: true, say: func(w Who, _ Facts) string {
		return line(w) + " opened it."
	}},
	Descriptor{Kind: Looked, Words: word("Looked"), Changes: Ledger, Looks: true, Present: true, say: func(w Who, f Facts) string {
		return line(w) + " looked at " + item(f) + "."
	}},
	Descriptor{Kind: Took, Words: word("Taken whole"), Changes: Ledger, Present: true, Theirs: true, say: func(w Who, f Facts) string {
		return line(w) + " has " + item(f) + " to the last byte" + weight(f) + "."
	}},
	Descriptor{Kind: Confirmed, Words: word("Confirmed"), Changes: Ledger, say: func(w Who, f Facts) string {
		return line(w) + "’s page read " + item(f) + " back from disk and found it complete. The server had lost the receipts for " +
			cmp.Or(f.At, "part") + " of it; all of it now counts as delivered."
	}},
	Descriptor{Kind: HasAll, Words: word("Has everything"), Changes: Ledger, Present: true, Theirs: true, say: func(w Who, _ Facts) string {
		return line(w) + " has everything."
	}},
	Descriptor{Kind: Noted, Words: word("Note"), Changes: Notes, Present: true, say: func(w Who, f Facts) string {
		who := line(w)
		if w.Line == "" && w.Member != "" {
			who = w.Member
		}
		return who + " left a note " + On(f) + "."
	}},
	Descriptor{Kind: SignedOff, Words: word("Signed off"), Changes: Notes, Present: true, say: func(w Who, f Facts) string {
		return line(w) + " signed " + item(f) + " off" + said(f) + "."
	}},
	Descriptor{Kind: ChangesWanted, Words: word("Changes wanted"), Changes: Notes, Present: true, say: func(w Who, f Facts) string {
		return line(w) + " wants changes of " + item(f) + said(f) + "."
	}},
	Descriptor{Kind: RoundBegan, Words: word("Round"), Changes: Notes, say: func(w Who, f Facts) string {
		return by(w, "began "+strings.ToLower(cmp.Or(f.At, "a round"))) + "."
	}},
	Descriptor{Kind: SignOffAsked, Words: word("Sign-off asked for"), Changes: Notes, Letter: letter.Round, say: func(w Who, f Facts) string {
		return by(w, "asked "+line(w)+" to sign off") + "."
	}},
	Descriptor{Kind: NotesBrought, Words: word("Notes brought in"), Changes: Notes, Present: true, say: func(w Who, f Facts) string {
		who := line(w)
		if w.Line == "" && w.Member != "" {
			who = w.Member
		}
		return who + " brought in " + count.Of(f.Count, "note", "notes") + " on " + item(f) + "."
	}},
	Descriptor{Kind: Kept, Words: word("Copy kept"), Changes: Ledger, Present: true, Theirs: true, say: func(w Who, f Facts) string {
		return line(w) + " kept a copy of " + cmp.Or(f.At, "it") + " in a studio of their own."
	}},
	Descriptor{Kind: Ticked, Words: word("Ticked"), Changes: Ledger, Present: true, Theirs: true, say: func(w Who, f Facts) string {
		return line(w) + " ticked " + task(f) + " on " + item(f) + "."
	}},
	Descriptor{Kind: Unticked, Words: word("Tick taken back"), Changes: Ledger, Present: true, Theirs: true, say: func(w Who, f Facts) string {
		return line(w) + " took the tick at " + task(f) + " back, on " + item(f) + "."
	}},
	Descriptor{Kind: Done, Words: word("Note done"), Changes: Notes, say: func(w Who, f Facts) string {
		return by(w, "ticked off a note on "+item(f)+at(f)) + "."
	}},
	Descriptor{Kind: Blocked, Words: word("Wrong tries"), Changes: Ledger, Letter: letter.Blocked, say: func(w Who, _ Facts) string {
		return "Many wrong tries at the door with the link of " + line(w) + "."
	}},
	Descriptor{Kind: Asked, Words: word("Asked"), Changes: Ledger, Letter: letter.Asked, say: func(w Who, _ Facts) string {
		return line(w) + " asked to be let in."
	}},
	Descriptor{Kind: Signed, Words: word("Guest book"), Changes: Waybill, Opens: true, Present: true, say: func(w Who, _ Facts) string {
		return line(w) + " left their address in the guest book."
	}},
	Descriptor{Kind: LetIn, Words: word("Let in"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "let "+line(w)+" in") + "."
	}},
	Descriptor{Kind: SecondPlace, Words: word("Second place"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return "The link of " + line(w) + ", which is not to be passed on, was opened from another device."
	}},
	Descriptor{Kind: Pickup, Words: word("Pickup code"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "made a pickup code for "+line(w)) + "."
	}},
	Descriptor{Kind: Texted, Words: word("Text message"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "sent "+line(w)+" their link as a text message") + "."
	}},
	Descriptor{Kind: TurnedAway, Words: word("Not let in"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return by(w, "did not let "+line(w)+" in") + "."
	}},
	Descriptor{Kind: Closing, Words: word("Ends soon"), Changes: Waybill, say: func(_ Who, f Facts) string {
		return "It ends" + cmp.Or(strings.TrimPrefix(until(f), "; it ends"), " soon") + ", and " + count.Of(f.Count, "person has", "people have") +
			" not everything."
	}},
	Descriptor{Kind: Lost, Words: word("Did not arrive"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return "A letter to " + line(w) + " did not arrive."
	}},
	Descriptor{Kind: Quiet, Words: word("No reminders"), Changes: Waybill, say: func(w Who, _ Facts) string {
		return line(w) + " asked not to be reminded."
	}},
)

// Say puts an event into one sentence.
func Say(k Kind, who Who, f Facts) string {
	d := All.Get(k)
	if d.say == nil {
		return string(k) + "."
	}
	text := d.say(who, f)
	first, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[size:]
}

func word(w string) kind.Words { return kind.Words{Word: w} }

// by begins a sentence with the member who did it.
func by(w Who, did string) string {
	if w.Member == "" {
		return "The studio " + did
	}
	return w.Member + " " + did
}

func line(w Who) string {
	if w.Line == "" {
		return "Somebody"
	}
	return w.Line
}

// item names the item, with the number of its version where there is more than one.
func item(f Facts) string {
	switch {
	case f.Name == "":
		return "an item"
	case f.Number > 1:
		return fmt.Sprintf("%s (version %d)", f.Name, f.Number)
	default:
		return f.Name
	}
}

func weight(f Facts) string {
	if f.Size == 0 {
		return ""
	}
	return ", " + transfer.Size(f.Size)
}

// On says on what a note lies, and where.
func On(f Facts) string { return "on " + item(f) + at(f) }

func at(f Facts) string {
	if f.At == "" {
		return ""
	}
	return " at " + f.At
}

func task(f Facts) string {
	if f.At == "" {
		return "a task"
	}
	return "“" + f.At + "”"
}

// said is the line that went with a decision.
func said(f Facts) string {
	if f.At == "" {
		return ""
	}
	return ": “" + strings.TrimRight(f.At, ".!?… ") + "”"
}

func may(f Facts) string {
	if len(f.Rights) == 0 {
		return ""
	}
	return ": " + f.Rights.String()
}

func until(f Facts) string {
	zone, err := expiry.LoadZone(f.Zone)
	if err != nil || f.Ends == nil {
		return ""
	}
	return "; it ends " + expiry.Short(*f.Ends, zone) + " in " + expiry.City(zone)
}
