// Package jobs runs the work that goes on after a request, as River jobs in
// PostgreSQL: one worker for each kind of job that package studio names. Every
// job may run twice.
package jobs

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"time"

	"aftergust/internal/blob"
	"aftergust/internal/postgres"
	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// A Post hands a letter over; an error means that it was not taken.
type Post interface {
	Send(ctx context.Context, c studio.Composed) error
}

// New makes a River client that works all jobs. Start and stop it as River says.
func New(pool *pgxpool.Pool, service *studio.Service, disk *blob.Disk, post Post, log *slog.Logger) (*river.Client[pgx.Tx], error) {
	workers := river.NewWorkers()
	shop := workshop{service, disk}
	river.AddWorker(workers, &mediaWorker{workshop: shop})
	river.AddWorker(workers, &proxyWorker{workshop: shop})
	river.AddWorker(workers, &pictureWorker{workshop: shop})
	river.AddWorker(workers, &remakeWorker{service: service})
	river.AddWorker(workers, &digestWorker{service: service, disk: disk})
	river.AddWorker(workers, &letterWorker{service: service, post: post, log: log})
	river.AddWorker(workers, &clearWorker{service: service})
	return river.NewClient(riverpgxv5.New(pool), &river.Config{
		Queues: map[string]river.QueueConfig{
			river.QueueDefault:   {MaxWorkers: 8},
			postgres.QueueMedia:  {MaxWorkers: 2},
			postgres.QueueDigest: {MaxWorkers: 2},
		},
		Workers:           workers,
		FetchPollInterval: 500 * time.Millisecond,
		FetchCooldown:     20 * time.Millisecond, // hundreds of small files come at once
		PeriodicJobs: []*river.PeriodicJob{
			river.NewPeriodicJob(river.PeriodicInterval(10*time.Minute), func() (river.JobArgs, *river.InsertOpts) { return studio.ClearJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(remakeEvery), func() (river.JobArgs, *river.InsertOpts) { return studio.RemakeJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
		},
		JobTimeout: 6 * time.Hour,
		Logger:     log,
	})
}

type digestWorker struct {
	river.WorkerDefaults[studio.DigestJob]
	service *studio.Service
	disk    *blob.Disk
}

func (w *digestWorker) Work(ctx context.Context, job *river.Job[studio.DigestJob]) error {
	f, err := w.disk.Open(ctx, job.Args.BlobID)
	if errors.Is(err, blob.ErrNotFound) {
		return nil // cleared meanwhile
	}
	if err != nil {
		return err
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.CopyBuffer(sum, cancellable{ctx, f}, make([]byte, 1<<20)); err != nil {
		return fmt.Errorf("digest of blob %s: %w", job.Args.BlobID, err)
	}
	return w.service.SetSHA256(ctx, job.Args.BlobID, sum.Sum(nil))
}

// cancellable reads until ctx ends.
type cancellable struct {
	ctx context.Context
	io.Reader
}

func (c cancellable) Read(p []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.Reader.Read(p)
}

type letterWorker struct {
	river.WorkerDefaults[studio.LetterJob]
	service *studio.Service
	post    Post
	log     *slog.Logger
}

func (w *letterWorker) Work(ctx context.Context, job *river.Job[studio.LetterJob]) error {
	letter, composed, ok, err := w.service.Compose(ctx, job.Args.LetterID)
	if err != nil || !ok {
		return err
	}
	if err := w.post.Send(ctx, composed); err != nil {
		w.log.Warn("letter waits", "letter", letter.ID, "try", job.Attempt)
		if err := w.service.LetterTried(ctx, letter, "The mail server did not take it. It is tried again by itself."); err != nil {
			return err
		}
		return fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err)
	}
	return w.service.LetterTried(ctx, letter, "")
}

// NextRetry tries again soon at first, then every ten minutes.
func (w *letterWorker) NextRetry(job *river.Job[studio.LetterJob]) time.Time {
	wait := min(3*time.Second<<min(job.Attempt-1, 8), 10*time.Minute)
	return time.Now().Add(wait)
}

type clearWorker struct {
	river.WorkerDefaults[studio.ClearJob]
	service *studio.Service
}

func (w *clearWorker) Work(ctx context.Context, _ *river.Job[studio.ClearJob]) error {
	if err := w.service.ClearEnded(ctx); err != nil {
		return err
	}
	return w.service.Clear(ctx)
}
