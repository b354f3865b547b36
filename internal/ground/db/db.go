// Package db keeps the studio's records in PostgreSQL. SQL is written as
// SQL, one file for each family of tables, beside the rows that it fills.
package db

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"aftergust/internal/ground"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"github.com/riverqueue/river/rivertype"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Migrate brings the database up to date: our tables, and River's. Of several
// processes that start at once one migrates and the others wait for it.
func Migrate(ctx context.Context, url string) error {
	config, err := pgxpool.ParseConfig(url) // which knows the settings of pools that may stand in it
	if err != nil {
		return fmt.Errorf("database address: %w", err)
	}
	db := sql.OpenDB(stdlib.GetConnector(*config.ConnConfig))
	defer db.Close()
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSessionLocker(locker))
	if err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	if err := known(ctx, provider); err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
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
	return (&DB{pool: pool}).EventMonths(ctx, time.Now())
}

// ErrNewer says that a newer version of Aftergust has migrated the database: this one would
// read and write it wrongly.
var ErrNewer = errors.New("a newer Aftergust has updated this database. Start that version, or go back to a backup from before its update. " +
	"Nothing was changed")

// newest is the newest migration that this binary brings.
var newest = func() (n int64) {
	files, _ := fs.Glob(migrations, "migrations/*.sql") // the pattern is right
	for _, file := range files {
		version, _ := goose.NumericComponent(file)
		n = max(n, version)
	}
	return n
}()

// known refuses a schema that this binary does not know.
func known(ctx context.Context, provider *goose.Provider) error {
	version, err := provider.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	return knows(version)
}

func knows(version int64) error {
	if version > newest {
		return fmt.Errorf("%w (its schema is %d, this version knows %d)", ErrNewer, version, newest)
	}
	return nil
}

// Known refuses a database that a newer version has migrated: for whatever does not migrate itself.
func (d *DB) Known(ctx context.Context) error {
	var version int64
	err := d.pool.QueryRow(ctx, "select coalesce(max(version_id), 0) from goose_db_version where is_applied").Scan(&version)
	if err != nil {
		return fmt.Errorf("the version of the database: %w; aftergust migrate brings it up to date", err)
	}
	return knows(version)
}

// A Querier runs statements: the pool, or the transaction that a context carries.
type Querier interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// A DB runs on the pool, or in the transaction that a context carries. Rows of the parts embed it.
type DB struct {
	pool  *pgxpool.Pool
	queue *river.Client[pgx.Tx]
}

type txKey struct{}

// Tx is the transaction that a context carries; nil where it carries none.
func Tx(ctx context.Context) pgx.Tx {
	running, _ := ctx.Value(txKey{}).(pgx.Tx)
	return running
}

// Conn is what a query runs on.
func (q *DB) Conn(ctx context.Context) Querier {
	if running := Tx(ctx); running != nil {
		return running
	}
	return q.pool
}

// Open connects to a migrated database. Jobs can be enqueued at once; they are
// run by whoever works the queue.
func Open(ctx context.Context, url string) (*DB, error) { return open(ctx, url, nil) }

// open is Open with somebody who watches the queries; nil for nobody.
func open(ctx context.Context, url string, watch pgx.QueryTracer) (*DB, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	config.ConnConfig.RuntimeParams["application_name"] = "aftergust"
	config.ConnConfig.RuntimeParams["timezone"] = "UTC"
	// Our queries are short: compiling them takes longer than running them, and
	// an index is read as quickly in one order as in another.
	config.ConnConfig.RuntimeParams["jit"] = "off"
	config.ConnConfig.RuntimeParams["max_parallel_workers_per_gather"] = "0" // nor do they wait for helpers to start
	config.ConnConfig.RuntimeParams["random_page_cost"] = "1.1"
	config.ConnConfig.Tracer = watch
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	queue, err := river.NewClient(riverpgxv5.New(pool), &river.Config{})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("open the job queue: %w", err)
	}
	return &DB{pool: pool, queue: queue}, nil
}

