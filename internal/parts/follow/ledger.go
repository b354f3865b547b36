package follow

import (
	"context"

	"aftergust/core/record/ledger"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A Ledger is a page of the ledger of one package: some items across, all people
// down. What a row says as a whole is about all items.
type Ledger struct {
	Contents []pack.Content
	Strands  []Strand
	Rows     []ledger.Row
}

// Ledger folds a page of the records of one package, the items after a place in
// its contents. Receipts of the last second may be missing.
func (s *Service) Ledger(ctx context.Context, m account.Member, id string, after pack.Place) (Ledger, error) {
	if _, err := s.pack.ParcelOf(ctx, m, id); err != nil {
		return Ledger{}, err
	}
	contents, err := s.contentRows.Contents(ctx, id, after, pack.ContentsPage)
	if err != nil {
		return Ledger{}, err
	}
	strands, err := s.rows.Strands(ctx, []string{id}, true)
	if err != nil {
		return Ledger{}, err
	}
	l := Ledger{Contents: contents, Strands: strands[id]}
	items, versions := columns(contents)
	covers, err := s.coverRows.Covers(ctx, id, versions)
	if err != nil {
		return Ledger{}, err
	}
	people := make([]ledger.Recipient, len(l.Strands))
	for i, strand := range l.Strands {
		people[i] = strand.Person()
	}
	l.Rows = ledger.Fold(items, people, received(covers), nil)
	for i, strand := range l.Strands {
		l.Rows[i].Standing, l.Rows[i].Summary = strand.Standing, strand.Sum()
	}
	return l, nil
}

// columns are contents as the ledger knows them, and all versions that matter there.
func columns(contents []pack.Content) (items []ledger.Item, versions []string) {
	for _, c := range contents {
		items = append(items, ledger.Item{ID: c.ID, Version: c.VersionID, Older: c.Older, Size: c.Size, Length: c.Facts.LengthUS / 1000,
			File: true})
		versions = append(append(versions, c.VersionID), c.Older...)
	}
	return items, versions
}

func received(covers []receive.Cover) []ledger.Cover {
	out := make([]ledger.Cover, len(covers))
	for i, c := range covers {
		out[i] = ledger.Cover{Recipient: c.LineID, Version: c.VersionID, Bytes: c.Bytes, Played: c.Played,
			Completed: ground.When(c.CompletedAt), Looked: ground.When(c.LookedAt),
			Proxied: c.Proxied, Kept: ground.When(c.KeptAt)}
	}
	return out
}
