package follow_test

import (
	"testing"
	"time"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPagesOfPackagesMeetWithoutGapOrOverlap(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, _, _ := apptest.Parcel(t, store, 0, 10)
	first, _, err := pack.Rows{DB: store}.ParcelByID(t.Context(), parcel)
	require.NoError(t, err)
	at := time.Now()
	for range 24 { // several share a moment, as after an import
		require.NoError(t, pack.Rows{DB: store}.InsertParcel(t.Context(), pack.Parcel{ID: ground.NewID(), StudioID: first.StudioID, Title: "x", Door: "open",
			CreatedBy: first.CreatedBy, CreatedAt: at}))
	}
	seen := map[string]bool{}
	query := follow.Query{Filter: follow.AllOf, Order: follow.Newest}
	for {
		page, err := follow.Rows{DB: store}.ParcelTable(t.Context(), first.StudioID, query, time.Now(), 7)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, p := range page {
			assert.False(t, seen[p.ID])
			seen[p.ID] = true
		}
		query.After = page[len(page)-1].ID
	}
	assert.Len(t, seen, 25)
}
