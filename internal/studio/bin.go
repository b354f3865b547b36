package studio

import (
	"context"
	"fmt"
	"time"
)

// binHold is how long the bin keeps things.
const binHold = 30 * 24 * time.Hour

// A Deletion is what was put in the bin at once, to be taken back as one.
type Deletion struct {
	ID    string    `json:"id"`
	Name  string    `json:"name" doc:"what was deleted, in words"`
	Who   string    `json:"who"`
	At    time.Time `json:"at"`
	Until time.Time `json:"until" doc:"when it goes for good"`
	Items int64     `json:"items"`
	Size  int64     `json:"size" doc:"bytes"`
}

type binRecords interface {
	// BinThings marks the items and places, and all that lies in the places, as
	// deleted. What is in the bin already stays with its own deletion.
	BinThings(ctx context.Context, d Deletion, studio, member string, sel Selection) error
	Bin(ctx context.Context, studio string, since time.Time) ([]Deletion, error)
	BinByID(ctx context.Context, id string) (studio string, ok bool, err error)
	// Unbin takes a deletion back. It reports a name whose own parent is still in
	// the bin, where there is one; nothing is changed then.
	Unbin(ctx context.Context, id string) (under string, err error)
	// EmptyBin forgets a deletion, so that it cannot be taken back.
	EmptyBin(ctx context.Context, id string) error
}

// Delete puts things in the bin for thirty days and returns the deletion, by
// which it is undone. Packages keep what they have until they end.
func (s *Service) Delete(ctx context.Context, m Member, sel Selection) (Deletion, error) {
	d := Deletion{ID: NewID(), At: s.now(), Who: m.Name}
	d.Until = d.At.Add(binHold)
	err := s.records.Tx(ctx, func(r Records) error {
		if err := r.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		items, places, err := s.mine(ctx, r, m, sel)
		if err != nil {
			return err
		}
		switch n := len(items) + len(places); {
		case n == 0:
			return invalid("items", "Choose what to delete.")
		case len(places) > 0:
			d.Name = places[0].Name
		default:
			d.Name = items[0].Name
		}
		if more := len(items) + len(places) - 1; more > 0 {
			d.Name += fmt.Sprintf(" and %d more", more)
		}
		if err := r.BinThings(ctx, d, m.StudioID, m.ID, sel); err != nil {
			return err
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
	return d, err
}

// Bin lists what can still be taken back, the newest first.
func (s *Service) Bin(ctx context.Context, m Member) ([]Deletion, error) {
	all, err := s.records.Bin(ctx, m.StudioID, s.now().Add(-binHold))
	for i := range all {
		all[i].Until = all[i].At.Add(binHold)
	}
	return all, err
}

func (s *Service) deletionOf(ctx context.Context, m Member, id string) error {
	studio, ok, err := s.records.BinByID(ctx, id)
	if err == nil && (!ok || studio != m.StudioID) {
		err = notFound("deletion in the bin")
	}
	return err
}

// Restore takes a deletion back. A place whose name is taken meanwhile gets a number.
func (s *Service) Restore(ctx context.Context, m Member, id string) error {
	if err := s.deletionOf(ctx, m, id); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		under, err := r.Unbin(ctx, id)
		if err != nil {
			return err
		}
		if under != "" {
			return conflict("parent_in_bin", "It lay in "+under+", which is in the bin too. Take that back first; nothing was changed.")
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
}

// Forget deletes a deletion for good. The bytes go when no package needs them.
func (s *Service) Forget(ctx context.Context, m Member, id string) error {
	if err := s.deletionOf(ctx, m, id); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.EmptyBin(ctx, id); err != nil {
			return err
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
}
