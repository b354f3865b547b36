package receive_test

import (
	"testing"
	"time"

	"aftergust/internal/apptest"
	"aftergust/internal/people"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: SI units: 25 MB in 10 s are 20 Mbit/s.
func TestHowFastSomebodyDownloadsIsKnownOnceThereIsAReceipt(t *testing.T) {
	h := apptest.Build(t, pg)
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example")
	e := h.Enter(lines[0], "one")
	rate := func() int64 {
		all, err := h.Book.List(t.Context(), h.Mara.StudioID, people.Query{})
		require.NoError(t, err)
		return all[0].Rate
	}
	require.NoError(t, h.Receive.Paced(t.Context(), e, 4_000_000, 10*time.Second))
	require.NoError(t, h.Receive.Paced(t.Context(), e, 25_000_000, time.Second))
	assert.Zero(t, rate(), "too short to say something")
	require.NoError(t, h.Receive.Paced(t.Context(), e, 25_000_000, 10*time.Second))
	assert.EqualValues(t, 20_000_000, rate())
	require.NoError(t, h.Receive.Paced(t.Context(), e, 125_000_000, 10*time.Second))
	assert.EqualValues(t, 40_000_000, rate(), "one good hour does not make a fast line")
	e.Studio = true
	require.NoError(t, h.Receive.Paced(t.Context(), e, 1e9, 10*time.Second))
	assert.EqualValues(t, 40_000_000, rate())
}
