package happen_test

import (
	"testing"

	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/happen"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEventsAreOnlyAppended(t *testing.T) {
	t.Parallel()
	store := apptest.Open(t, pg)
	parcel, _, lines := apptest.Parcel(t, store, 1, 10)
	written, err := happen.Rows{
		DB: store,
	}.InsertEvents(
		t.Context(),
		[]happen.Happening{{ParcelID: parcel, LineID: lines[0], Kind: event.Opened}},
	)
	require.NoError(t, err)
	require.True(t, written[0].First, "nobody had opened it before")
	for _, change := range []string{"update event set kind = 'sent'", "delete from event"} {
		_, err := store.Pool().Exec(t.Context(), change)
		assert.ErrorContains(t, err, "events are only appended")
	}
}
