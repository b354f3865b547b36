package ledger_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	. "aftergust/core/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var (
	noon = time.Date(2026, 11, 25, 12, 0, 0, 0, time.UTC)
	film = Item{ID: "film", Version: "film-2", Older: []string{"film-1"}, Size: 1000, Length: 60_000, File: true}
	page = Item{ID: "page", Version: "page-1", Size: 10, File: true}
	link = Item{ID: "link", Version: "link-1"}
	hand = Recipient{ID: "hanne", Rights: access.Rights{access.See, access.Take}}
	tom  = Recipient{ID: "tomos", Rights: access.Rights{access.See}}
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

	opened := Event{Recipient: "hanne", Kind: Opened, At: noon}
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
	row := one(t, tom, nil, Event{Recipient: "tomos", Version: "film-2", Kind: Looked, At: noon})
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
			covers = append(covers, Cover{Recipient: rapid.SampledFrom([]string{"hanne", "tomos"}).Draw(t, "who"), Version: "film-2", Bytes: bytes(start, start+300)})
			events = append(events, Event{Recipient: "hanne", Version: "film-2", Kind: rapid.SampledFrom([]EventKind{Opened, Looked}).Draw(t, "kind"), At: noon.Add(time.Duration(start) * time.Second)})
		}
		want := Fold([]Item{film}, []Recipient{hand, tom}, covers, events)
		rand.Shuffle(n, func(i, j int) { covers[i], covers[j] = covers[j], covers[i] })
		rand.Shuffle(n, func(i, j int) { events[i], events[j] = events[j], events[i] })
		require.Equal(t, want, Fold([]Item{film}, []Recipient{hand, tom}, append(covers, covers...), append(events, events...)))
	})
}
