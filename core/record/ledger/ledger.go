// Package ledger folds what is recorded of a package, events and coverage, into
// what people want to know: who has seen, played and taken what, who is
// outstanding, and who holds an old version. It keeps nothing; the same records
// always give the same ledger.
package ledger

import (
	"fmt"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/transfer"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/core/words/count"
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
	Rights  right.Rights
	Removed bool
}

// A Cover is what one recipient got of one version.
type Cover struct {
	Recipient, Version string
	Bytes              coverage.Set // bytes of the original that their side acknowledged
	Played             coverage.Set // milliseconds that played
	Completed          time.Time    // when the last byte was delivered; zero if not yet
	Looked             time.Time    // when they last looked at it; zero if never, or where events tell
	Proxied            bool         // some of Bytes was acknowledged by a proxy in front of us
	Kept               time.Time    // when their page found it whole on their disk; zero: it did not say
}

// An Event is one recorded act of a recipient.
type Event struct {
	Recipient, Version string // Version is empty where the act is on the whole package
	Kind               event.Kind
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
	Proxied   bool      // by a proxy in front of us, which hands it on
	Kept      time.Time // when their page found it whole on their disk; zero: it did not say
	Behind    bool      // they have an older version whole and the current one not
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

// Statuses are all states of a recipient, from nothing to everything.
func Statuses() []Status { return []Status{NotOpened, HasOpened, OnlyLooks, Partly, Everything} }

// A Standing is what one recipient has of the package, in numbers that can be
// kept where they change. Fold makes the same ones from all records.
type Standing struct {
	Files         int       // items of the package that can be taken
	Whole         int       // of these, items that they have to the last byte
	Behind        int       // of these, items of which they have an older version only
	Gaps          int       // stretches that miss in items which they have in part
	Delivered     int64     // bytes, of current versions
	Owed          int64     // bytes of all items that can be taken
	FirstOpened   time.Time // zero: never
	LastSeen      time.Time // their last sign of life; zero: none
	LastCompleted time.Time // when the last item became whole; zero: none has
}

// A Summary is a standing in the words of the ledger.
type Summary struct {
	Status      Status
	FirstOpened time.Time
	LastSeen    time.Time
	Delivered   int64
	Owed        int64
	Completed   time.Time // when they had everything; zero if not yet
	Outstanding bool      // may take, is not removed, and has not everything
	Saying      string    // to follow the person's name
	Brief       string    // for a narrow cell: how much of how much; empty where nothing was taken, or all
}

// A Row is what one recipient has of the package.
type Row struct {
	Recipient string
	Cells     []Cell
	Standing  Standing
	Summary
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
		have.Completed, have.Looked = earlier(have.Completed, c.Completed), later(have.Looked, c.Looked)
		have.Proxied, have.Kept = have.Proxied || c.Proxied, earlier(have.Kept, c.Kept)
		byCell[key] = have
	}
	first, last := map[string]time.Time{}, map[string]time.Time{}
	for _, e := range events {
		kind := event.All.Get(e.Kind)
		if kind.Opens {
			first[e.Recipient] = earlier(first[e.Recipient], e.At)
		}
		if kind.Present {
			last[e.Recipient] = later(last[e.Recipient], e.At)
		}
		if kind.Looks {
			key := cellKey{e.Recipient, e.Version}
			have := byCell[key]
			have.Looked = later(have.Looked, e.At)
			byCell[key] = have
		}
	}
	rows := make([]Row, len(recipients))
	for i, r := range recipients {
		row := Row{Recipient: r.ID, Cells: make([]Cell, len(items))}
		for j, item := range items {
			row.Cells[j] = fold(r.ID, item, byCell)
		}
		row.Standing = stand(row.Cells, items)
		row.Standing.FirstOpened, row.Standing.LastSeen = first[r.ID], last[r.ID]
		row.Summary = row.Standing.Sum(r)
		rows[i] = row
	}
	return rows
}

