package ledger_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	. "aftergust/core/record/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var (
	noon = time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	film = Item{ID: "film", Version: "film-2", Older: []string{"film-1"}, Size: 1000, Length: 60_000, File: true}
	page = Item{ID: "page", Version: "page-1", Size: 10, File: true}
	link = Item{ID: "link", Version: "link-1"}
	hand = Recipient{ID: "hanne", Rights: right.Rights{right.See, right.Take}}
	tom  = Recipient{ID: "tomos", Rights: right.Rights{right.See}}
)

func bytes(start, end int64) coverage.Set { return coverage.Of(coverage.Range{Start: start, End: end}) }

func one(t *testing.T, r Recipient, covers []Cover, events ...Event) Row {
	rows := Fold([]Item{film, page, link}, []Recipient{r}, covers, events)
	require.Len(t, rows, 1)
	return rows[0]
}

func TestARowGoesFromNothingToEverything(t *testing.T) {
	row := one(t, hand, nil)
	assert.Equal(t, NotOpened, row.Status)
	assert.True(t, row.Outstanding)
	assert.EqualValues(t, 1010, row.Owed)

	opened := Event{Recipient: "hanne", Kind: event.Opened, At: noon}
	row = one(t, hand, nil, opened)
	assert.Equal(t, HasOpened, row.Status)
	assert.Equal(t, noon, row.FirstOpened)

	part := Cover{Recipient: "hanne", Version: "film-2", Bytes: bytes(0, 100).Union(bytes(900, 1000))}
	row = one(t, hand, []Cover{part}, opened)
	assert.Equal(t, Partly, row.Status)
	assert.Equal(t, "has 200 bytes of 1.0 kB, 1 gap", row.Saying)

	rest := Cover{Recipient: "hanne", Version: "film-2", Bytes: bytes(100, 900), Completed: noon}
	small := Cover{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10), Completed: noon.Add(time.Minute)}
	row = one(t, hand, []Cover{part, rest, small}, opened)
	assert.Equal(t, Everything, row.Status)
	assert.False(t, row.Outstanding)
	assert.Equal(t, noon.Add(time.Minute), row.Completed)
	assert.EqualValues(t, 1010, row.Delivered)
}

func TestOneByteShortIsNotComplete(t *testing.T) {
	row := one(t, hand, []Cover{
		{Recipient: "hanne", Version: "film-2", Bytes: bytes(0, 999)},
		{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10), Completed: noon},
	})
	assert.False(t, row.Cells[0].Complete)
	assert.Equal(t, Partly, row.Status)
	assert.True(t, row.Completed.IsZero())
}

func TestWhoOnlyLooksIsNeverOutstanding(t *testing.T) {
	assert.Equal(t, NotOpened, one(t, tom, nil).Status)
	row := one(t, tom, nil, Event{Recipient: "tomos", Version: "film-2", Kind: event.Looked, At: noon})
	assert.Equal(t, OnlyLooks, row.Status)
	assert.False(t, row.Outstanding)
	assert.Equal(t, noon, row.Cells[0].Looked)
}

func TestWhoHasOnlyTheOldVersionIsBehind(t *testing.T) {
	row := one(t, hand, []Cover{{Recipient: "hanne", Version: "film-1", Bytes: bytes(0, 800), Completed: noon}})
	assert.True(t, row.Cells[0].Behind)
	assert.Contains(t, row.Saying, "1 item is of an older version")
	assert.True(t, row.Outstanding)
}

func TestAnEmptyFileIsCompleteOnceTaken(t *testing.T) {
	empty := Item{ID: "empty", Version: "empty-1", File: true}
	rows := Fold([]Item{empty}, []Recipient{hand}, nil, nil)
	assert.False(t, rows[0].Cells[0].Complete)
	rows = Fold([]Item{empty}, []Recipient{hand}, []Cover{{Recipient: "hanne", Version: "empty-1", Completed: noon}}, nil)
	assert.True(t, rows[0].Cells[0].Complete)
	assert.Equal(t, Everything, rows[0].Status)
}

func TestRemovedPeopleAreNotOutstanding(t *testing.T) {
	gone := hand
	gone.Removed = true
	assert.False(t, one(t, gone, nil).Outstanding)
}

func TestTheLedgerDoesNotDependOnTheOrderOfItsRecords(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 12).Draw(t, "n")
		var covers []Cover
		var events []Event
		for range n {
			start := rapid.Int64Range(0, 1000).Draw(t, "start")
			covers = append(covers, Cover{Recipient: rapid.SampledFrom([]string{"hanne", "tomos"}).Draw(t, "who"), Version: "film-2",
				Bytes: bytes(start, start+300)})
			events = append(events, Event{Recipient: "hanne", Version: "film-2", Kind: rapid.SampledFrom([]event.Kind{event.Opened,
				event.Looked}).Draw(t, "kind"), At: noon.Add(time.Duration(start) * time.Second)})
		}
		want := Fold([]Item{film}, []Recipient{hand, tom}, covers, events)
		rand.Shuffle(n, func(i, j int) { covers[i], covers[j] = covers[j], covers[i] })
		rand.Shuffle(n, func(i, j int) { events[i], events[j] = events[j], events[i] })
		require.Equal(t, want, Fold([]Item{film}, []Recipient{hand, tom}, append(covers, covers...), append(events, events...)))
	})
}