// Pool is the connection pool, for the parts that bring their own tables.
func (d *DB) Pool() *pgxpool.Pool { return d.pool }

// Close waits for running queries and closes all connections.
func (d *DB) Close() { d.pool.Close() }

// Ping reports whether the database answers.
func (d *DB) Ping(ctx context.Context) error { return d.pool.Ping(ctx) }

// Tx runs do in one transaction. Inside another one it joins that.
func (q *DB) Tx(ctx context.Context, do func(ctx context.Context) error) error {
	if Tx(ctx) != nil {
		return do(ctx)
	}
	return q.Begin(ctx, pgx.TxOptions{}, do)
}

// Begin runs do in a transaction of its own, with the options of pgx.
func (q *DB) Begin(ctx context.Context, options pgx.TxOptions, do func(ctx context.Context) error) error {
	return pgx.BeginTxFunc(ctx, q.pool, options, func(begun pgx.Tx) error { return do(context.WithValue(ctx, txKey{}, begun)) })
}

// Steady runs do in a transaction that sees everything as it was at one moment. Where
// somebody changed meanwhile what it changes too, do runs again.
func (q *DB) Steady(ctx context.Context, do func(ctx context.Context) error) error {
	var err error
	for range 20 {
		err = q.Begin(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead}, do)
		var problem *pgconn.PgError
		if !errors.As(err, &problem) || problem.Code != serializationFailure {
			return err
		}
	}
	return err
}

// serializationFailure is how PostgreSQL calls that (its manual, appendix A).
const serializationFailure = "40001"

// ErrOutsideTx is returned for what belongs into a transaction and stands outside of one.
var ErrOutsideTx = errors.New("only inside a transaction")

// Enqueue adds jobs in the running transaction, all in one statement.
func (q *DB) Enqueue(ctx context.Context, jobs ...ground.Job) error {
	running := Tx(ctx)
	if running == nil {
		return fmt.Errorf("enqueue: %w", ErrOutsideTx)
	}
	if len(jobs) == 0 {
		return nil
	}
	params := make([]river.InsertManyParams, len(jobs))
	for i, job := range jobs {
		options := jobOptions[job.Kind()]
		if timed, ok := job.(ground.Timed); ok {
			options.ScheduledAt = timed.NotBefore()
		}
		params[i] = river.InsertManyParams{Args: job, InsertOpts: &options}
	}
	if _, err := q.queue.InsertManyTx(ctx, running, params); err != nil {
		return fmt.Errorf("enqueue %s: %w", jobs[0].Kind(), err)
	}
	return nil
}

// QueueMedia is the queue of work that takes processor time. Its jobs run in
// the order of their priority: facts and posters before proxies.
const QueueMedia = "media"

// QueueDigest is the queue of sums. They read the disk rather than compute, so
// that they need not wait for films.
const QueueDigest = "digest"

// QueueLetters is the queue of letters and text messages: a mail server that accepts
// connections and says nothing holds up nothing else.
const QueueLetters = "letters"

// QueueSends is the queue of what people wait for to the minute: packages that go out by
// themselves, and ends.
const QueueSends = "sends"

// QueueHooks is the queue of messages to other programs, which may take their time
// with an answer and hold up nothing of ours.
const QueueHooks = "hooks"

// MediaAttempts is how often media work is tried that was interrupted: over most of a day, by
// River's delays.
const MediaAttempts = 14

// A letter is tried for about three days before River gives it up.
const letterAttempts = 450

// onceAtATime is for a job that need not wait twice for the same.
var onceAtATime = river.UniqueOpts{ByArgs: true, ByState: []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending,
	rivertype.JobStateRetryable, rivertype.JobStateRunning, rivertype.JobStateScheduled}}

