package db

import (
	"context"
	"fmt"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Locks are names that one process at a time holds, as advisory locks of one
// session: however many a process holds, they take one connection. They are gone
// when the process dies. Where the session is lost, everybody in this process who
// holds a name is asked to let go, since somebody elsewhere may have it now.
type Locks struct {
	pool *pgxpool.Pool
	mu   sync.Mutex // also of the session, which does one thing at a time
	conn *pgx.Conn
	held map[string]func()
	stop context.CancelFunc
	done chan struct{}
}

// lockChannel is where a process hears that a name it may hold is wanted.
const lockChannel = "aftergust_lock"

// checkSession is how often it is made sure that the session still lives.
const checkSession = 2 * time.Second

// Locks opens the locks of this process. Close them before the store.
func (d *DB) Locks() *Locks {
	ctx, stop := context.WithCancel(context.Background())
	l := &Locks{pool: d.pool, held: map[string]func(){}, stop: stop, done: make(chan struct{})}
	go l.check(ctx)
	return l
}

// TryLock takes name if nobody holds it. asked is called, perhaps more than once,
// when somebody else wants it or when it may be lost.
func (l *Locks) TryLock(ctx context.Context, name string, asked func()) (unlock func(), ok bool, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if _, mine := l.held[name]; mine {
		return nil, false, nil
	}
	if ok, err = l.try(ctx, name); err != nil {
		ok, err = l.try(ctx, name) // the session may have ended long ago, unnoticed
	}
	if err != nil || !ok {
		return nil, false, err
	}
	l.held[name] = asked
	var once sync.Once
	return func() { once.Do(func() { l.unlock(name) }) }, true, nil
}

// try asks for a name, in a new session where there is none.
func (l *Locks) try(ctx context.Context, name string) (ok bool, err error) {
	if l.conn == nil {
		if l.conn, err = pgx.ConnectConfig(ctx, l.pool.Config().ConnConfig.Copy()); err != nil {
			l.conn = nil
			return false, fmt.Errorf("connect for locks: %w", err)
		}
	}
	// The session must outlive a request that is given up while it is asked.
	asking, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	if err := l.conn.QueryRow(asking, "select pg_try_advisory_lock(hashtextextended($1, 1))", name).Scan(&ok); err != nil {
		l.lose()
		return false, fmt.Errorf("lock %s: %w", name, err)
	}
	return ok, nil
}

func (l *Locks) unlock(name string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if _, mine := l.held[name]; !mine {
		return // lost with its session
	}
	delete(l.held, name)
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if _, err := l.conn.Exec(ctx, "select pg_advisory_unlock(hashtextextended($1, 1))", name); err != nil {
		l.lose()
	}
}

// lose gives up the session. It is called with mu held.
func (l *Locks) lose() {
	conn := l.conn
	l.conn = nil
	if conn != nil {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_ = conn.Close(ctx) // it is of no use any more
	}
	for name, asked := range l.held {
		delete(l.held, name)
		go asked() // which may want to give the name back
	}
}

// AskFor tells whoever holds name, in whatever process, that it is wanted.
func (l *Locks) AskFor(ctx context.Context, name string) error {
	if l.Asked(name) {
		return nil
	}
	_, err := l.pool.Exec(ctx, "select pg_notify($1, $2)", lockChannel, name)
	return err
}

// Asked passes on that name is wanted, and reports whether it is held here.
func (l *Locks) Asked(name string) bool {
	l.mu.Lock()
	asked, mine := l.held[name]
	l.mu.Unlock()
	if mine {
		asked()
	}
	return mine
}

// check makes sure that the session lives as long as something is held by it.
func (l *Locks) check(ctx context.Context) {
	defer close(l.done)
	tick := time.NewTicker(checkSession)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		l.mu.Lock()
		if l.conn != nil && len(l.held) > 0 {
			asking, cancel := context.WithTimeout(ctx, 5*time.Second)
			if err := l.conn.Ping(asking); err != nil && ctx.Err() == nil {
				l.lose()
			}
			cancel()
		}
		l.mu.Unlock()
	}
}

// Close ends the session; whoever still holds a name is asked to let go.
func (l *Locks) Close() {
	l.stop()
	<-l.done
	l.mu.Lock()
	defer l.mu.Unlock()
	l.lose()
}