func fold(recipient string, item Item, covers map[cellKey]Cover) Cell {
	cover := covers[cellKey{recipient, item.Version}]
	cell := Cell{Item: item.ID, Looked: cover.Looked, Played: cover.Played, Bytes: cover.Bytes.Clip(coverage.Range{End: item.Size}),
		Proxied: cover.Proxied, Kept: cover.Kept}
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

// Gaps is how many stretches of an item of size bytes miss in what is there of
// it: 0 where nothing is there, and 0 where all is.
func Gaps(have coverage.Set, size int64) int {
	if have.Empty() {
		return 0
	}
	return len(have.Gaps(coverage.Range{End: size}))
}

func stand(cells []Cell, items []Item) (s Standing) {
	for j, item := range items {
		if !item.File {
			continue
		}
		cell := cells[j]
		s.Files++
		s.Owed += item.Size
		s.Delivered += cell.Bytes.Len()
		s.Gaps += Gaps(cell.Bytes, item.Size)
		s.LastCompleted = later(s.LastCompleted, cell.Completed)
		if cell.Complete {
			s.Whole++
		}
		if cell.Behind {
			s.Behind++
		}
	}
	return s
}

// Sum puts a standing into words for a recipient.
func (s Standing) Sum(r Recipient) Summary {
	mayTake := r.Rights.Has(right.Take)
	taken := s.Whole > 0 || s.Delivered > 0
	out := Summary{FirstOpened: s.FirstOpened, LastSeen: s.LastSeen, Delivered: s.Delivered, Owed: s.Owed}
	switch {
	case s.Files > 0 && s.Whole == s.Files:
		out.Status, out.Saying, out.Completed = Everything, "has everything", s.LastCompleted
	case taken:
		out.Status = Partly
		out.Brief = transfer.Size(s.Delivered) + " of " + transfer.Size(s.Owed)
		out.Saying = "has " + out.Brief
		if s.Gaps > 0 {
			out.Saying += ", " + count.Of(s.Gaps, "gap", "gaps")
		}
	case s.FirstOpened.IsZero() && s.LastSeen.IsZero():
		out.Status, out.Saying = NotOpened, "has not opened it"
	case mayTake:
		out.Status, out.Saying = HasOpened, "opened it, has taken nothing"
	default:
		out.Status, out.Saying = OnlyLooks, "looked, may not take"
	}
	if s.Behind > 0 {
		out.Saying += fmt.Sprintf("; %s of an older version", count.Of(s.Behind, "item is", "items are"))
	}
	out.Outstanding = mayTake && !r.Removed && s.Files > 0 && out.Status != Everything
	return out
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// earlier is the earlier of two moments, where a zero one is none.
func earlier(a, b time.Time) time.Time {
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}

// Brief is a cell in a word or two, for a narrow one; empty where nothing happened.
func (c Cell) Brief(size int64) string {
	switch {
	case c.Complete:
		return "took"
	case !c.Bytes.Empty():
		return transfer.Size(c.Bytes.Len()) + " of " + transfer.Size(size)
	case c.Behind:
		return "older version"
	case !c.Looked.IsZero() || !c.Played.Empty():
		return "looked"
	}
	return ""
}

// Say puts a cell into words, for an item of size bytes that plays for length
// milliseconds. clock words a length in microseconds.
func (c Cell) Say(size, length int64, clock func(us int64) string) string {
	said := ""
	switch {
	case c.Complete && !c.Kept.IsZero():
		said = "took it, " + transfer.Size(size) + ", found whole on their disk"
	case c.Complete && c.Proxied:
		said = "took it, " + transfer.Size(size) + ", as the proxy in front of the server took it"
	case c.Complete:
		said = "took it, " + transfer.Size(size)
	case !c.Bytes.Empty():
		said = fmt.Sprintf("%s of %s, %s", transfer.Size(c.Bytes.Len()), transfer.Size(size), count.Of(Gaps(c.Bytes, size), "gap", "gaps"))
	case c.Behind:
		said = "has an older version"
	}
	switch {
	case !c.Played.Empty():
		if said != "" {
			said += "; "
		}
		said += fmt.Sprintf("played %s of %s", clock(c.Played.Len()*1000), clock(length*1000))
	case said == "" && !c.Looked.IsZero():
		said = "looked at it"
	case said == "":
		said = "nothing yet"
	}
	return said
}
