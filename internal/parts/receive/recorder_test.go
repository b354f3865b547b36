package receive_test

import (
	"context"
	"crypto/sha256"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/tries"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A flaky store fails where it is told to, after the database has done its part, and
// counts how often it was written to.
type flaky struct {
	receive.CoverRows
	down   bool
	writes int
}

func (f *flaky) AddCoverage(ctx context.Context, batch []receive.Receipts, now time.Time) ([]receive.Delivery, error) {
	f.writes++
	done, err := f.CoverRows.AddCoverage(ctx, batch, now)
	if f.down {
		err = errors.New("the database went away")
	}
	return done, err
}

func (f *flaky) SetRates(ctx context.Context, rates map[string]int64) error {
	if f.down {
		return errors.New("the database went away")
	}
	return f.CoverRows.SetRates(ctx, rates)
}

func recording(h *apptest.House) (*receive.Recorder, *flaky) {
	store := &flaky{CoverRows: receive.CoverRows{DB: h.Store}}
	return recordingTo(h, store).Recorder, store
}

func recordingTo(h *apptest.House, store *flaky) *receive.Service {
	service := receive.New(
		h.Store,
		people.NewBook(people.Rows{DB: h.Store}, h.Now),
		happen.New(happen.Rows{DB: h.Store}, h.Letters, h.Notices, h.Hooks),
		h.Letters,
		tries.New(tries.Rows{DB: h.Store}, h.Now),
		ground.NewKeys(h.Host.Secrets, h.Host.BaseURL),
		h.Pack,
		h.Now,
		slog.New(slog.DiscardHandler),
	)
	service.Recorder.WriteTo(store)
	return service
}

// got is what the ledger says that the first line has of the first item.
func got(t *testing.T, h *apptest.House, parcel string) string {
	t.Helper()
	l, err := h.Follow.Ledger(t.Context(), h.Mara, parcel, pack.Place{})
	require.NoError(t, err)
	return l.Rows[0].Cells[0].Bytes.String()
}

func TestReceiptsWaitForADatabaseThatWentAway(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	recorder, store := recording(h)
	to := h.Enter(lines[0], "one").Delivery(item.VersionID, item.Size)
	recorder.Delivered(to, coverage.Range{Start: 0, End: 4})
	store.down = true
	require.ErrorContains(t, recorder.Flush(t.Context()), "went away")
	assert.Equal(t, "{}", got(t, h, p.ID), "nothing of a flush that failed is there")
	recorder.Delivered(to, coverage.Range{Start: 6, End: 8}) // what comes meanwhile joins what waits
	require.Error(t, recorder.Flush(t.Context()))
	store.down = false
	require.NoError(t, recorder.Flush(t.Context()))
	assert.Equal(t, "{[0,4),[6,8)}", got(t, h, p.ID))
	assert.Zero(t, happened(t, h, p.ID, event.Took))

	recorder.Delivered(to, coverage.Range{Start: 2, End: 10})
	store.down = true
	require.Error(t, recorder.Flush(t.Context()))
	store.down = false
	require.NoError(t, recorder.Flush(t.Context()))
	require.NoError(t, recorder.Flush(t.Context()), "there is nothing left to write")
	assert.Equal(t, "{[0,10)}", got(t, h, p.ID))
	assert.Equal(t, 1, happened(t, h, p.ID, event.Took), "taken whole once")
	recorder.Delivered(to, coverage.Range{Start: 0, End: 10})
	require.NoError(t, recorder.Flush(t.Context()))
	assert.Equal(t, 1, happened(t, h, p.ID, event.Took), "and never again")
}

func TestAnEmptyFileIsTakenWholeByAskingForIt(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "empty.txt", "")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	recorder, store := recording(h)
	recorder.Delivered(h.Enter(lines[0], "one").Delivery(item.VersionID, 0), coverage.Range{})
	store.down = true
	require.Error(t, recorder.Flush(t.Context()))
	store.down = false
	require.NoError(t, recorder.Flush(t.Context()))
	assert.Equal(t, 1, happened(t, h, p.ID, event.Took))
}

