package gather

import (
	"context"
	"slices"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
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
	return s.selectionRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.owned(ctx, m, Selection{Items: ids}); err != nil {
			return err
		}
		for some := range slices.Chunk(distinct(ids), refreshedAtOnce) {
			if err := s.tag(ctx, some, TidyTags(add), remove); err != nil {
				return err
			}
		}
		return s.things.given(ctx, m.StudioID, false, ids)
	})
}

// tag writes tags and the words under which items are found together, so that each
// row is written once.
func (s *Selections) tag(ctx context.Context, ids, add, remove []string) error {
	all, err := s.things.thingRows.Searched(ctx, ids)
	if err != nil {
		return err
	}
	found, tags, words := make([]string, len(all)), make([][]string, len(all)), make([]string, len(all))
	for i, one := range all {
		one.Tags = retagged(one.Tags, add, remove)
		found[i], tags[i], words[i] = one.ID, one.Tags, strings.Join(one.words(), " ")
	}
	return s.selectionRows.TagItems(ctx, found, tags, words)
}

// retagged are tags without those that are removed, and with those that are added
// at the end.
func retagged(tags, add, remove []string) []string {
	out := slices.DeleteFunc(slices.Clone(tags), func(t string) bool { return slices.Contains(remove, t) })
	for _, t := range add {
		if !slices.Contains(tags, t) {
			out = append(out, t)
		}
	}
	return ground.OrEmpty(out)
}
