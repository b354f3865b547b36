package tally_test

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

func TestReceiptsFromManyProcessesCompleteEachRecipientExactlyOnce(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	const people, pieces, size = 6, 40, 4000
	parcel, version, lines := apptest.Parcel(t, store, people, size)
	completed := make(chan receive.Delivery, people*pieces)
	var group errgroup.Group
	for range 4 { // four processes, each with every piece in an order of its own
		group.Go(func() error {
			for _, piece := range rand.Perm(pieces) {
				var batch []receive.Receipts
				for _, r := range lines {
					from := int64(piece) * size / pieces
					batch = append(batch, receive.Receipts{Delivery: receive.Delivery{Parcel: parcel, Line: r, Version: version, Size: size},
						Bytes: coverage.Of(coverage.Range{Start: from, End: from + size/pieces})})
				}
				if err := store.Tx(context.Background(), func(ctx context.Context) error {
					done, err := (receive.CoverRows{DB: store}).AddCoverage(ctx, batch, time.Now())
					for _, d := range done {
						completed <- d
					}
					return err
				}); err != nil {
					return err
				}
			}
			return nil
		})
	}
	require.NoError(t, group.Wait())
	close(completed)
	seen := map[string]int{}
	for d := range completed {
		seen[d.Line]++
	}
	assert.Len(t, seen, people)
	for _, n := range seen {
		assert.Equal(t, 1, n)
	}
}