func TestTheLastSecondIsWrittenWhenTheServerStops(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	recorder, _ := recording(h)
	ctx, stop := context.WithCancel(t.Context())
	over := make(chan struct{})
	go func() {
		defer close(over)
		recorder.Run(ctx)
	}()
	to := h.Enter(lines[0], "one").Delivery(item.VersionID, item.Size)
	recorder.Delivered(to, coverage.Range{Start: 0, End: 3})
	recorder.Hurry()
	apptest.Eventually(t, "the first receipt", func() bool { return got(t, h, p.ID) == "{[0,3)}" })
	recorder.Delivered(to, coverage.Range{Start: 3, End: 5})
	stop()
	<-over
	assert.Equal(t, "{[0,5)}", got(t, h, p.ID))
}

func TestWhoEndsAtOnceIsWrittenTogether(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", strings.Repeat("0", 200))
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	recorder, store := recording(h)
	to := h.Enter(lines[0], "one").Delivery(item.VersionID, item.Size)
	ctx, stop := context.WithCancel(t.Context())
	over := make(chan struct{})
	began := time.Now()
	go func() {
		defer close(over)
		recorder.Run(ctx)
	}()
	for at := range int64(200) {
		recorder.Delivered(to, coverage.Range{Start: at, End: at + 1})
		recorder.Hurry()
		time.Sleep(2 * time.Millisecond)
	}
	apptest.Eventually(t, "all of it", func() bool { return got(t, h, p.ID) == "{[0,200)}" })
	stop()
	<-over
	const first, last = 1, 1
	tenths := int(time.Since(began) / (100 * time.Millisecond))
	assert.LessOrEqual(t, store.writes, first+tenths+tenths/10+last, "ten times a second, and what the second itself asks for")
}

func TestAVisitIsWrittenOnTheDevicesClock(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	zone := func() string { return h.Enter(lines[0], "one").Line.Zone }
	require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[0], "one"), "Mars/Olympus"))
	assert.Empty(t, zone(), "what is no zone is not kept")
	require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[0], "one"), "America/New_York"))
	assert.Equal(t, "America/New_York", zone())
	require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[0], ""), "Europe/Paris"), "without a device nothing is kept")
	assert.Equal(t, "America/New_York", zone())
	assert.Equal(t, 2, happened(t, h, p.ID, event.Opened))
	studio := h.Enter(lines[0], "one")
	studio.Studio = true
	require.NoError(t, h.Receive.Visited(t.Context(), studio, "Europe/Paris"))
	require.NoError(t, h.Receive.Looked(t.Context(), studio, ""))
	assert.Equal(t, 2, happened(t, h, p.ID, event.Opened))
	assert.Zero(t, happened(t, h, p.ID, event.Looked))
}

// What a receipt can prove is kept with it: whether a proxy took bytes, and whether
// their page read the file back from the disk and found it whole.
func TestAReceiptSaysWhoTookItAndWhetherItIsWholeOnTheDisk(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "ines@kelpwick.example")
	e := h.Enter(lines[0], "one")
	inside, err := h.Receive.Inside(t.Context(), e, pack.Place{})
	require.NoError(t, err)
	content := inside.Contents[0]
	says := func() string {
		require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
		l, err := h.Follow.Ledger(t.Context(), h.Mara, p.ID, pack.Place{})
		require.NoError(t, err)
		return l.Rows[0].Cells[0].Say(item.Size, 0, nil)
	}
	sum := sha256.Sum256([]byte("0123456789"))
	require.NoError(t, keep.Rows{DB: h.Store}.SetSHA256(t.Context(), content.BlobID, sum[:], h.Now()))
	whole := func(e receive.Entrant, version string, sum []byte) string {
		return apptest.Code(t, h.Receive.FoundWhole(t.Context(), e, content.ID, version, sum))
	}
	assert.Equal(t, "nothing yet", says())

	behind := e
	behind.ByProxy = true
	h.Receive.Recorder.Delivered(behind.Delivery(content.VersionID, item.Size), coverage.Range{End: 4})
	h.Receive.Recorder.Delivered(e.Delivery(content.VersionID, item.Size), coverage.Range{Start: 4, End: 10})
	assert.Equal(t, "took it, 10 bytes, as the proxy in front of the server took it", says())
	assert.Equal(t, "not_whole", whole(e, content.VersionID, sum[:31]))
	assert.Equal(t, "not_whole", whole(e, "another", sum[:]))
	studio := e
	studio.Studio = true
	assert.Empty(t, whole(studio, content.VersionID, sum[:]))
	assert.Equal(t, "took it, 10 bytes, as the proxy in front of the server took it", says())
	assert.Empty(t, whole(e, content.VersionID, sum[:]))
	assert.Equal(t, "took it, 10 bytes, found whole on their disk", says())

	// Whoever says it without having taken anything has taken nothing.
	ines := h.Enter(lines[1], "two")
	assert.Empty(t, whole(ines, content.VersionID, sum[:]))
	l, err := h.Follow.Ledger(t.Context(), h.Mara, p.ID, pack.Place{})
	require.NoError(t, err)
	assert.Equal(t, "nothing yet", l.Rows[1].Cells[0].Say(item.Size, 0, nil))
}

