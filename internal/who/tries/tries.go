// Package tries counts what may be tried only so often: passwords, passphrases,
// codes, requests to be let in. A try is counted before it is made, so that any
// number of them at once get no further than one after the other.
package tries

import (
	"context"
	"errors"
	"sync"
	"time"

	"aftergust/core/link/throttle"
	"aftergust/internal/ground"
	"aftergust/internal/ground/turns"
)

// Store is what a Guard needs of the database.
type Store interface {
	// SpendAttempt counts one try at the moment at for every limit, unless one of
	// the keys has had as many since then as it may. Of tries at once, also from
	// other processes, each sees those that were counted before it. have is how
	// many the first key has had, this one included.
	SpendAttempt(ctx context.Context, limits []Limit, since, at time.Time) (have int, ok bool, err error)
	// ForgiveAttempt forgets the newest try of every key.
	ForgiveAttempt(ctx context.Context, limits []Limit) error
}

// A Guard counts tries by key.
type Guard struct {
	store Store
	now   func() time.Time
	queue *turns.Queue // of those that are compared
	mu    sync.Mutex
	busy  map[string]chan struct{} // first keys of tries that are compared; closed when that is over
}

// Tries that are compared at a time: each holds a connection to the database for a moment, and
// counts against its limits until it has turned out right.
const (
	atOnce   = 8
	each     = 4   // of one source
	waitMost = 400 // of one source
)

// New makes a guard.
func New(store Store, now func() time.Time) *Guard {
	return &Guard{store: store, now: now, queue: turns.New(atOnce, each, waitMost), busy: map[string]chan struct{}{}}
}

// Waiting is how many tries wait for their turn.
func (g *Guard) Waiting() int { return g.queue.Waiting() }

// errBusy is for those who get no turn.
var errBusy = &ground.Error{Kind: ground.TooMany, Code: "busy",
	Say: "Very many people are trying to get in right now. Wait a minute, then try again. Nothing is lost."}

// turn waits until a try with this first key may be made. Those with the same key follow one
// another: a right one must be taken back before the next is counted.
func (g *Guard) turn(ctx context.Context, key string) (end func(), err error) {
	for {
		g.mu.Lock()
		over, others := g.busy[key]
		if !others {
			over = make(chan struct{})
			g.busy[key] = over
			g.mu.Unlock()
			break
		}
		g.mu.Unlock()
		select {
		case <-over:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	free := func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		close(g.busy[key])
		delete(g.busy, key)
	}
	given, err := g.queue.Take(ctx)
	if errors.Is(err, turns.ErrLong) {
		err = errBusy
	}
	if err != nil {
		free()
		return nil, err
	}
	return func() { given(); free() }, nil
}

// A Limit is a key and how many tries it has within throttle.Window.
type Limit struct {
	Key  string
	Most int
}

// From is where a try comes from.
type From struct {
	Host   string // the source that throttle counts by
	Device string // names the browser, where it was in before; empty: it was not
}

// Guess are the limits of guessing at what id names: first those of whoever tries
// together with what they try, so that a stranger uses up nobody else's tries. A
// device that was in before counts for itself alone.
func Guess(kind, id string, from From) []Limit {
	if from.Device != "" {
		return []Limit{{Key: kind + ":" + id + "|" + from.Device, Most: throttle.PerLink}}
	}
	return []Limit{{Key: kind + ":" + id + "|" + from.Host, Most: throttle.PerLink}, {Key: kind + "-host:" + from.Host, Most: throttle.PerHost},
		{Key: kind + ":" + id, Most: throttle.Everywhere}}
}

// Spend counts one try for each of the limits, and refuses it where any of them
// is used up. It returns how many tries the first has had lately, with this one.
func (g *Guard) Spend(ctx context.Context, limits ...Limit) (have int, err error) {
	now := g.now()
	have, ok, err := g.store.SpendAttempt(ctx, limits, now.Add(-throttle.Window), now)
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.TooMany, Code: "too_many_tries",
			Say: "Too many wrong tries. Wait 15 minutes, then try again. Nothing is lost."}
	}
	return have, err
}

// Forgive takes back a try that turned out right.
func (g *Guard) Forgive(ctx context.Context, limits ...Limit) error {
	return g.store.ForgiveAttempt(ctx, limits)
}

// Compare makes a try: it is counted before anything is compared, and taken back
// where it turns out right, or where nothing was compared. Tries wait for their turn before they
// are counted: nobody with the right answer is told that there were too many. have is how many tries
// the first limit has had lately, with this one.
func (g *Guard) Compare(ctx context.Context, limits []Limit, compare func() (right bool, err error)) (right bool, have int, err error) {
	end, err := g.turn(ctx, limits[0].Key)
	if err != nil {
		return false, 0, err
	}
	defer end()
	if have, err = g.Spend(ctx, limits...); err != nil {
		return false, have, err
	}
	right, err = compare()
	if err != nil || right {
		err = errors.Join(err, g.Forgive(ctx, limits...))
	}
	return right && err == nil, have, err
}
