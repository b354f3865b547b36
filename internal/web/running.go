package web

import (
	"context"
	"log/slog"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"aftergust/core/link/access"
	"aftergust/internal/ground"
	"aftergust/internal/ground/wire"
)

// running holds all downloads that run, by package, and cuts those that are not
// open any more: at once, without asking, when a change names them; within a
// second when the end of their package comes, also where nobody can be asked; and in
// any case at the next look at all of them, which takes a few queries whatever their
// number. While the database is away nothing can be stopped or withdrawn here, but
// another process may still reach it: after a minute without an answer all are cut.
// They go on where they were.
type running struct {
	open    Opener
	log     *slog.Logger
	mu      sync.Mutex
	tickets map[string]map[*Ticket]struct{} // by package
	stopped bool                            // no more is handed over
	cuts    []cutting                       // of the lately, the oldest first
	silent  time.Time                       // since when nobody could be asked; zero while somebody answers
	look    chan struct{}
}

// A cutting is a cut that was announced.
type cutting struct {
	ground.Cut
	parcel string
	at     time.Time
}

// An Opener looks whether downloads are still open.
type Opener interface {
	StillOpen(ctx context.Context, all []wire.Running) ([]access.Reason, []time.Time, error)
}

// A Ticket is a download that runs, for whoever must cut it.
type Ticket struct {
	running wire.Running
	ends    atomic.Int64 // Unix nanoseconds of the package's end; 0: unknown
	cut     atomic.Bool
	halted  atomic.Bool // the server stops: what was handed over may still arrive
	givenUp atomic.Bool // and has had its time
	stop    func()
	halt    func()
	End     func() // must be called when it is over
}

func (t *Ticket) isCut() bool     { return t != nil && t.cut.Load() }
func (t *Ticket) isHalted() bool  { return t != nil && t.halted.Load() }
func (t *Ticket) isGivenUp() bool { return t != nil && t.givenUp.Load() }

// ended reports whether the end of the package is over, as far as is known.
func (t *Ticket) ended(now time.Time) bool {
	ends := t.ends.Load()
	return ends != 0 && now.UnixNano() >= ends
}

// Over is why nothing more may be handed over; nil while it may.
func (t *Ticket) Over() error {
	switch {
	case t.isCut():
		return errCut
	case t.isHalted():
		return errHalted
	default:
		return nil
	}
}

const (
	lookAtAll = 15 * time.Second
	unasked   = time.Minute // is how long downloads go on without an answer
)

func newRunning(open Opener, log *slog.Logger) *running {
	return &running{open: open, log: log, tickets: map[string]map[*Ticket]struct{}{}, look: make(chan struct{}, 1)}
}

