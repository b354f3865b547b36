package proof

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"time"

	"aftergust/core/record/event"
)

// Settled is a document in which everything that the chain of events tells is said as it tells
// it: the title and door of the package, when it was sent and ends, how people were called, when
// they opened it first, and when they had an item whole. A proof is made so, and one that says
// anything else is refused: otherwise anyone with a key could change it without touching an event.
func (d Document) Settled() Document {
	d.People = slices.Clone(d.People)
	t := d.told()
	d.Package.SentAt, d.Package.Title, d.Package.Door, d.Package.EndsAt = t.sent, t.facts.Title, t.facts.Door, ""
	if t.facts.Ends != nil {
		d.Package.EndsAt = Moment(*t.facts.Ends)
	}
	held := map[string]string{}
	for _, i := range d.Items {
		held[i.ID] = i.Held
	}
	for i := range d.People {
		r := &d.People[i]
		if who, ok := t.called[r.ID]; ok {
			r.Name, r.Email = who.Name, who.Email
		}
		r.OpenedAt, r.Cells = t.opened[r.ID], slices.Clone(r.Cells)
		for n := range r.Cells {
			c := &r.Cells[n]
			if c.CompletedAt = ""; c.Complete {
				c.CompletedAt = t.took[r.ID+"/"+held[c.Item]]
			}
		}
	}
	return d
}

// told is what the events of a document tell of its head and its ledger.
type told struct {
	facts  event.Facts       // of the package, as the last event keeps them
	sent   string            // when it was sent first
	called map[string]Person // by line, as the last event about it has them
	opened map[string]string // by line, the first time
	took   map[string]string // by line/version, the first time
}

func (d Document) told() told {
	t := told{called: map[string]Person{}, opened: map[string]string{}, took: map[string]string{}}
	first := func(of map[string]string, key, at string) {
		if _, known := of[key]; !known {
			of[key] = at
		}
	}
	for _, e := range d.Events {
		var f event.Facts
		if json.Unmarshal([]byte(e.Facts), &f) == nil && f.Title != "" {
			t.facts = f
		}
		kind := event.Kind(e.Kind)
		if kind == event.Sent && t.sent == "" {
			t.sent = e.At
		}
		if e.LineID == "" {
			continue
		}
		if e.Line.Sum != "" {
			t.called[e.LineID] = e.Line
		}
		if event.All.Get(kind).Opens {
			first(t.opened, e.LineID, e.At)
		}
		if kind == event.Took {
			first(t.took, e.LineID+"/"+e.Version, e.At)
		}
	}
	return t
}

// follows refuses a document that says anything else than its events.
func (d Document) follows() error {
	s := d.Settled()
	if !reflect.DeepEqual(s.Package, d.Package) {
		return fmt.Errorf("the package: %w", ErrLedger)
	}
	for i, r := range s.People {
		if !reflect.DeepEqual(r, d.People[i]) {
			return fmt.Errorf("%s: %w", r.Name, ErrLedger)
		}
	}
	items := map[string]Item{}
	for _, i := range d.Items {
		items[i.Held] = i
	}
	for _, e := range d.Events {
		item, ok := items[e.Version]
		if event.Kind(e.Kind) != event.Took || !ok {
			continue
		}
		var f event.Facts
		if err := json.Unmarshal([]byte(e.Facts), &f); err != nil {
			return ErrForm
		}
		if f.Size != item.Size || f.Number != item.Number || f.SHA256 != "" && f.SHA256 != item.SHA256 {
			return fmt.Errorf("%s: %w", item.Name, ErrLedger)
		}
	}
	if _, err := time.Parse(momentLayout, d.MadeAt); err != nil {
		return ErrForm
	}
	return nil
}
