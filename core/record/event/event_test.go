package event_test

import (
	"testing"
	"time"

	"aftergust/core/link/right"
	. "aftergust/core/record/event"
	"aftergust/core/words/letter"

	"github.com/stretchr/testify/assert"
)

func TestAnEventIsOneSentenceFromItsOwnFacts(t *testing.T) {
	ends := time.Date(2026, 12, 4, 18, 0, 0, 0, time.UTC)
	end := Facts{Title: "Lifeboat", Ends: &ends, Zone: "Europe/London"}
	who := Who{Line: "Tove Arnholt", Member: "Mara Quill"}
	item := Facts{Name: "Lifeboat_cut.mov", Number: 3, Size: 2 << 20, At: "00:01:02:03"}
	for _, c := range []struct {
		kind  Kind
		who   Who
		facts Facts
		want  string
	}{
		{Sent, who, end, "Mara Quill sent the package; it ends Fri 4 Dec, 18:00 in London."},
		{Sent, Who{}, Facts{}, "The studio sent the package."},
		{Sent, who, Facts{Ends: &ends}, "Mara Quill sent the package."},
		{Stopped, who, Facts{}, "Mara Quill stopped the package."},
		{Extended, who, end, "Mara Quill changed the end; it ends Fri 4 Dec, 18:00 in London."},
		{DoorChanged, who, Facts{Door: "passphrase"}, "Mara Quill changed the door or its passphrase. It opens with a passphrase."},
		{DoorChanged, who, Facts{}, "Mara Quill changed the door or its passphrase."},
		{Cleared, who, Facts{}, "Its files were deleted."},
		{Added, who, Facts{Rights: right.Rights{right.See, right.Take}}, "Mara Quill put Tove Arnholt on the waybill: see, take."},
		{Removed, who, Facts{}, "Mara Quill took Tove Arnholt off the waybill."},
		{Rights, who, Facts{}, "Mara Quill changed what Tove Arnholt may do."},
		{Withdrawn, who, item, "Mara Quill withdrew Lifeboat_cut.mov (version 3)."},
		{Reminded, who, Facts{}, "Mara Quill reminded Tove Arnholt."},
		{Opened, who, Facts{}, "Tove Arnholt opened it."},
		{Opened, Who{Line: "ängström"}, Facts{}, "Ängström opened it."},
		{Opened, Who{}, Facts{}, "Somebody opened it."},
		{Looked, who, Facts{Name: "a.mov", Number: 1}, "Tove Arnholt looked at a.mov."},
		{Looked, who, Facts{}, "Tove Arnholt looked at an item."},
		{Took, who, item, "Tove Arnholt has Lifeboat_cut.mov (version 3) to the last byte, 2.1 MB."},
		{Took, who, Facts{Name: "empty.txt"}, "Tove Arnholt has empty.txt to the last byte."},
		{Noted, who, item, "Tove Arnholt left a note on Lifeboat_cut.mov (version 3) at 00:01:02:03."},
		{Noted, Who{Member: "Mara Quill"}, Facts{Name: "a.mov"}, "Mara Quill left a note on a.mov."},
		{Done, who, item, "Mara Quill ticked off a note on Lifeboat_cut.mov (version 3) at 00:01:02:03."},
		{Kept, who, Facts{At: "3 items"}, "Tove Arnholt kept a copy of 3 items in a studio of their own."},
		{Ticked, who, Facts{Name: "Hand-off", At: "Send the logo"}, "Tove Arnholt ticked “Send the logo” on Hand-off."},
		{Unticked, who, Facts{Name: "Hand-off"}, "Tove Arnholt took the tick at a task back, on Hand-off."},
		{Blocked, who, Facts{}, "Many wrong tries at the door with the link of Tove Arnholt."},
		{Asked, who, Facts{}, "Tove Arnholt asked to be let in."},
		{Quiet, who, Facts{}, "Tove Arnholt asked not to be reminded."},
		{ItemsAdded, who, Facts{}, "Everybody was told of what was added, in one letter."},
		{Confirmed, who, Facts{Name: "a.mov", At: "4.3 MB"}, "Tove Arnholt’s page read a.mov back from disk and found it complete. " +
			"The server had lost the receipts for 4.3 MB of it; all of it now counts as delivered."},
		{HasAll, who, Facts{}, "Tove Arnholt has everything."},
		{Closing, Who{}, Facts{Count: 2, Ends: &ends, Zone: "Europe/London"},
			"It ends Fri 4 Dec, 18:00 in London, and 2 people have not everything."},
		{Closing, Who{}, Facts{Count: 1}, "It ends soon, and 1 person has not everything."},
		{Lost, who, Facts{}, "A letter to Tove Arnholt did not arrive."},
		{EndReached, who, Facts{}, "What its end waited for has happened."},
		{"hatched", who, Facts{}, "hatched."},
	} {
		assert.Equal(t, c.want, Say(c.kind, c.who, c.facts), c.kind)
	}
}

func TestEveryKindOfEventHasWordsAndBringsSomethingNew(t *testing.T) {
	letters := map[Kind]letter.Kind{Sent: letter.Delivery, Added: letter.Delivery, Reminded: letter.Reminder, Blocked: letter.Blocked,
		Asked: letter.Asked, ItemsAdded: letter.News, SignOffAsked: letter.Round}
	theirs := map[Kind]bool{Opened: true, Looked: true, Took: true, HasAll: true, Noted: true, Signed: true, Ticked: true,
		Unticked: true, Kept: true, NotesBrought: true,
		SignedOff: true, ChangesWanted: true}
	for _, k := range All.Names() {
		d := All.Get(k)
		assert.NotEmpty(t, d.Word, k)
		assert.Contains(t, []Changes{Waybill, Contents, Ledger, Notes}, d.Changes, k)
		assert.Equal(t, letters[k], d.Letter, k)
		assert.Equal(t, theirs[k], d.Present, "%s is a sign of life", k)
		assert.Equal(t, k == Opened || k == Signed, d.Opens, k)
		assert.Equal(t, k == Looked, d.Looks, k)
		assert.Equal(t, k == Took || k == HasAll || k == Kept || k == Ticked || k == Unticked, d.Theirs, k)
		assert.NotEqual(t, string(k)+".", Say(k, Who{}, Facts{}), "%s can be said", k)
	}
	assert.Len(t, All.Names(), 38)
}
