package studio

import (
	"context"
	"slices"

	"aftergust/core/naming"
)

// Move puts things into a place; renditions go with the item that stands for them.
func (s *Service) Move(ctx context.Context, m Member, sel Selection, to string) error {
	return s.into(ctx, m, sel, to, func(r Records, target Place, items []Item, places []Place) error {
		for _, p := range places {
			if err := s.movePlace(ctx, r, p, target); err != nil {
				return err
			}
		}
		return r.MoveItems(ctx, idsOf(items), target.ID)
	})
}

// Copy puts copies of things into a place. Bytes are not copied: a copy refers
// to the same ones.
func (s *Service) Copy(ctx context.Context, m Member, sel Selection, to string) error {
	return s.into(ctx, m, sel, to, func(r Records, target Place, items []Item, places []Place) error {
		if err := s.copyItems(ctx, r, m, items, func(Item) string { return target.ID }); err != nil {
			return err
		}
		for _, p := range places {
			if err := s.copyPlace(ctx, r, m, p, target); err != nil {
				return err
			}
		}
		return nil
	})
}

// into does something with things and the place they go to, while nobody else
// changes places.
func (s *Service) into(ctx context.Context, m Member, sel Selection, to string, do func(r Records, target Place, items []Item, places []Place) error) error {
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		target, items, places, err := s.target(ctx, r, m, sel, to)
		if err != nil {
			return err
		}
		if err := do(r, target, items, places); err != nil {
			return err
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
}

func (s *Service) target(ctx context.Context, r Records, m Member, sel Selection, to string) (Place, []Item, []Place, error) {
	target, err := s.placeIn(ctx, r, m.StudioID, to)
	if err != nil {
		return target, nil, nil, err
	}
	if target.Kind == "client" && len(sel.Items) > 0 {
		return target, nil, nil, conflict("needs_project", "Files lie in projects. Choose or make a project of this client first.")
	}
	items, places, err := s.mine(ctx, r, m, sel)
	return target, items, places, err
}

func (s *Service) copyItems(ctx context.Context, r Records, m Member, items []Item, place func(Item) string) error {
	renditions, err := r.RenditionsOf(ctx, idsOf(items))
	if err != nil {
		return err
	}
	copies := map[string]string{}
	for _, item := range append(slices.Clone(items), renditions...) {
		if copies[item.ID] != "" {
			continue
		}
		copies[item.ID] = NewID()
		to := place(item)
		name := item.Name
		if to == item.PlaceID {
			name, _ = naming.Free(name, func(try string) (bool, error) { return try == item.Name, nil })
		}
		if err := r.CopyItem(ctx, item.ID, copies[item.ID], to, name, m.ID); err != nil {
			return err
		}
		if lead := copies[item.RenditionOf]; lead != "" {
			if err := r.SetRendition(ctx, []string{copies[item.ID]}, lead); err != nil {
				return err
			}
		}
		if err := s.itemChanged(ctx, r, m.StudioID, copies[item.ID], false); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) copyPlace(ctx context.Context, r Records, m Member, p, to Place) error {
	if err := fits(p, to); err != nil {
		return err
	}
	all, err := r.Subplaces(ctx, []string{p.Path})
	if err != nil {
		return err
	}
	items, err := r.ItemsUnder(ctx, []string{p.ID})
	if err != nil {
		return err
	}
	copies := map[string]string{p.ParentID: to.ID}
	for _, from := range all { // parents come before what lies in them
		name := from.Name
		if from.ID == p.ID {
			if name, err = s.freeName(ctx, r, m.StudioID, to.ID, name); err != nil {
				return err
			}
		}
		made, _, err := s.makePlace(ctx, r, m.StudioID, copies[from.ParentID], name)
		if err != nil {
			return err
		}
		copies[from.ID] = made.ID
	}
	return s.copyItems(ctx, r, m, items, func(i Item) string { return copies[i.PlaceID] })
}
