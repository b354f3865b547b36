// Package tries counts what may be tried only so often: passwords, passphrases,
// codes, requests to be let in.
package tries

import (
	"context"
	"time"

	"aftergust/core/throttle"
	"aftergust/internal/ground"
)

// Store is what a Guard needs of the database.
type Store interface {
	AddAttempt(ctx context.Context, keys ...string) error
	CountAttempts(ctx context.Context, key string, since time.Time) (int, error)
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

// Check refuses where any of the keys has had as many tries as it may have lately.
func (g *Guard) Check(ctx context.Context, limits ...Limit) error {
	for _, l := range limits {
		n, err := g.Count(ctx, l.Key)
		if err != nil {
			return err
		}
		if n >= l.Most {
			return &ground.Error{Kind: ground.TooMany, Code: "too_many_tries",
				Say: "Too many wrong tries. Wait 15 minutes, then try again. Nothing is lost."}
		}
	}
	return nil
}

// Add counts one try for each of the keys.
func (g *Guard) Add(ctx context.Context, limits ...Limit) error {
	keys := make([]string, len(limits))
	for i, l := range limits {
		keys[i] = l.Key
	}
	return g.store.AddAttempt(ctx, keys...)
}

// Count is how many tries a key has had lately.
func (g *Guard) Count(ctx context.Context, key string) (int, error) {
	return g.store.CountAttempts(ctx, key, g.now().Add(-throttle.Window))
}
