// Package jobs works off what goes on after a request, as River jobs in PostgreSQL. Each part
// enters in a Book which jobs it works and what comes up by itself; their arguments are in
// package ground, for whoever starts them. Every job may run twice.
package jobs

import (
	"context"
	"log/slog"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"
)

// A Book is what a process works. Make it with NewBook.
type Book struct {
	workers  *river.Workers
	periodic []*river.PeriodicJob
}

// NewBook is an empty book.
func NewBook() *Book { return &Book{workers: river.NewWorkers()} }

// Work enters who works a kind of job.
func Work[J river.JobArgs](b *Book, worker river.Worker[J]) { river.AddWorker(b.workers, worker) }

// Every enters a job that comes up by itself: at the start, and each time that so long has passed.
// options may be nil.
func (b *Book) Every(wait time.Duration, job river.JobArgs, options *river.InsertOpts) {
	b.periodic = append(b.periodic, river.NewPeriodicJob(river.PeriodicInterval(wait),
		func() (river.JobArgs, *river.InsertOpts) { return job, options }, &river.PeriodicJobOpts{RunOnStart: true}))
}

// New makes a River client that works all that is in b, as a process of that id. Start and
// stop it as River says, within a Shift. full tells what failed for want of room.
func New(pool *pgxpool.Pool, process string, b *Book, full func(error) bool, log *slog.Logger) (*river.Client[pgx.Tx], error) {
	return river.NewClient(riverpgxv5.New(pool), &river.Config{
		ID: process,
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: 8},
			db.QueueMedia:      {MaxWorkers: 2},
			db.QueueDigest:     {MaxWorkers: 2},
			db.QueueHooks:      {MaxWorkers: 6},
			// Each has its own places, so that none waits for another.
			db.QueueLetters: {MaxWorkers: 6},
			db.QueueSends:   {MaxWorkers: 4},
		},
		Workers:           b.workers,
		Middleware:        []rivertype.Middleware{&patience{full: full}},
		FetchPollInterval: 500 * time.Millisecond,
		FetchCooldown:     20 * time.Millisecond, // hundreds of small files come at once
		PeriodicJobs:      b.periodic,
		JobTimeout:        6 * time.Hour, // less than expiry.LeftWork
		Logger:            log,
	})
}

// roomAgain is how soon what failed for want of room is tried again.
const roomAgain = time.Minute

// patience lets whatever failed for want of room wait instead of failing: it counts
// as no try, however often.
type patience struct {
	river.MiddlewareDefaults
	full func(error) bool
}

func (p *patience) Work(ctx context.Context, _ *rivertype.JobRow, work func(context.Context) error) error {
	err := work(ctx)
	if p.full(err) {
		return river.JobSnooze(roomAgain)
	}
	return err
}
