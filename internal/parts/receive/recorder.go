package receive

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/transfer"
	"aftergust/core/record/event"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/happen"
)

// A Delivery is where receipts belong: one version that reaches one line.
type Delivery struct {
	Studio, Parcel, Line, Way, Version string
	Size                               int64 // of the whole original, in bytes
	Proxied                            bool  // a proxy in front of us takes it, and hands it on
}

// Delivery is the address of receipts for a version of size bytes that goes to
// an entrant.
func (e Entrant) Delivery(version string, size int64) Delivery {
	return Delivery{Studio: e.Parcel.StudioID, Parcel: e.Parcel.ID, Line: e.Line.ID, Way: e.Line.WayID, Version: version, Size: size,
		Proxied: e.ByProxy}
}

// Receipts is what was gathered for one line and version since the last flush.
type Receipts struct {
	Delivery
	Bytes  coverage.Set
	Played coverage.Set // milliseconds
	Whole  bool         // an empty file was fetched; there are no bytes to show for it
}

// A Cover is what a line got of a version.
type Cover struct {
	LineID      string
	VersionID   string
	Bytes       coverage.Set
	Played      coverage.Set // milliseconds
	CompletedAt *time.Time
	LookedAt    *time.Time
	Proxied     bool       // some of it was acknowledged by a proxy in front of us
	KeptAt      *time.Time // when their page found it whole on their disk
}

// TakeBeat is how long whoever downloads is here after their last receipt; those come each second.
const TakeBeat = 4 * time.Second

// covers is where receipts are written: CoverRows, or in tests what fails.
type covers interface {
	AddCoverage(ctx context.Context, batch []Receipts, now time.Time) (completed []Delivery, err error)
	KeptInPart(ctx context.Context, line, version string) (d Delivery, had coverage.Set, ok bool, err error)
	SetRates(ctx context.Context, rates map[string]int64) error
}

// A Recorder gathers receipts in memory and writes them about once a second,
// for any number of running downloads in a few statements. It may lose the last
// second in a crash; it never writes a byte that was not delivered.
type Recorder struct {
	rows    Rows
	covers  covers
	events  *happen.Log
	now     func() time.Time
	log     *slog.Logger
	mu      sync.Mutex
	pending map[receiptKey]*gathered
	rates   map[string]int64 // of people whose download ended, in bits a second
	flushMu sync.Mutex
	wake    chan struct{}
}

type receiptKey struct{ line, version string }

// gathered is receipts as they come in.
type gathered struct {
	Receipts
	came coverage.Gathering // what Bytes will be
}

// flushEvery is the longest that a receipt waits in memory, hurryEvery the longest that
// one waits for which somebody hurries: downloads that end at once are written together.
const (
	flushEvery = time.Second
	hurryEvery = 100 * time.Millisecond
)

// writtenAtOnce is how many receipts one transaction writes: of a ZIP of very many
// small files each part is written for good before the next begins.
const writtenAtOnce = 1000

// lastFlush is how long the last receipts have when the server stops.
const lastFlush = 30 * time.Second

func newRecorder(store *db.DB, events *happen.Log, now func() time.Time, log *slog.Logger) *Recorder {
	return &Recorder{rows: Rows{store}, covers: CoverRows{store}, events: events, now: now, log: log,
		pending: map[receiptKey]*gathered{}, rates: map[string]int64{}, wake: make(chan struct{}, 1)}
}

// Delivered adds a range of bytes.
func (r *Recorder) Delivered(d Delivery, bytes coverage.Range) {
	r.add(d, func(have *gathered) {
		have.came.Add(bytes)
		have.Whole = have.Whole || d.Size == 0
	})
}

// Played adds milliseconds that played.
func (r *Recorder) Played(d Delivery, played coverage.Set) {
	r.add(d, func(have *gathered) { have.Played = have.Played.Union(played) })
}

func (r *Recorder) add(d Delivery, change func(*gathered)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	key := receiptKey{d.Line, d.Version}
	have := r.pending[key]
	if have == nil {
		have = &gathered{Receipts: Receipts{Delivery: d}}
		r.pending[key] = have
	}
	have.Proxied = have.Proxied || d.Proxied
	change(have)
}

// paced keeps how fast somebody's last download was.
func (r *Recorder) paced(person string, rate int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.rates[person] = rate
}

// Hurry asks for a flush now rather than within the second.
func (r *Recorder) Hurry() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// Run flushes until ctx ends, and once more after that.
func (r *Recorder) Run(ctx context.Context) {
	tick := time.NewTicker(flushEvery)
	defer tick.Stop()
	var flushed time.Time
	for {
		select {
		case <-ctx.Done():
			final, cancel := context.WithTimeout(context.WithoutCancel(ctx), lastFlush)
			defer cancel()
			if err := r.Flush(final); err != nil {
				r.log.Error("receipts of the last second are lost", "error", err)
			}
			return
		case <-tick.C:
		case <-r.wake:
			time.Sleep(hurryEvery - time.Since(flushed))
		}
		if err := r.Flush(ctx); err != nil && ctx.Err() == nil {
			r.log.Warn("receipts wait for the database", "error", err)
		}
		flushed = time.Now()
	}
}

