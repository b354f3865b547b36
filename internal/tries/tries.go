// Package tries counts what may be tried only so often: passwords, passphrases,
// codes, requests to be let in. A try is counted before it is made, so that any
// number of them at once get no further than one after the other.
package tries

import (
	"context"
	"errors"
	"time"

	"aftergust/core/throttle"
	"aftergust/internal/ground"
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
}

// New makes a guard.
func New(store Store, now func() time.Time) *Guard { return &Guard{store, now} }

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
// where it turns out right, or where nothing was compared. have is how many tries
// the first limit has had lately, with this one.
func (g *Guard) Compare(ctx context.Context, limits []Limit, compare func() (right bool, err error)) (right bool, have int, err error) {
	if have, err = g.Spend(ctx, limits...); err != nil {
		return false, have, err
	}
	right, err = compare()
	if err != nil || right {
		err = errors.Join(err, g.Forgive(ctx, limits...))
	}
	return right && err == nil, have, err
}
