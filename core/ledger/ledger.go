// Package ledger folds what is recorded of a package, events and coverage, into
// what people want to know: who has seen, played and taken what, who is
// outstanding, and who holds an old version. It keeps nothing; the same records
// always give the same ledger.
package ledger

import (
	"fmt"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/transfer"
)

// An Item is a column of the ledger.
type Item struct {
	ID      string
	Version string   // the version that the package gives now
	Older   []string // versions that it gave before, oldest first
	Size    int64    // bytes of the original; 0 for an empty file
	Length  int64    // milliseconds; 0 where the item does not play
	File    bool     // whether there is anything to take
}

// A Recipient is a row of the ledger.
type Recipient struct {
	ID      string
	Rights  access.Rights
	Removed bool
}

// A Cover is what one recipient got of one version.
type Cover struct {
	Recipient, Version string
	Bytes              coverage.Set // bytes of the original that their side acknowledged
	Played             coverage.Set // milliseconds that played
	Completed          time.Time    // when the last byte was delivered; zero if not yet
}

// An EventKind is something that happened to a package.
type EventKind string

// The kinds of event that the ledger reads.
const (
	Opened EventKind = "opened" // the recipient page was opened
	Looked EventKind = "looked" // an item's preview was shown or played
)

// An Event is one recorded act of a recipient.
type Event struct {
	Recipient, Version string // Version is empty where the act is on the whole package
	Kind               EventKind
	At                 time.Time
}

// A Cell is what one recipient has of one item.
type Cell struct {
	Item      string
	Bytes     coverage.Set
	Played    coverage.Set
	Looked    time.Time // when they last looked at it; zero if never
	Complete  bool      // every byte of the current version was delivered
	Completed time.Time
	Behind    bool // they have an older version whole and the current one not
}

// A Status sums up a row in one word.
type Status string

// The states of a recipient, from nothing to everything.
const (
	NotOpened  Status = "not_opened"
	HasOpened  Status = "opened"     // opened, took nothing, may take
	OnlyLooks  Status = "looked"     // opened, may not take
	Partly     Status = "partly"     // took some of it
	Everything Status = "everything" // every byte of every item they may take
)

// A Row is what one recipient has of the package.
type Row struct {
	Recipient   string
	Cells       []Cell
	Status      Status
	FirstOpened time.Time
	LastSeen    time.Time
	Delivered   int64     // bytes, of current versions
	Owed        int64     // bytes, of all items they may take
	Completed   time.Time // when they had everything; zero if not yet
	Outstanding bool      // may take, is not removed, and has not everything
	Saying      string    // the row in words, to follow the person's name
}

type cellKey struct{ recipient, version string }

// Fold makes the ledger. Rows and cells come in the order of recipients and
// items. Covers and events may come in any order and more than once.
func Fold(items []Item, recipients []Recipient, covers []Cover, events []Event) []Row {
	byCell := make(map[cellKey]Cover, len(covers))
	for _, c := range covers {
		key := cellKey{c.Recipient, c.Version}
		have := byCell[key]
		have.Bytes, have.Played = have.Bytes.Union(c.Bytes), have.Played.Union(c.Played)
		if have.Completed.IsZero() || !c.Completed.IsZero() && c.Completed.Before(have.Completed) {
			have.Completed = c.Completed
		}
		byCell[key] = have
	}
	looked := map[cellKey]time.Time{}
	first, last := map[string]time.Time{}, map[string]time.Time{}
	for _, e := range events {
		if at, ok := first[e.Recipient]; e.Kind == Opened && (!ok || e.At.Before(at)) {
			first[e.Recipient] = e.At
		}
		last[e.Recipient] = later(last[e.Recipient], e.At)
		if e.Kind == Looked {
			key := cellKey{e.Recipient, e.Version}
			looked[key] = later(looked[key], e.At)
		}
	}
	rows := make([]Row, len(recipients))
	for i, r := range recipients {
		row := Row{Recipient: r.ID, FirstOpened: first[r.ID], LastSeen: last[r.ID], Cells: make([]Cell, len(items))}
		for j, item := range items {
			row.Cells[j] = fold(r.ID, item, byCell, looked)
		}
		rows[i] = sum(row, r, items)
	}
	return rows
}

func fold(recipient string, item Item, covers map[cellKey]Cover, looked map[cellKey]time.Time) Cell {
	key := cellKey{recipient, item.Version}
	cover := covers[key]
	cell := Cell{Item: item.ID, Looked: looked[key], Played: cover.Played, Bytes: cover.Bytes.Clip(coverage.Range{End: item.Size})}
	if item.Length > 0 {
		cell.Played = cell.Played.Clip(coverage.Range{End: item.Length})
	}
	cell.Complete = item.File && (cell.Bytes.Complete(item.Size) || item.Size == 0 && !cover.Completed.IsZero())
	if cell.Complete {
		cell.Completed = cover.Completed
	}
	for _, older := range item.Older {
		if !cell.Complete && !covers[cellKey{recipient, older}].Completed.IsZero() {
			cell.Behind = true
		}
	}
	return cell
}

func sum(row Row, r Recipient, items []Item) Row {
	mayTake, whole, files := r.Rights.Has(access.Take), true, 0
	behind, gaps := 0, 0
	for j, item := range items {
		if !item.File {
			continue
		}
		files++
		cell := row.Cells[j]
		row.Delivered += cell.Bytes.Len()
		row.Owed += item.Size
		whole = whole && cell.Complete
		row.Completed = later(row.Completed, cell.Completed)
		if cell.Behind {
			behind++
		}
		if !cell.Bytes.Empty() && !cell.Complete {
			gaps += len(cell.Bytes.Gaps(coverage.Range{End: item.Size}))
		}
	}
	if !whole {
		row.Completed = time.Time{}
	}
	taken := false
	for _, cell := range row.Cells {
		taken = taken || cell.Complete || !cell.Bytes.Empty()
	}
	switch {
	case whole && files > 0 && (mayTake || taken):
		row.Status, row.Saying = Everything, "has everything"
	case taken:
		row.Status = Partly
		row.Saying = fmt.Sprintf("has %s of %s", transfer.Size(row.Delivered), transfer.Size(row.Owed))
		if gaps > 0 {
			row.Saying += ", " + count(gaps, "gap", "gaps")
		}
	case row.FirstOpened.IsZero() && row.LastSeen.IsZero():
		row.Status, row.Saying = NotOpened, "has not opened it"
	case mayTake:
		row.Status, row.Saying = HasOpened, "opened it, has taken nothing"
	default:
		row.Status, row.Saying = OnlyLooks, "looked, may not take"
	}
	if behind > 0 {
		row.Saying += fmt.Sprintf("; %s of an older version", count(behind, "item is", "items are"))
	}
	row.Outstanding = mayTake && !r.Removed && files > 0 && row.Status != Everything
	return row
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}