// A process that is killed takes its last receipts with it. Who then took the rest would have
// the file, and the ledger would never say so.
func TestReceiptsThatGotLostAreConfirmedByWhoeverHasTheFileWhole(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "0123456789")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "ines@kelpwick.example", "tove@kelpwick.example")
	sum := sha256.Sum256([]byte("0123456789"))
	version := ""
	found := func(line int, parts ...coverage.Range) {
		t.Helper()
		e := h.Enter(lines[line], "one")
		inside, err := h.Receive.Inside(t.Context(), e, pack.Place{})
		require.NoError(t, err)
		content := inside.Contents[0]
		version = content.VersionID
		require.NoError(t, keep.Rows{DB: h.Store}.SetSHA256(t.Context(), content.BlobID, sum[:], h.Now()))
		for _, part := range parts {
			h.Receive.Recorder.Delivered(e.Delivery(content.VersionID, item.Size), part)
		}
		require.NoError(t, h.Receive.FoundWhole(t.Context(), e, content.ID, content.VersionID, sum[:]))
		require.NoError(t, h.Receive.FoundWhole(t.Context(), e, content.ID, content.VersionID, sum[:]))
	}
	waiting := func() (n int) {
		require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from river_job where kind = 'confirm'").Scan(&n))
		return n
	}
	events := func() (all []string) {
		story, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 100)
		require.NoError(t, err)
		for _, e := range story {
			if e.Kind == event.Confirmed || e.Kind == event.Took || e.Kind == event.HasAll {
				all = append(all, e.Say())
			}
		}
		return all
	}
	found(0, coverage.Range{End: 10}) // nothing is missing, or is still to be written down
	assert.Zero(t, waiting())
	assert.Len(t, events(), 2)

	found(1, coverage.Range{End: 3}, coverage.Range{Start: 6, End: 10})
	assert.Equal(t, 1, waiting(), "it waits once, for the receipts of others")
	assert.Len(t, events(), 2)
	require.NoError(t, h.Receive.Recorder.Confirm(t.Context(), lines[1].ID, version))
	require.NoError(t, h.Receive.Recorder.Confirm(t.Context(), lines[1].ID, version), "every job may run twice")
	all := events()
	require.Len(t, all, 5)
	assert.Equal(t, []string{"Ines has everything.", "Ines has a.mov to the last byte, 10 bytes.",
		"Ines’s page read a.mov back from disk and found it complete. The server had lost the receipts for 3 bytes of it; all of it now counts as delivered."},
		all[:3])

	found(2, coverage.Range{End: 4}) // more than half is missing: they have it from elsewhere
	require.NoError(t, h.Receive.Recorder.Confirm(t.Context(), lines[2].ID, version))
	require.NoError(t, h.Receive.Recorder.Confirm(t.Context(), "nobody", version))
	assert.Len(t, events(), 5)
}
