package gather

import (
	"context"
	"fmt"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// A Deletion is what was let go at once, to be taken back as one.
type Deletion struct {
	ID    string    `json:"id"`
	Name  string    `json:"name" doc:"what was deleted, in words"`
	Who   string    `json:"who"`
	At    time.Time `json:"at"`
	Until time.Time `json:"until" doc:"when it goes for good"`
	Items int64     `json:"items"`
	Size  int64     `json:"size" doc:"bytes"`
}

// Delete lets things go for thirty days and returns the deletion, by
// which it is undone. Packages keep what they have until they end.
func (s *Selections) Delete(ctx context.Context, m account.Member, sel Selection) (Deletion, error) {
	d := Deletion{ID: ground.NewID(), At: s.now(), Who: m.Name}
	d.Until = d.At.Add(expiry.LetGoHold)
	err := s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.places.teamRows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		items, places, err := s.mine(ctx, m, sel)
		if err != nil {
			return err
		}
		switch n := len(items) + len(places); {
		case n == 0:
			return ground.Wrong("items", "Choose what to delete.")
		case len(places) > 0:
			d.Name = places[0].Name
		default:
			d.Name = items[0].Name
		}
		if more := len(items) + len(places) - 1; more > 0 {
			d.Name += fmt.Sprintf(" and %d more", more)
		}
		if err := s.selectionRows.LetGoThings(ctx, d, m.StudioID, m.ID, sel); err != nil {
			return err
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
	return d, err
}

// LetGo lists what can still be taken back, the newest first.
func (s *Selections) LetGo(ctx context.Context, m account.Member) ([]Deletion, error) {
	all, err := s.selectionRows.LetGo(ctx, m.StudioID, s.now().Add(-expiry.LetGoHold))
	for i := range all {
		all[i].Until = all[i].At.Add(expiry.LetGoHold)
	}
	return all, err
}

func (s *Selections) deletionOf(ctx context.Context, m account.Member, id string) error {
	studio, ok, err := s.selectionRows.LetGoByID(ctx, id)
	if err == nil && (!ok || studio != m.StudioID) {
		err = ground.Missing("deletion")
	}
	return err
}

// Restore takes a deletion back. A place whose name is taken meanwhile gets the day of the deletion behind its own.
func (s *Selections) Restore(ctx context.Context, m account.Member, id string) error {
	if err := s.deletionOf(ctx, m, id); err != nil {
		return err
	}
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.places.teamRows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		under, err := s.selectionRows.TakeBack(ctx, id)
		if err != nil {
			return err
		}
		if under != "" {
			return ground.Clash("parent_let_go", "It lay in "+under+", which was let go too. Take that back first; nothing was changed.")
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
}

// Forget deletes a deletion for good. The bytes go when no package needs them.
func (s *Selections) Forget(ctx context.Context, m account.Member, id string) error {
	if err := s.deletionOf(ctx, m, id); err != nil {
		return err
	}
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.selectionRows.ForgetLetGo(ctx, id); err != nil {
			return err
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
}
