package arrive

import (
	"context"
	"errors"
	"sync"
	"time"

	"aftergust/internal/ground/db"

	"github.com/tus/tusd/v2/pkg/handler"
)

// A locker is tusd's locker over all processes that serve the same database: two
// that write one upload would corrupt it.
type locker struct{ locks *db.Locks }

func newLocker(locks *db.Locks) *locker { return &locker{locks} }

// NewLock makes a lock for one request.
func (l *locker) NewLock(id string) (handler.Lock, error) {
	return &lock{locks: l.locks, name: "upload " + id}, nil
}

type lock struct {
	locks  *db.Locks
	name   string
	mu     sync.Mutex
	unlock func()
}

// askAgain is how often a lock that somebody holds is tried and asked for.
const askAgain = 150 * time.Millisecond

// Lock waits for the lock until ctx ends. Whoever holds it is asked to let go:
// tusd then ends the request that has it, whose line may have died long ago.
func (l *lock) Lock(ctx context.Context, release func()) error {
	for {
		unlock, ok, err := l.locks.TryLock(ctx, l.name, release)
		if err != nil {
			if errors.Is(err, context.DeadlineExceeded) || errors.Is(err, context.Canceled) {
				return handler.ErrLockTimeout
			}
			return err
		}
		if ok {
			l.mu.Lock()
			defer l.mu.Unlock()
			l.unlock = unlock
			return nil
		}
		if err := l.locks.AskFor(ctx, l.name); err != nil && ctx.Err() == nil {
			return err
		}
		select {
		case <-ctx.Done():
			return handler.ErrLockTimeout
		case <-time.After(askAgain):
		}
	}
}

// Unlock gives the lock back.
func (l *lock) Unlock() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.unlock != nil {
		l.unlock()
		l.unlock = nil
	}
	return nil
}
