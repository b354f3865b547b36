package follow

import (
	"context"
	"fmt"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/ledger"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
)

// An Act is the first and last event of a kind, of a line on a version.
type Act struct {
	LineID, VersionID string
	Kind              event.Kind
	First, Last       time.Time
}

// Held is what a studio holds.
type Held struct {
	Studio            string
	Held, HeldSum     int64 // bytes: as kept, and as added up from the blobs
	Arriving, Uploads int64 // bytes: as kept, and as added up from the uploads
}

// A Verifier rebuilds what is kept where it changes (standings, weights, what a
// studio holds) from what it is made of (events, coverage, blobs), and names any
// difference.
type Verifier struct {
	rows        Rows
	verifyRows  VerifyRows
	contentRows pack.ContentRows
	coverRows   receive.CoverRows
}

// NewVerifier makes a verifier.
func NewVerifier(store *db.DB) *Verifier {
	return &Verifier{Rows{store}, VerifyRows{store}, pack.ContentRows{DB: store}, receive.CoverRows{DB: store}}
}

// A Difference is something that is kept and is not what its parts come to.
type Difference struct {
	What string // package, line or studio, with its id
	Kept string
	Is   string
}

func (d Difference) String() string { return fmt.Sprintf("%s: kept %s, is %s", d.What, d.Kept, d.Is) }

// parcelsAtOnce is how many packages are looked at in one snapshot.
const parcelsAtOnce = 100

// Verify looks at everything and tells each difference to found. With mend set,
// what is kept is set to what it should be. It returns how many packages it saw.
func (v *Verifier) Verify(ctx context.Context, mend bool, found func(Difference)) (packages int, err error) {
	if err := v.verifyRows.Snapshot(ctx, mend, func(ctx context.Context) error { return v.studios(ctx, mend, found) }); err != nil {
		return 0, err
	}
	for after, more := "", true; more; {
		err := v.verifyRows.Snapshot(ctx, mend, func(ctx context.Context) error {
			parcels, err := v.verifyRows.Parcels(ctx, after, parcelsAtOnce)
			if err != nil {
				return err
			}
			more = len(parcels) == parcelsAtOnce
			for _, p := range parcels {
				if err := v.parcel(ctx, p, mend, found); err != nil {
					return fmt.Errorf("package %s: %w", p.ID, err)
				}
				after = p.ID
				packages++
			}
			return nil
		})
		if err != nil {
			return packages, err
		}
	}
	return packages, nil
}

// VerifyPackage is Verify for one package; one that does not exist has no differences.
func (v *Verifier) VerifyPackage(ctx context.Context, id string, mend bool, found func(Difference)) error {
	return v.verifyRows.Snapshot(ctx, mend, func(ctx context.Context) error {
		p, ok, err := pack.Rows{DB: v.rows.DB}.ParcelByID(ctx, id)
		if err != nil || !ok {
			return err
		}
		return v.parcel(ctx, p, mend, found)
	})
}

func (v *Verifier) studios(ctx context.Context, mend bool, found func(Difference)) error {
	all, err := v.verifyRows.Studios(ctx)
	if err != nil {
		return err
	}
	for _, h := range all {
		if h.Held == h.HeldSum && h.Arriving == h.Uploads {
			continue
		}
		found(
			Difference{
				"studio " + h.Studio,
				fmt.Sprintf("%d bytes held, %d arriving", h.Held, h.Arriving),
				fmt.Sprintf("%d bytes held, %d arriving", h.HeldSum, h.Uploads),
			},
		)
		if mend {
			if err := v.verifyRows.SetHeld(ctx, h.Studio, h.HeldSum, h.Uploads); err != nil {
				return err
			}
		}
	}
	return nil
}

func (v *Verifier) parcel(ctx context.Context, p pack.Parcel, mend bool, found func(Difference)) error {
	items, weight, loose, err := v.verifyRows.Weights(ctx, p.ID)
	if err != nil {
		return err
	}
	if p.Items != items || p.Weight != weight || p.Loose != loose {
		found(
			Difference{
				"package " + p.ID,
				fmt.Sprintf("%d items, %d bytes, %d loose", p.Items, p.Weight, p.Loose),
				fmt.Sprintf("%d items, %d bytes, %d loose", items, weight, loose),
			},
		)
		if mend {
			if err := v.verifyRows.SetTotals(ctx, p.ID, items, weight, loose); err != nil {
				return err
			}
		}
	}
	return v.lines(ctx, p, mend, found)
}

func (v *Verifier) lines(ctx context.Context, p pack.Parcel, mend bool, found func(Difference)) error {
	unstood, err := v.verifyRows.Unstood(ctx, p.ID, mend)
	if err != nil {
		return err
	}
	for _, line := range unstood {
		found(Difference{"line " + line + " of package " + p.ID, "no standing", "one for each line"})
	}
	strands, err := v.rows.Strands(ctx, []string{p.ID}, true)
	if err != nil || len(strands[p.ID]) == 0 {
		return err
	}
	contents, err := v.contentRows.Contents(ctx, p.ID, pack.Place{}, pack.MaxItems)
	if err != nil {
		return err
	}
	claimed, denied, err := v.verifyRows.Contradicted(ctx, p.ID, mend)
	if err != nil {
		return err
	}
	if claimed+denied > 0 {
		found(Difference{"receipts of package " + p.ID, fmt.Sprintf("%d complete without an event, %d incomplete against one", claimed, denied),
			"what its events tell"})
	}
	if n, err := v.verifyRows.Miscounted(ctx, p.ID, mend); err != nil {
		return err
	} else if n > 0 {
		found(Difference{"receipts of package " + p.ID, fmt.Sprintf("%d counted wrongly", n), "0"})
	}
	columns, versions := columns(contents)
	covers, err := v.coverRows.Covers(ctx, p.ID, versions)
	if err != nil {
		return err
	}
	acts, err := v.verifyRows.Acts(ctx, p.ID)
	if err != nil {
		return err
	}
	var events []ledger.Event
	for _, a := range acts {
		for _, at := range []time.Time{a.First, a.Last} {
			events = append(events, ledger.Event{Recipient: a.LineID, Version: a.VersionID, Kind: a.Kind, At: at})
		}
	}
	people := make([]ledger.Recipient, len(strands[p.ID]))
	for i, s := range strands[p.ID] {
		people[i] = s.Person()
	}
	for i, row := range ledger.Fold(columns, people, received(covers), events) {
		kept := strands[p.ID][i]
		if same(kept.Standing, row.Standing) {
			continue
		}
		found(Difference{"line " + kept.Line.ID + " of package " + p.ID, fmt.Sprintf("%+v", kept.Standing), fmt.Sprintf("%+v", row.Standing)})
		if mend {
			if err := v.verifyRows.SetStanding(ctx, kept.Line.ID, row.Standing); err != nil {
				return err
			}
		}
	}
	return nil
}

// same compares what is kept of two standings: what there is to take is kept with
// the package. Moments are compared as moments, whatever their zone.
func same(a, b ledger.Standing) bool {
	a.Files, a.Owed = b.Files, b.Owed
	if !a.FirstOpened.Equal(b.FirstOpened) || !a.LastSeen.Equal(b.LastSeen) || !a.LastCompleted.Equal(b.LastCompleted) {
		return false
	}
	a.FirstOpened, a.LastSeen, a.LastCompleted = b.FirstOpened, b.LastSeen, b.LastCompleted
	return a == b
}
