package follow

import (
	"context"
	"fmt"
	"slices"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/record/ledger"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// An OutRow is one package on the Desk or in the list of packages.
type OutRow struct {
	Parcel    pack.Parcel
	State     state.State
	OpenNotes int
	Waiting   int    // letters that have not gone
	Client    string // empty where it is for none
	Strands   []Strand
}

// Share is how many have it, in words.
func (r OutRow) Share() string {
	have, may := 0, 0
	for _, s := range r.Strands {
		if s.Line.Rights.Has(right.Take) {
			may++
			if s.Sum().Status == ledger.Everything {
				have++
			}
		}
	}
	switch {
	case may == 0:
		return "only to look at"
	case have == may:
		return "everyone has it"
	default:
		return fmt.Sprintf("%d of %d have it", have, may)
	}
}

// A Strand is one line in the Horizon: what somebody has of a package.
type Strand struct {
	Line     pack.Line
	Standing ledger.Standing
}

// Person is the line as the ledger knows it.
func (s Strand) Person() ledger.Recipient {
	return ledger.Recipient{ID: s.Line.ID, Rights: s.Line.Rights, Removed: s.Line.RemovedAt != nil}
}

// Sum is the standing in words.
func (s Strand) Sum() ledger.Summary { return s.Standing.Sum(s.Person()) }

// A NeedKind is why something waits for the producer.
type NeedKind string

// What waits for the producer.
const (
	NeedNotes   NeedKind = "notes"   // open notes of recipients
	NeedAsked   NeedKind = "asked"   // somebody asks to be let in again
	NeedBlocked NeedKind = "blocked" // many wrong tries at a door
	NeedLetters NeedKind = "letters" // letters wait for the mail server
	NeedRoom    NeedKind = "room"    // previews wait for room on the disk
	NeedDamaged NeedKind = "damaged" // bytes that are kept are not what arrived
	NeedGoes    NeedKind = "goes"    // a draft goes by itself, and waits for its hour or for uploads
	NeedStays   NeedKind = "stays"   // a draft did not go by itself
	NeedHanded  NeedKind = "handed"  // somebody handed a draft to the one who looks
	NeedChanges NeedKind = "changes" // recipients want changes of what the package gives now
	NeedRound   NeedKind = "round"   // a round waits for people
)

// Names are all kinds of need.
func (NeedKind) Names() []NeedKind {
	return []NeedKind{NeedNotes, NeedAsked, NeedBlocked, NeedLetters, NeedRoom, NeedDamaged, NeedGoes,
		NeedStays, NeedHanded, NeedChanges, NeedRound}
}

// A Need is something on the Desk that waits for the producer.
type Need struct {
	Kind     NeedKind
	ParcelID string // empty where it is about no package
	Title    string
	Line     string // name of the person that it is about; empty for none
	Knock    string // id of what is asked; empty for all but NeedAsked
	Count    int
	At       time.Time
}

// An Order is how the table of packages is ordered.
type Order string

// The orders.
const (
	Newest Order = "newest" // what was begun last first
	Ends   Order = "ends"   // what ends first, or has, first
	Titles Order = "title"
	Weight Order = "weight" // the heaviest first
	Seen   Order = "seen"   // the last sign of life of anybody first
)

// Names are all orders.
func (Order) Names() []Order { return []Order{Newest, Ends, Titles, Weight, Seen} }

// A Filter is which packages the table shows.
type Filter string

// The filters.
const (
	AllOf   Filter = "all"
	Open    Filter = "open"    // out, and what ends soon of them
	Soon    Filter = "soon"    // ends within 48 hours
	Lacking Filter = "lacking" // open, and somebody has not everything
	Shut    Filter = "shut"    // closed, and held
	Cleared Filter = "cleared"
	Drafts  Filter = "drafts"
)

// Names are all filters.
func (Filter) Names() []Filter { return []Filter{AllOf, Open, Soon, Lacking, Shut, Cleared, Drafts} }

// A Query is what is asked of the table of packages.
type Query struct {
	Filter Filter
	Words  []string // each is in the title, or in a name or address on the waybill
	Order  Order
	After  string // id of the last package of the page before; empty for the first
}

// Table is one page of the studio's packages.
func (s *Service) Table(ctx context.Context, m account.Member, q Query, limit int) ([]OutRow, error) {
	if q.After != "" {
		if p, ok, err := s.packRows.ParcelByID(ctx, q.After); err != nil {
			return nil, err
		} else if !ok || p.StudioID != m.StudioID {
			return nil, ground.Wrong("after", "This place in the list is not there any more. Begin at the beginning.")
		}
	}
	now := s.now()
	parcels, err := s.rows.ParcelTable(ctx, m.StudioID, q, now, limit)
	if err != nil {
		return nil, err
	}
	return s.outRows(ctx, parcels, now)
}

// rows are packages with what stands in their rows.
func (s *Service) outRows(ctx context.Context, parcels []pack.Parcel, now time.Time) ([]OutRow, error) {
	if len(parcels) == 0 {
		return nil, nil
	}
	ids := make([]string, len(parcels))
	for i, p := range parcels {
		ids[i] = p.ID
	}
	strands, err := s.rows.Strands(ctx, ids, false)
	if err != nil {
		return nil, err
	}
	notes, err := s.rows.OpenNoteCounts(ctx, ids)
	if err != nil {
		return nil, err
	}
	waiting, err := s.rows.WaitingLetters(ctx, ids)
	if err != nil {
		return nil, err
	}
	clients, err := s.rows.ClientsOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := make([]OutRow, len(parcels))
	for i, p := range parcels {
		out[i] = OutRow{Parcel: p, State: p.State(now), OpenNotes: notes[p.ID], Waiting: waiting[p.ID], Client: clients[p.ID],
			Strands: strands[p.ID]}
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

// needsFor is how long somebody who asked, or failed at a door, stays on the Desk.
const needsFor = 14 * 24 * time.Hour

// Desk is what is out, what needs an answer, and what ends soon.
func (s *Service) Desk(ctx context.Context, m account.Member) (Desk, error) {
	now := s.now()
	out, err := s.Table(ctx, m, Query{Filter: Open, Order: Newest}, deskLimit)
	if err != nil {
		return Desk{}, err
	}
	needs, err := s.rows.NeedsYou(ctx, m.StudioID, m.ID, now.Add(-needsFor))
	if err != nil {
		return Desk{}, err
	}
	used, quota, err := s.keepRows.Usage(ctx, m.StudioID)
	if err != nil {
		return Desk{}, err
	}
	desk := Desk{Now: now, Out: out, Needs: needs, Used: used, Quota: quota}
	for _, row := range out {
		if row.Parcel.EndsAt != nil && row.Parcel.Loose > 0 {
			desk.Freed = append(desk.Freed, Freed{At: row.Parcel.EndsAt.Add(expiry.HoldAfterEnd), Bytes: row.Parcel.Loose})
		}
	}
	slices.SortFunc(desk.Freed, func(a, b Freed) int { return a.At.Compare(b.At) })
	return desk, nil
}

// lastShown is how many packages are shown of what went to somebody last.
const lastShown = 8

// LastTo is what went last to somebody in the contact book, with what they have of
// it as the one strand of each row.
func (s *Service) LastTo(ctx context.Context, m account.Member, person string) ([]OutRow, error) {
	parcels, strands, err := s.rows.LastTo(ctx, m.StudioID, person, lastShown)
	if err != nil {
		return nil, err
	}
	out := make([]OutRow, len(parcels))
	for i, p := range parcels {
		out[i] = OutRow{Parcel: p, State: p.State(s.now()), Strands: []Strand{strands[p.ID]}}
	}
	return out, nil
}