// Begin registers a download. What was cut since it was asked for, perhaps
// after its door was weighed, is cut with it.
func (r *running) Begin(w http.ResponseWriter, request *http.Request, what wire.Running) *Ticket {
	control := http.NewResponseController(w)
	t := &Ticket{running: what}
	if what.Ends != nil {
		t.ends.Store(what.Ends.UnixNano())
	}
	cut := wire.Cutter(request.Context(), w)
	t.stop = func() {
		t.cut.Store(true)
		cut() // what the kernel still holds is thrown away, not sent after the cut
	}
	t.halt = func() {
		t.halted.Store(true)
		_ = control.SetWriteDeadline(time.Unix(1, 0)) // a writer that waits is woken
	}
	parcel := what.Parcel
	t.End = func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		delete(r.tickets[parcel], t)
		if len(r.tickets[parcel]) == 0 {
			delete(r.tickets, parcel)
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.stopped {
		t.halt()
	}
	if r.tickets[parcel] == nil {
		r.tickets[parcel] = map[*Ticket]struct{}{}
	}
	r.tickets[parcel][t] = struct{}{}
	for _, c := range r.cuts[r.since(From(request.Context()).at):] {
		if c.parcel == parcel {
			t.apply(c.Cut)
		}
	}
	return t
}

// since is where the cuts of a moment and after begin.
func (r *running) since(at time.Time) int {
	i, _ := slices.BinarySearchFunc(r.cuts, at, func(c cutting, at time.Time) int { return c.at.Compare(at) })
	return i
}

// apply ends a download where a cut is about it, or moves its end, and reports whether it ended.
func (t *Ticket) apply(c ground.Cut) bool {
	switch {
	case !concerns(t.running, c):
		return false
	case c.Ends != 0:
		t.ends.Store(c.Ends)
		return false
	}
	t.stop()
	return true
}

// cut ends what a change names, or moves its end.
func (r *running) cut(parcel string, c ground.Cut) {
	now := time.Now()
	r.mu.Lock()
	r.cuts = append(slices.Delete(r.cuts, 0, r.since(now.Add(-lately))), cutting{c, parcel, now})
	r.mu.Unlock()
	n := 0
	for _, t := range r.of(parcel) {
		if t.apply(c) {
			n++
		}
	}
	if n > 0 {
		r.log.Info("downloads cut", "package", parcel, "line", c.Line, "downloads", n)
	}
}

// Times of a stop: how long what was handed over may take to arrive, and how often
// that is looked at.
const (
	arriveAtHalt = 5 * time.Second
	lookAtHalt   = 10 * time.Millisecond
)

// halt hands nothing more over and waits until of all downloads is known what
// arrived, since nobody will hear of it afterwards.
func (r *running) halt() {
	r.mu.Lock()
	r.stopped = true
	r.mu.Unlock()
	for _, t := range r.of("") {
		t.halt()
	}
	late, end := time.Now().Add(arriveAtHalt), time.Now().Add(arriveAtHalt+quietAtHalt)
	for all := r.of(""); len(all) > 0 && time.Now().Before(end); all = r.of("") {
		if time.Now().After(late) {
			for _, t := range all {
				t.givenUp.Store(true)
			}
		}
		time.Sleep(lookAtHalt)
	}
}

// concerns reports whether a cut is about a download.
func concerns(d wire.Running, c ground.Cut) bool {
	switch {
	case c.Line != "" && c.Line != d.Line && c.Line != d.GuestOf:
		return false
	case c.Narrow && c.Rights.Has(d.Verb):
		return false
	case len(c.Items) > 0:
		return slices.ContainsFunc(c.Items, func(id string) bool { return slices.Contains(d.Items, id) })
	default:
		return true
	}
}

// of are the downloads of a package; of all where it is empty.
func (r *running) of(parcel string) []*Ticket {
	r.mu.Lock()
	defer r.mu.Unlock()
	var out []*Ticket
	for id, tickets := range r.tickets {
		if parcel != "" && id != parcel {
			continue
		}
		for t := range tickets {
			if !t.cut.Load() {
				out = append(out, t)
			}
		}
	}
	return out
}

// recheck asks for a look at all downloads, since changes may have been missed.
func (r *running) recheck() {
	select {
	case r.look <- struct{}{}:
	default: // one is due already
	}
}

func (r *running) watch(ctx context.Context) {
	second, all := time.NewTicker(time.Second), time.NewTicker(lookAtAll)
	defer second.Stop()
	defer all.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-r.look:
			r.inspect(ctx, time.Now(), r.of(""))
		case now := <-second.C:
			if due := slices.DeleteFunc(r.of(""), func(t *Ticket) bool { return !t.ended(now) }); len(due) > 0 {
				r.inspect(ctx, now, due)
			}
		case now := <-all.C:
			r.inspect(ctx, now, r.of(""))
		}
	}
}

// inspectLimit is how long a look may take.
const inspectLimit = 5 * time.Second

// inspect looks at downloads and cuts those that are not open any more.
func (r *running) inspect(ctx context.Context, now time.Time, due []*Ticket) {
	if len(due) == 0 {
		r.silent = time.Time{} // nobody was asked
		return
	}
	all := make([]wire.Running, len(due))
	for i, t := range due {
		all[i] = t.running
	}
	ctx, cancel := context.WithTimeout(ctx, inspectLimit)
	defer cancel()
	reasons, ends, err := r.open.StillOpen(ctx, all)
	if err != nil {
		r.unanswered(now, due, err)
		return
	}
	r.silent = time.Time{}
	for i, t := range due {
		switch {
		case reasons[i] != access.Allowed:
			r.log.Info("download cut", "package", t.running.Parcel, "reason", string(reasons[i]))
			t.stop()
		case !ends[i].IsZero():
			t.ends.Store(ends[i].UnixNano())
		}
	}
}

// unanswered cuts what has ended as far as is known, and after a minute everything.
func (r *running) unanswered(now time.Time, due []*Ticket, why error) {
	if r.silent.IsZero() {
		r.silent = now
	}
	if now.Sub(r.silent) >= unasked {
		due = r.of("")
	}
	n := 0
	for _, t := range due {
		if t.ended(now) || now.Sub(r.silent) >= unasked {
			t.stop()
			n++
		}
	}
	r.log.Warn("cannot tell whether downloads are still open", "since", r.silent, "cut", n, "error", why)
}
