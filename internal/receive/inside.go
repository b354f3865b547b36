package receive

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"

	"aftergust/core/access"
	"aftergust/core/naming"
	"aftergust/core/right"
	"aftergust/internal/archive"
	"aftergust/internal/ground"
	"aftergust/internal/pack"
)

// Inside is what a recipient sees once they are through the door, a page at a time.
type Inside struct {
	Contents []pack.Content
	Covers   map[string]Cover // by version: what they have of what is on the page
}

// Inside lists what an entrant may see or take, after a place in the list.
func (s *Service) Inside(ctx context.Context, e Entrant, after pack.Place) (Inside, error) {
	see, take := e.Decide(right.See, false, s.now()), e.Decide(right.Take, false, s.now())
	if see != access.Allowed && take != access.Allowed {
		return Inside{}, Refusal(see)
	}
	contents, err := s.store.Contents(ctx, e.Parcel.ID, after, pack.ContentsPage)
	if err != nil {
		return Inside{}, err
	}
	versions := make([]string, len(contents))
	for i, c := range contents {
		versions[i] = c.VersionID
	}
	covers, err := s.store.CoversOf(ctx, e.Line.ID, versions)
	return Inside{Contents: contents, Covers: covers}, err
}

// Reach is an item of the entrant's package that they may use by verb.
func (s *Service) Reach(ctx context.Context, e Entrant, id string, verb right.Right) (pack.Content, error) {
	content, ok, err := s.store.ContentByID(ctx, id)
	if err != nil {
		return pack.Content{}, err
	}
	if !ok || content.ParcelID != e.Parcel.ID {
		// Through the door or not is said first, so that ids cannot be probed.
		if err := Refusal(e.Standing(s.now())); err != nil {
			return pack.Content{}, err
		}
		return pack.Content{}, ground.Missing("item")
	}
	return content, Refusal(e.Decide(verb, content.WithdrawnAt != nil, s.now()))
}

// Choose keeps which items of the package an entrant wants as one ZIP, and
// returns the id under which it is taken: the same choice has the same id.
func (s *Service) Choose(ctx context.Context, e Entrant, items []string) (string, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return "", err
	}
	items = slices.Clone(items)
	slices.Sort(items)
	items = slices.Compact(items)
	if len(items) == 0 {
		return "", ground.Wrong("items", "Choose what to take.")
	}
	sum := sha256.Sum256([]byte(e.Parcel.ID + "\n" + strings.Join(items, "\n")))
	id := base64.RawURLEncoding.EncodeToString(sum[:18])
	return id, s.store.KeepChoice(ctx, id, e.Parcel.ID, items)
}

// planKey names the state of a package's ZIP.
func (e Entrant) planKey(chosen string) string {
	return fmt.Sprintf("%s/%d/%s/%s", e.Parcel.ID, e.Parcel.ContentsRev, chosen, e.Parcel.Title)
}

// ArchiveReady is the plan of the whole package's ZIP if it is made already.
func (s *Service) ArchiveReady(e Entrant) *archive.Plan { return s.plans.Peek(e.planKey("")) }

// Archive plans the ZIP of what an entrant may take: what was chosen by Choose
// under an id, or everything where that is empty.
func (s *Service) Archive(ctx context.Context, e Entrant, chosen string) (*archive.Plan, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return nil, err
	}
	return s.plans.Get(ctx, e.planKey(chosen), func(ctx context.Context) (*archive.Plan, error) {
		var items []string
		if chosen != "" {
			kept, ok, err := s.store.ChoiceByID(ctx, chosen, e.Parcel.ID)
			if err != nil {
				return nil, err
			}
			if !ok {
				return nil, &ground.Error{Kind: ground.Gone, Code: "choice_gone",
					Say: "This choice is older than a week. Open the package and choose again; what you have downloaded is safe."}
			}
			items = kept
		}
		entries, err := s.store.Entries(ctx, e.Parcel.ID, items)
		if err != nil {
			return nil, err
		}
		if len(entries) < len(items) {
			return nil, ground.Missing("item in this package")
		}
		if len(entries) == 0 {
			return nil, ground.Clash("nothing_to_take", "There is nothing to download in this package.")
		}
		return archive.New(entries, naming.Portable(e.Parcel.Title)+".zip")
	})
}