var jobOptions = map[string]river.InsertOpts{
	ground.MediaJob{}.Kind():   {Queue: QueueMedia, Priority: 1, MaxAttempts: MediaAttempts},
	ground.AlignJob{}.Kind():   {Queue: QueueMedia, Priority: 4, MaxAttempts: 4, UniqueOpts: onceAtATime},
	ground.ConfirmJob{}.Kind(): {UniqueOpts: onceAtATime},
	ground.ProxyJob{}.Kind():   {Queue: QueueMedia, Priority: 3, MaxAttempts: MediaAttempts},
	ground.PictureJob{}.Kind(): {Queue: QueueMedia, Priority: 1, MaxAttempts: MediaAttempts},
	ground.DigestJob{}.Kind():  {Queue: QueueDigest, MaxAttempts: 10},
	ground.LetterJob{}.Kind():  {Queue: QueueLetters, MaxAttempts: letterAttempts},
	ground.TextJob{}.Kind():    {Queue: QueueLetters, MaxAttempts: 8}, // a link by text is of no use hours later
	ground.EndJob{}.Kind():     {Queue: QueueSends},
	ground.GoJob{}.Kind():      {Queue: QueueSends, MaxAttempts: 3}, // once a minute it comes again by itself
	ground.TellJob{}.Kind():    {MaxAttempts: 3},                    // so do these
	ground.RemindJob{}.Kind():  {MaxAttempts: 1},
	ground.HookJob{}.Kind():    {Queue: QueueHooks, MaxAttempts: 25}, // a try that failed is none of these: core/words/webhook counts those
}

const channel = "aftergust"

// maxPayload is what PostgreSQL takes as the payload of a notification, in bytes.
const maxPayload = 7999

// Announce tells all listeners, on commit.
func (q *DB) Announce(ctx context.Context, c ground.Change) error {
	payload, err := json.Marshal(c)
	if err != nil {
		return err
	}
	if len(payload) > maxPayload {
		return fmt.Errorf("announce %s: %d bytes are more than a notification holds", c.What, len(payload))
	}
	_, err = q.Conn(ctx).Exec(ctx, "select pg_notify($1, $2)", channel, string(payload))
	return err
}

// A Listener is who hears what any process announces.
type Listener struct {
	Changed func(ground.Change) // something changed
	Lost    func()              // the connection was lost, so that changes may have been missed
	Asked   func(name string)   // somebody wants a lock
}

// Listen passes on what any process announces. It reconnects until ctx ends.
func (d *DB) Listen(ctx context.Context, l Listener) {
	for ctx.Err() == nil {
		_ = d.listenOnce(ctx, l) // whatever ended it, the answer is to connect again
		l.Lost()
		select {
		case <-ctx.Done():
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func (d *DB) listenOnce(ctx context.Context, l Listener) error {
	conn, err := pgx.ConnectConfig(ctx, d.pool.Config().ConnConfig)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+channel+"; listen "+lockChannel); err != nil {
		return err
	}
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		if n.Channel == lockChannel {
			l.Asked(n.Payload)
			continue
		}
		var c ground.Change
		if json.Unmarshal([]byte(n.Payload), &c) == nil {
			l.Changed(c)
		}
	}
}

// One collects at most one row; ok is false where there is none.
func One[T any](rows pgx.Rows, err error, to pgx.RowToFunc[T]) (value T, ok bool, _ error) {
	if err != nil {
		return value, false, err
	}
	value, err = pgx.CollectOneRow(rows, to)
	if errors.Is(err, pgx.ErrNoRows) {
		return value, false, nil
	}
	return value, err == nil, err
}

// Optional is an id for a column that may be null: null for an empty one.
func Optional(id string) any {
	if id == "" {
		return nil
	}
	return id
}

// A Moment is a timestamp that may be null.
type Moment struct{ at *time.Time }

// ScanTimestamptz takes a timestamp as pgx read it.
func (m *Moment) ScanTimestamptz(v pgtype.Timestamptz) error {
	if m.at = nil; v.Valid {
		m.at = &v.Time
	}
	return nil
}

// Time is the moment; the zero time for null.
func (m Moment) Time() time.Time { return ground.When(m.at) }
