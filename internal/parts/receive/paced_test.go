package receive_test

import (
	"testing"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: SI units: 25 MB in 10 s are 20 Mbit/s.
func TestHowFastSomebodyDownloadsIsKnownOnceThereIsAReceipt(t *testing.T) {
	h := apptest.Build(t, pg)
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example")
	e := h.Enter(lines[0], "one")
	rate := func() int64 {
		require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
		all, err := h.Book.List(t.Context(), h.Mara.StudioID, people.Query{})
		require.NoError(t, err)
		return all[0].Rate
	}
	h.Receive.Paced(e, 4_000_000, 10*time.Second)
	h.Receive.Paced(e, 25_000_000, time.Second)
	assert.Zero(t, rate(), "too short to say something")
	h.Receive.Paced(e, 25_000_000, 10*time.Second)
	assert.EqualValues(t, 20_000_000, rate())
	h.Receive.Paced(e, 125_000_000, 10*time.Second)
	assert.EqualValues(t, 40_000_000, rate(), "one good hour does not make a fast line")
	e.Studio = true
	h.Receive.Paced(e, 1e9, 10*time.Second)
	assert.EqualValues(t, 40_000_000, rate())
}

func TestHowFastSomebodyIsWaitsForADatabaseThatWentAway(t *testing.T) {
	h := apptest.Build(t, pg)
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example", "ines@kelpwick.example")
	store := &flaky{CoverRows: receive.CoverRows{DB: h.Store}, down: true}
	service := recordingTo(h, store)
	service.Paced(h.Enter(lines[0], "one"), 25_000_000, 10*time.Second)
	service.Paced(h.Enter(lines[1], "two"), 25_000_000, 10*time.Second)
	require.ErrorContains(t, service.Recorder.Flush(t.Context()), "went away")
	service.Paced(h.Enter(lines[1], "two"), 50_000_000, 10*time.Second)
	store.down = false
	require.NoError(t, service.Recorder.Flush(t.Context()))
	rates := map[string]int64{}
	all, err := h.Book.List(t.Context(), h.Mara.StudioID, people.Query{})
	require.NoError(t, err)
	for _, p := range all {
		rates[p.Email] = p.Rate
	}
	assert.Equal(t, map[string]int64{"hanne@kelpwick.example": 20_000_000, "ines@kelpwick.example": 40_000_000}, rates)
}

func TestALinkThatIsNotToBePassedOnSaysWhenItIsOpenedElsewhere(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example", "tomos@gethin.example")
	no := false
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{PassOn: &no})
	require.NoError(t, err)
	open := func(line int, device string) {
		t.Helper()
		require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[line], device), "Europe/London"))
	}
	open(0, "laptop")
	open(0, "laptop")
	assert.Zero(t, happened(t, h, p.ID, event.SecondPlace))
	open(0, "phone")
	open(0, "phone")
	assert.Equal(t, 1, happened(t, h, p.ID, event.SecondPlace), "once for each device")
	shut, line := behind(t, h, door.Passphrase)
	_, err = h.Pack.ChangeLine(t.Context(), h.Mara, line.ID, pack.LineEdit{PassOn: &no})
	require.NoError(t, err)
	for _, device := range []string{"laptop", "phone"} {
		require.NoError(t, knock(t.Context(), h, h.Enter(line, device), passphrase, "10.0.0.1"))
	}
	assert.Equal(t, 1, happened(t, h, shut.ID, event.SecondPlace), "also through a door")
	open(1, "laptop of another")
	open(1, "phone of another")
	assert.Equal(t, 1, happened(t, h, p.ID, event.SecondPlace), "who may pass it on may")
}
