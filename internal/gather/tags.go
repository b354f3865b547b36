package gather

import (
	"aftergust/core/naming"
	"aftergust/internal/account"
	"context"
	"slices"
	"strings"
)

const (
	maxTags = 40
	maxTag  = 60
)

// TidyTags are tags as they are kept: trimmed, each once.
func TidyTags(tags []string) []string {
	out := []string{}
	for _, t := range tags {
		if t = strings.Join(strings.Fields(strings.ReplaceAll(t, ",", " ")), " "); t == "" {
			continue
		}
		if t = naming.Clip(naming.Display(t), maxTag); !slices.Contains(out, t) && len(out) < maxTags {
			out = append(out, t)
		}
	}
	return out
}

// Tag puts tags on items and takes others off.
func (s *Selections) Tag(ctx context.Context, m account.Member, ids, add, remove []string) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.owned(ctx, m, Selection{Items: ids}); err != nil {
			return err
		}
		if err := s.store.TagItems(ctx, ids, TidyTags(add), remove); err != nil {
			return err
		}
		return s.things.Changed(ctx, m.StudioID, false, ids...)
	})
}
