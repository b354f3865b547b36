package gather

import (
	"context"
	"slices"

	"aftergust/core/file/thing"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Renditions are the other formats that an item stands for.
func (s *Things) Renditions(ctx context.Context, item string) ([]Item, error) {
	return s.thingRows.RenditionsOf(ctx, []string{item})
}

// Join makes items renditions of lead: the same thing in other formats, shown as one.
func (s *Selections) Join(ctx context.Context, m account.Member, lead string, others []string) error {
	others = slices.DeleteFunc(distinct(others), func(id string) bool { return id == lead })
	if len(others) == 0 {
		return ground.Wrong("items", "Choose at least two formats of one thing.")
	}
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		items, _, err := s.mine(ctx, m, Selection{Items: append([]string{lead}, others...)})
		if err != nil {
			return err
		}
		for _, item := range items {
			if item.Kind != thing.File {
				return ground.Clash("not_a_file", "Only files are renditions of each other.")
			}
			if item.ID == lead && item.RenditionOf != "" {
				return ground.Clash("is_rendition", "It is a rendition of another thing itself. Part them first.")
			}
		}
		inner, err := s.things.thingRows.RenditionsOf(ctx, others)
		if err != nil {
			return err
		}
		if err := s.things.thingRows.SetRendition(ctx, append(others, idsOf(inner)...), lead); err != nil {
			return err
		}
		return s.things.Changed(ctx, m.StudioID, false, lead)
	})
}

// Part makes a rendition a thing of its own again.
func (s *Things) Part(ctx context.Context, m account.Member, id string) error {
	if _, err := s.Item(ctx, m, id); err != nil {
		return err
	}
	return s.listRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.thingRows.SetRendition(ctx, []string{id}, ""); err != nil {
			return err
		}
		return s.Changed(ctx, m.StudioID, false, id)
	})
}

// Twins are items of the same place that have the stem of an item's name in
// another format, as are offered to be joined with it.
func (s *Things) Twins(ctx context.Context, i Item) ([]Item, error) {
	if i.PlaceID == "" || i.Kind != thing.File || i.RenditionOf != "" {
		return nil, nil
	}
	return s.thingRows.TwinsOf(ctx, i, 20)
}