// With a single file, where "everything" and "nothing" are one step apart.
func TestOneFileAlone(t *testing.T) {
	only := func(covers ...Cover) Row { return Fold([]Item{page}, []Recipient{hand}, covers, nil)[0] }
	row := only()
	assert.True(t, row.Outstanding, "whoever may take and has nothing is outstanding")
	assert.Equal(t, Standing{Files: 1, Owed: 10}, row.Standing)
	row = only(Cover{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 9)})
	assert.True(t, row.Outstanding)
	assert.Equal(t, "has 9 bytes of 10 bytes, 1 gap", row.Saying)
	row = only(Cover{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10), Completed: noon})
	assert.False(t, row.Outstanding)
	assert.Equal(t, Standing{Files: 1, Whole: 1, Owed: 10, Delivered: 10, LastCompleted: noon}, row.Standing)
	assert.False(t, Fold(nil, []Recipient{hand}, nil, nil)[0].Outstanding, "there is nothing to take in an empty package")
}

func TestTheFirstCompletionCountsAndTheLastLook(t *testing.T) {
	row := one(t, hand, []Cover{
		{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10), Completed: noon.Add(time.Hour), Looked: noon},
		{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10), Completed: noon, Looked: noon.Add(time.Minute)},
		{Recipient: "hanne", Version: "page-1", Bytes: bytes(0, 10)},
	}, Event{Recipient: "hanne", Kind: event.Opened, At: noon.Add(time.Hour)}, Event{Recipient: "hanne", Kind: event.Opened, At: noon},
		Event{Recipient: "hanne", Kind: event.Reminded, At: noon.Add(9 * time.Hour)})
	assert.Equal(t, noon, row.Cells[1].Completed)
	assert.Equal(t, noon.Add(time.Minute), row.Cells[1].Looked)
	assert.Equal(t, noon, row.FirstOpened)
	assert.Equal(t, noon.Add(time.Hour), row.LastSeen, "a reminder is no sign of life")
	assert.True(t, row.Completed.IsZero())
}

func TestSomebodyWhoMayOnlyLookCanHaveTakenBefore(t *testing.T) {
	all := []Cover{{Recipient: "tomos", Version: "film-2", Bytes: bytes(0, 1000), Completed: noon}, {Recipient: "tomos", Version: "page-1",
		Bytes: bytes(0, 10), Completed: noon}}
	row := one(t, tom, all)
	assert.Equal(t, Everything, row.Status)
	assert.False(t, row.Outstanding)
	assert.Equal(t, Partly, one(t, tom, all[:1]).Status)
	assert.Equal(t, "has 1.0 kB of 1.0 kB", one(t, tom, all[:1]).Saying)
}

func TestBytesBeyondTheItemDoNotCount(t *testing.T) {
	row := one(t, hand, []Cover{{Recipient: "hanne", Version: "page-1", Bytes: bytes(5, 4000), Played: bytes(0, 90_000)},
		{Recipient: "hanne", Version: "film-2", Played: bytes(0, 90_000)}})
	assert.EqualValues(t, 5, row.Delivered)
	assert.EqualValues(t, 60_000, row.Cells[0].Played.Len())
	assert.EqualValues(t, 1, row.Standing.Gaps)
}

func TestTwoOlderItems(t *testing.T) {
	other := Item{ID: "poster", Version: "poster-3", Older: []string{"poster-1", "poster-2"}, Size: 5, File: true}
	covers := []Cover{{Recipient: "hanne", Version: "film-1", Completed: noon}, {Recipient: "hanne", Version: "poster-1", Completed: noon},
		{Recipient: "hanne", Version: "poster-2", Completed: noon}}
	row := Fold([]Item{film, other}, []Recipient{hand}, covers, nil)[0]
	assert.Equal(t, "has not opened it; 2 items are of an older version", row.Saying)
	assert.Equal(t, 2, row.Standing.Behind)
	covers = append(covers, Cover{Recipient: "hanne", Version: "poster-3", Bytes: bytes(0, 5), Completed: noon})
	assert.Equal(t, 1, Fold([]Item{film, other}, []Recipient{hand}, covers, nil)[0].Standing.Behind, "who has the current one is not behind")
}

func TestACellIsSaidInWords(t *testing.T) {
	clock := func(us int64) string { return (time.Duration(us) * time.Microsecond).String() }
	for want, cell := range map[string]Cell{
		"nothing yet":                        {},
		"looked at it":                       {Looked: noon},
		"took it, 1.0 kB":                    {Complete: true, Bytes: bytes(0, 1000), Looked: noon},
		"500 bytes of 1.0 kB, 1 gap":         {Bytes: bytes(0, 500)},
		"200 bytes of 1.0 kB, 3 gaps":        {Bytes: bytes(100, 200).Union(bytes(300, 400)), Behind: true},
		"has an older version":               {Behind: true, Looked: noon},
		"played 2s of 1m0s":                  {Played: bytes(0, 2000), Looked: noon},
		"took it, 1.0 kB; played 2s of 1m0s": {Complete: true, Played: bytes(1000, 3000)},
	} {
		assert.Equal(t, want, cell.Say(1000, 60_000, clock))
	}
}
