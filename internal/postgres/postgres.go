// Package postgres keeps the studio's records in PostgreSQL. SQL is written as
// SQL, one file for each family of tables, beside the rows that it fills.
package postgres

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Migrate brings the database up to date: our tables, and River's.
func Migrate(ctx context.Context, url string) error {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return fmt.Errorf("database address: %w", err)
	}
	db := sql.OpenDB(stdlib.GetConnector(*config))
	defer db.Close()
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	if err := goose.UpContext(ctx, db, "migrations"); err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		return err
	}
	defer pool.Close()
	migrator, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return err
	}
	if _, err := migrator.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrate the job queue: %w", err)
	}
	return (&queries{db: pool}).OrderNames(ctx)
}

type db interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// queries runs on the pool or inside a transaction.
type queries struct {
	db    db
	tx    pgx.Tx // nil outside a transaction
	queue *river.Client[pgx.Tx]
	words *sample
}

// A Store is the studio's records in one database.
type Store struct {
	queries
	pool *pgxpool.Pool
}

var _ studio.Store = (*Store)(nil)

// Open connects to a migrated database. Jobs can be enqueued at once; they are
// run by whoever works the queue.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	config.ConnConfig.RuntimeParams["application_name"] = "aftergust"
	config.ConnConfig.RuntimeParams["timezone"] = "UTC"
	// Our queries are short: compiling them takes longer than running them, and
	// an index is read as quickly in one order as in another.
	config.ConnConfig.RuntimeParams["jit"] = "off"
	config.ConnConfig.RuntimeParams["random_page_cost"] = "1.1"
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	queue, err := river.NewClient(riverpgxv5.New(pool), &river.Config{})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("open the job queue: %w", err)
	}
	return &Store{queries{db: pool, queue: queue, words: &sample{pool: pool}}, pool}, nil
}

// Pool is the connection pool, for the parts that bring their own tables.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// Close waits for running queries and closes all connections.
func (s *Store) Close() { s.pool.Close() }

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// Tx runs do in one transaction.
func (s *Store) Tx(ctx context.Context, do func(studio.Records) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		return do(&queries{db: tx, tx: tx, queue: s.queue, words: s.words})
	})
}

var errOutsideTx = errors.New("only inside a transaction")

// Enqueue adds jobs in the running transaction.
func (q *queries) Enqueue(ctx context.Context, jobs ...studio.Job) error {
	if q.tx == nil {
		return fmt.Errorf("enqueue: %w", errOutsideTx)
	}
	for _, job := range jobs {
		options := jobOptions[job.Kind()]
		if _, err := q.queue.InsertTx(ctx, q.tx, job, &options); err != nil {
			return fmt.Errorf("enqueue %s: %w", job.Kind(), err)
		}
	}
	return nil
}

// QueueMedia is the queue of work that takes processor time. Its jobs run in
// the order of their priority: facts and posters before proxies.
const QueueMedia = "media"

// QueueDigest is the queue of sums. They read the disk rather than compute, so
// that they need not wait for films.
const QueueDigest = "digest"

// A letter is tried for about three days before River gives it up.
const letterAttempts = 450

var jobOptions = map[string]river.InsertOpts{
	studio.MediaJob{}.Kind():   {Queue: QueueMedia, Priority: 1, MaxAttempts: 4},
	studio.ProxyJob{}.Kind():   {Queue: QueueMedia, Priority: 3, MaxAttempts: 3},
	studio.PictureJob{}.Kind(): {Queue: QueueMedia, Priority: 1, MaxAttempts: 4},
	studio.DigestJob{}.Kind():  {Queue: QueueDigest, MaxAttempts: 10},
	studio.LetterJob{}.Kind():  {MaxAttempts: letterAttempts},
}

const channel = "aftergust"

// Announce tells all listeners, on commit.
func (q *queries) Announce(ctx context.Context, c studio.Change) error {
	payload, err := json.Marshal(c)
	if err != nil {
		return err
	}
	_, err = q.db.Exec(ctx, "select pg_notify($1, $2)", channel, string(payload))
	return err
}

// Listen calls changed for every change announced by any process, and lost
// whenever the connection was lost, since changes may have been missed then. It
// reconnects until ctx ends.
func (s *Store) Listen(ctx context.Context, changed func(studio.Change), lost func()) {
	for ctx.Err() == nil {
		_ = s.listenOnce(ctx, changed) // whatever ended it, the answer is to connect again
		lost()
		select {
		case <-ctx.Done():
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func (s *Store) listenOnce(ctx context.Context, changed func(studio.Change)) error {
	conn, err := pgx.ConnectConfig(ctx, s.pool.Config().ConnConfig)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+channel); err != nil {
		return err
	}
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var c studio.Change
		if json.Unmarshal([]byte(n.Payload), &c) == nil {
			changed(c)
		}
	}
}

// one collects at most one row; ok is false where there is none.
func one[T any](rows pgx.Rows, err error, to pgx.RowToFunc[T]) (value T, ok bool, _ error) {
	if err != nil {
		return value, false, err
	}
	value, err = pgx.CollectOneRow(rows, to)
	if errors.Is(err, pgx.ErrNoRows) {
		return value, false, nil
	}
	return value, err == nil, err
}

func optional(id string) any {
	if id == "" {
		return nil
	}
	return id
}
