package gather

import (
	"context"
	"slices"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/file/place"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Move puts things into a place; renditions go with the item that stands for them.
func (s *Selections) Move(ctx context.Context, m account.Member, sel Selection, to string) error {
	return s.into(ctx, m, sel, to, func(ctx context.Context, target Place, items []Item, places []Place) error {
		for _, p := range places {
			if err := s.movePlace(ctx, p, target); err != nil {
				return err
			}
		}
		return s.selectionRows.MoveItems(ctx, idsOf(items), target.ID)
	})
}

// Copy puts copies of things into a place. Bytes are not copied: a copy refers
// to the same ones.
func (s *Selections) Copy(ctx context.Context, m account.Member, sel Selection, to string) error {
	return s.into(ctx, m, sel, to, func(ctx context.Context, target Place, items []Item, places []Place) error {
		if err := s.copyItems(ctx, m, items, func(Item) string { return target.ID }); err != nil {
			return err
		}
		for _, p := range places {
			if err := s.copyPlace(ctx, m, p, target); err != nil {
				return err
			}
		}
		return nil
	})
}

// into does something with things and the place they go to, while nobody else
// changes places.
func (s *Selections) into(ctx context.Context, m account.Member, sel Selection, to string, do func(ctx context.Context, target Place,
	items []Item, places []Place) error) error {
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.places.teamRows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		target, items, places, err := s.target(ctx, m, sel, to)
		if err != nil {
			return err
		}
		if err := do(ctx, target, items, places); err != nil {
			return err
		}
		return s.places.gatherChanged(ctx, m.StudioID)
	})
}

func (s *Selections) target(ctx context.Context, m account.Member, sel Selection, to string) (Place, []Item, []Place, error) {
	target, err := s.places.placeIn(ctx, m.StudioID, to)
	if err != nil {
		return target, nil, nil, err
	}
	if !place.All.Get(target.Kind).Holds && len(sel.Items) > 0 {
		return target, nil, nil, ground.Clash("needs_project", "Files lie in projects. Choose or make a project of this client first.")
	}
	items, places, err := s.mine(ctx, m, sel)
	return target, items, places, err
}

func (s *Selections) copyItems(ctx context.Context, m account.Member, items []Item, place func(Item) string) error {
	renditions, err := s.things.thingRows.RenditionsOf(ctx, idsOf(items))
	if err != nil {
		return err
	}
	copies := map[string]string{}
	for _, item := range append(slices.Clone(items), renditions...) {
		if copies[item.ID] != "" {
			continue
		}
		copies[item.ID] = ground.NewID()
		to := place(item)
		name := item.Name
		if to == item.PlaceID {
			name, _ = naming.Free(name, func(try string) (bool, error) { return try == item.Name, nil })
		}
		if err := s.selectionRows.CopyItem(ctx, item.ID, copies[item.ID], to, name, m.ID); err != nil {
			return err
		}
		if lead := copies[item.RenditionOf]; lead != "" {
			if err := s.things.thingRows.SetRendition(ctx, []string{copies[item.ID]}, lead); err != nil {
				return err
			}
		}
		if err := s.things.Changed(ctx, m.StudioID, false, copies[item.ID]); err != nil {
			return err
		}
	}
	return nil
}

func (s *Selections) copyPlace(ctx context.Context, m account.Member, p, to Place) error {
	if err := fits(p, to); err != nil {
		return err
	}
	all, err := s.places.placeRows.Subplaces(ctx, []string{p.Path})
	if err != nil {
		return err
	}
	items, err := s.selectionRows.ItemsUnder(ctx, []string{p.ID})
	if err != nil {
		return err
	}
	copies := map[string]string{p.ParentID: to.ID}
	for _, from := range all { // parents come before what lies in them
		name := from.Name
		if from.ID == p.ID {
			if name, err = s.freeName(ctx, m.StudioID, to.ID, name); err != nil {
				return err
			}
		}
		made, _, err := s.places.makePlace(ctx, m.StudioID, copies[from.ParentID], name)
		if err != nil {
			return err
		}
		copies[from.ID] = made.ID
	}
	return s.copyItems(ctx, m, items, func(i Item) string { return copies[i.PlaceID] })
}

// fits refuses to put a kind of place where it does not belong: clients stay at
// the top, projects in clients, and nothing goes into itself.
func fits(p, to Place) error {
	if p.Kind == place.Client {
		return ground.Clash("client_stays", "A client stays at the top. Move its projects instead.")
	}
	if strings.HasPrefix(to.Path, p.Path) {
		return ground.Clash("into_itself", "A folder cannot go into itself. Nothing was moved.")
	}
	return nil
}

// freeName is a name that no place in parent has: "Stills", "Stills 2".
func (s *Selections) freeName(ctx context.Context, studio, parent, name string) (string, error) {
	return naming.Free(name, func(try string) (bool, error) {
		_, there, err := s.places.placeRows.PlaceNamed(ctx, studio, parent, try)
		return there, err
	})
}

// movePlace puts a place with all in it under another, or at the top of a client
// as a project. Its name gets a number where it is taken.
func (s *Selections) movePlace(ctx context.Context, p, to Place) error {
	if err := fits(p, to); err != nil {
		return err
	}
	if p.ParentID == to.ID {
		return nil
	}
	moved := p
	var err error
	if moved.Name, err = s.freeName(ctx, p.StudioID, to.ID, p.Name); err != nil {
		return err
	}
	moved.ParentID, moved.Path, moved.Kind = to.ID, to.Path+p.ID+"/", place.In(to.Kind)
	return s.places.placeRows.MovePlace(ctx, p, moved)
}
