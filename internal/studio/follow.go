package studio

import (
	"context"
	"slices"
	"time"

	"aftergust/core/coverage"
	"aftergust/core/expiry"
	"aftergust/core/ledger"
)

// An Event is something that happened to a package. Events are only appended.
type Event struct {
	ID          int64
	StudioID    string
	ParcelID    string
	RecipientID string
	MemberID    string
	VersionID   string
	Kind        string
	At          time.Time
}

// The kinds of event. Those that the ledger folds carry its names.
const (
	EventSent      = "sent"
	EventStopped   = "stopped"
	EventExtended  = "extended"
	EventCleared   = "cleared"
	EventAdded     = "recipient_added"
	EventRemoved   = "recipient_removed"
	EventRights    = "rights_changed"
	EventWithdrawn = "item_withdrawn"
	EventReminded  = "reminded"
	EventOpened    = string(ledger.Opened)
	EventLooked    = string(ledger.Looked)
	EventTook      = "took" // every byte of a version was delivered
	EventNoted     = "noted"
	EventDone      = "note_done"
	EventBlocked   = "door_blocked"
	EventAsked     = "asked"
)

// A Cover is what a recipient got of a version.
type Cover struct {
	RecipientID string
	VersionID   string
	Bytes       coverage.Set
	Played      coverage.Set // milliseconds
	CompletedAt *time.Time
}

// A Tally is the newest act of one recipient on one version, or on the package.
type Tally struct {
	RecipientID string
	VersionID   string
	Kind        string
	First, Last time.Time
}

// An OutRow is one package on the Desk or in the list of packages.
type OutRow struct {
	Parcel     Parcel
	State      expiry.State
	Items      int
	Weight     int64 // bytes
	Loose      int64 // of these, bytes that lie in no project and go with the package
	OpenNotes  int
	Waiting    int // letters that have not gone
	Recipients []Strand
}

// A Strand is one recipient's line in the Horizon.
type Strand struct {
	Recipient Recipient
	Row       ledger.Row
}

type followRecords interface {
	InsertEvent(ctx context.Context, e Event) error
	Events(ctx context.Context, parcel string, before int64, limit int) ([]Event, error)
	Tallies(ctx context.Context, parcels []string) (map[string][]Tally, error)
	Covers(ctx context.Context, parcels []string) (map[string][]Cover, error)
	ContentsOf(ctx context.Context, parcels []string) (map[string][]Content, error)
	RecipientsOf(ctx context.Context, parcels []string) (map[string][]Recipient, error)
	AddCoverage(ctx context.Context, batch []Receipts, now time.Time) (completed []Delivery, err error)
	ParcelPage(ctx context.Context, studio string, onlyOut bool, now time.Time, after Cursor, limit int) ([]Parcel, error)
	OpenNoteCounts(ctx context.Context, parcels []string) (map[string]int, error)
	WaitingLetters(ctx context.Context, parcels []string) (map[string]int, error)
	NeedsYou(ctx context.Context, studio string, since time.Time) ([]Need, error)
	ClearParcels(ctx context.Context, now, endedBefore time.Time) ([]Parcel, error)
}

// A Cursor is where a page of packages begins: after this one. The zero Cursor is the start.
type Cursor struct {
	CreatedAt time.Time
	ID        string
}

// A Need is something on the Desk that waits for the producer.
type Need struct {
	Kind      string // notes, asked, blocked, letters
	ParcelID  string
	Title     string
	Recipient string
	Count     int
	At        time.Time
}

func fold(contents []Content, recipients []Recipient, covers []Cover, tallies []Tally) []ledger.Row {
	items := make([]ledger.Item, len(contents))
	for i, c := range contents {
		items[i] = ledger.Item{ID: c.ID, Version: c.VersionID, Older: c.Older, Size: c.Size, Length: c.Facts.LengthUS / 1000, File: true}
	}
	people := make([]ledger.Recipient, len(recipients))
	for i, r := range recipients {
		people[i] = ledger.Recipient{ID: r.ID, Rights: r.Rights, Removed: r.RemovedAt != nil}
	}
	got := make([]ledger.Cover, len(covers))
	for i, c := range covers {
		got[i] = ledger.Cover{Recipient: c.RecipientID, Version: c.VersionID, Bytes: c.Bytes, Played: c.Played, Completed: when(c.CompletedAt)}
	}
	var events []ledger.Event
	for _, t := range tallies {
		for _, at := range []time.Time{t.First, t.Last} {
			events = append(events, ledger.Event{Recipient: t.RecipientID, Version: t.VersionID, Kind: ledger.EventKind(t.Kind), At: at})
		}
	}
	return ledger.Fold(items, people, got, events)
}