// Flush writes what is pending. Where that fails, it is kept for the next time.
func (r *Recorder) Flush(ctx context.Context) error {
	r.flushMu.Lock()
	defer r.flushMu.Unlock()
	r.mu.Lock()
	taken, rates := r.pending, r.rates
	r.pending, r.rates = map[receiptKey]*gathered{}, map[string]int64{}
	r.mu.Unlock()
	batch := make([]Receipts, 0, len(taken))
	for _, have := range taken {
		have.Bytes = have.came.Set()
		batch = append(batch, have.Receipts)
	}
	// One order for all, so that two processes never wait for each other.
	slices.SortFunc(batch, func(a, b Receipts) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Version, b.Version))
	})
	var err error
	for some := range slices.Chunk(batch, writtenAtOnce) {
		if err == nil {
			err = r.rows.Tx(ctx, func(ctx context.Context) error { return r.write(ctx, some) })
		}
		if err != nil {
			r.keep(some)
		}
	}
	if len(rates) == 0 {
		return err
	}
	errRates := r.covers.SetRates(ctx, rates)
	if errRates != nil {
		r.mu.Lock()
		defer r.mu.Unlock()
		maps.Copy(rates, r.rates) // what was measured meanwhile is newer
		r.rates = rates
	}
	return errors.Join(err, errRates)
}

// keep puts back what could not be written, beside what came meanwhile.
func (r *Recorder) keep(batch []Receipts) {
	for _, have := range batch {
		r.add(have.Delivery, func(now *gathered) {
			for _, part := range have.Bytes.Ranges() {
				now.came.Add(part)
			}
			now.Played = now.Played.Union(have.Played)
			now.Whole = now.Whole || have.Whole
		})
	}
}

// write is a part of one flush, in the transaction of ctx. why is what happened before somebody
// had the last byte; nothing of it did where nobody has it now.
func (r *Recorder) write(ctx context.Context, batch []Receipts, why ...happen.Happening) error {
	completed, err := r.covers.AddCoverage(ctx, batch, r.now())
	if err != nil {
		return err
	}
	took := make([]happen.Happening, len(completed))
	if len(completed) == 0 {
		why = nil
	}
	told := map[string]bool{} // packages of which screens have heard
	for i, d := range completed {
		took[i] = happen.Happening{Kind: event.Took, StudioID: d.Studio, ParcelID: d.Parcel, LineID: d.Line, WayIn: d.Way, Version: d.Version}
		told[d.Parcel] = true
	}
	whole, err := r.wholes(ctx, completed)
	if err != nil {
		return err
	}
	if err := r.events.Record(ctx, slices.Concat(why, took, whole)...); err != nil {
		return err
	}
	if err := nearer(ctx, r.rows.DB, slices.Collect(maps.Keys(told))); err != nil {
		return err
	}
	for _, d := range batch {
		if !told[d.Parcel] {
			told[d.Parcel] = true
			if err := r.rows.Announce(ctx, ground.Change{Studio: d.Studio, Parcel: d.Parcel, What: ground.LedgerChanged}); err != nil {
				return err
			}
		}
	}
	return nil
}

// wholes are those who have everything now, by what was just completed.
func (r *Recorder) wholes(ctx context.Context, completed []Delivery) (whole []happen.Happening, err error) {
	if len(completed) == 0 {
		return nil, nil
	}
	of := make(map[string]Delivery, len(completed))
	for _, d := range completed {
		of[d.Line] = d
	}
	lines, err := r.rows.HaveAll(ctx, slices.Collect(maps.Keys(of)))
	for _, line := range lines {
		d := of[line]
		whole = append(whole, happen.Happening{Kind: event.HasAll, StudioID: d.Studio, ParcelID: d.Parcel, LineID: line, WayIn: d.Way})
	}
	return whole, err
}

// nearer starts the jobs that bring the end of packages nearer which waited for what
// somebody has just done, in the transaction of ctx. It is not done here: whoever has
// written receipts may not wait for a package (docs/decisions/standings-are-kept.md).
func nearer(ctx context.Context, store *db.DB, parcels []string) error {
	if len(parcels) == 0 {
		return nil
	}
	waiting, err := Rows{store}.Waiting(ctx, parcels)
	if err != nil {
		return err
	}
	jobs := make([]ground.Job, len(waiting))
	for i, id := range waiting {
		jobs[i] = ground.EndJob{ParcelID: id}
	}
	return store.Enqueue(ctx, jobs...)
}

// Confirm counts as delivered what is missing in the receipts for a version that somebody's page
// found whole, and says so by an event of its own. Receipts get lost when a process is killed;
// no more is counted than can have been lost by that.
func (r *Recorder) Confirm(ctx context.Context, line, version string) error {
	return r.rows.Tx(ctx, func(ctx context.Context) error {
		d, had, ok, err := r.covers.KeptInPart(ctx, line, version)
		if err != nil || !ok {
			return err
		}
		gaps, ok := had.Unheard(d.Size)
		if !ok {
			return nil
		}
		lost := coverage.Of(gaps...)
		return r.write(ctx, []Receipts{{Delivery: d, Bytes: lost}}, happen.Happening{Kind: event.Confirmed, StudioID: d.Studio,
			ParcelID: d.Parcel, LineID: d.Line, Version: d.Version, Place: transfer.Size(lost.Len())})
	})
}