// A Ledger is the ledger of one package with its columns and rows.
type Ledger struct {
	Contents   []Content
	Recipients []Recipient
	Rows       []ledger.Row
}

// Ledger folds the records of one package. Receipts of the last second may be missing.
func (s *Service) Ledger(ctx context.Context, m Member, id string) (Ledger, error) {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return Ledger{}, err
	}
	rows, err := s.strands(ctx, []string{id})
	if err != nil {
		return Ledger{}, err
	}
	return rows[id], nil
}

// strands folds the records of several packages at once, with a fixed number of queries.
func (s *Service) strands(ctx context.Context, parcels []string) (map[string]Ledger, error) {
	contents, err := s.records.ContentsOf(ctx, parcels)
	if err != nil {
		return nil, err
	}
	recipients, err := s.records.RecipientsOf(ctx, parcels)
	if err != nil {
		return nil, err
	}
	covers, err := s.records.Covers(ctx, parcels)
	if err != nil {
		return nil, err
	}
	tallies, err := s.records.Tallies(ctx, parcels)
	if err != nil {
		return nil, err
	}
	out := make(map[string]Ledger, len(parcels))
	for _, id := range parcels {
		items := present(contents[id])
		out[id] = Ledger{Contents: items, Recipients: recipients[id], Rows: fold(items, recipients[id], covers[id], tallies[id])}
	}
	return out, nil
}

// Packages is one page of the studio's packages, newest first, with their rows.
func (s *Service) Packages(ctx context.Context, m Member, onlyOut bool, after Cursor, limit int) ([]OutRow, error) {
	now := s.now()
	parcels, err := s.records.ParcelPage(ctx, m.StudioID, onlyOut, now, after, limit)
	if err != nil || len(parcels) == 0 {
		return nil, err
	}
	ids := make([]string, len(parcels))
	for i, p := range parcels {
		ids[i] = p.ID
	}
	ledgers, err := s.strands(ctx, ids)
	if err != nil {
		return nil, err
	}
	notes, err := s.records.OpenNoteCounts(ctx, ids)
	if err != nil {
		return nil, err
	}
	waiting, err := s.records.WaitingLetters(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := make([]OutRow, len(parcels))
	for i, p := range parcels {
		l := ledgers[p.ID]
		row := OutRow{Parcel: p, State: p.State(now), Items: len(l.Contents), OpenNotes: notes[p.ID], Waiting: waiting[p.ID]}
		for _, c := range l.Contents {
			row.Weight += c.Size
			if c.Loose {
				row.Loose += c.Size
			}
		}
		for j, r := range l.Recipients {
			if r.RemovedAt == nil {
				row.Recipients = append(row.Recipients, Strand{r, l.Rows[j]})
			}
		}
		out[i] = row
	}
	return out, nil
}

// A Desk is the producer's first screen.
type Desk struct {
	Now   time.Time
	Out   []OutRow
	Needs []Need
	Used  int64 // bytes
	Quota int64
	Freed []Freed
}

// Freed is how much comes back when a package that is out is cleared.
type Freed struct {
	At    time.Time
	Bytes int64
}

// deskLimit is how many packages that are out the Desk shows.
const deskLimit = 200

// Desk is what is out, what needs an answer, and what ends soon.
func (s *Service) Desk(ctx context.Context, m Member) (Desk, error) {
	now := s.now()
	out, err := s.Packages(ctx, m, true, Cursor{}, deskLimit)
	if err != nil {
		return Desk{}, err
	}
	needs, err := s.records.NeedsYou(ctx, m.StudioID, now.Add(-14*24*time.Hour))
	if err != nil {
		return Desk{}, err
	}
	used, quota, err := s.records.Usage(ctx, m.StudioID)
	if err != nil {
		return Desk{}, err
	}
	desk := Desk{Now: now, Out: out, Needs: needs, Used: used, Quota: quota}
	for _, row := range out {
		if row.Parcel.EndsAt != nil && row.Loose > 0 {
			desk.Freed = append(desk.Freed, Freed{At: row.Parcel.EndsAt.Add(holdAfterEnd), Bytes: row.Loose})
		}
	}
	slices.SortFunc(desk.Freed, func(a, b Freed) int { return a.At.Compare(b.At) })
	return desk, nil
}

// Story is what happened to a package, newest first, before the event before (0: from the newest).
func (s *Service) Story(ctx context.Context, m Member, id string, before int64, limit int) ([]Event, error) {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.records.Events(ctx, id, before, limit)
}
