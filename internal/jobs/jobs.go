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
	"aftergust/internal/gather"
	"aftergust/internal/ground"
	"aftergust/internal/keep"
	"aftergust/internal/letters"
	"aftergust/internal/pack"
	"aftergust/internal/postgres"
	"aftergust/internal/previews"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
)

// A Post hands a letter over; an error means that it was not taken.
type Post interface {
	Send(ctx context.Context, c letters.Composed) error
}

// Bytes is what the workers need of the blob store.
type Bytes interface {
	Open(ctx context.Context, id string, offset int64) (io.ReadCloser, error)
	At(ctx context.Context, id string) (blob.ReaderAt, error)
	Local(ctx context.Context, id string) (path string, done func(), err error)
	Adopt(ctx context.Context, id, path string) error
}

// A Shop is what the workers work with. All fields are required.
type Shop struct {
	Things   *gather.Things
	Previews *previews.Service
	Keep     *keep.Service
	Pack     *pack.Service
	Letters  *letters.Service
	Bytes    Bytes
	Work     string // folder for temporary files
	Post     Post
	Log      *slog.Logger
}

// New makes a River client that works all jobs. Start and stop it as River says.
func New(pool *pgxpool.Pool, shop Shop) (*river.Client[pgx.Tx], error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &mediaWorker{Shop: shop})
	river.AddWorker(workers, &proxyWorker{Shop: shop})
	river.AddWorker(workers, &pictureWorker{Shop: shop})
	river.AddWorker(workers, &remakeWorker{Shop: shop})
	river.AddWorker(workers, &digestWorker{Shop: shop})
	river.AddWorker(workers, &letterWorker{Shop: shop})
	river.AddWorker(workers, &clearWorker{Shop: shop})
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
			river.NewPeriodicJob(river.PeriodicInterval(clearEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.ClearJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(remakeEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.RemakeJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
		},
		JobTimeout: 6 * time.Hour,
		Logger:     shop.Log,
	})
}

// clearEvery is how often what has ended is cleared and what is of no use is swept.
const clearEvery = 10 * time.Minute

type digestWorker struct {
	river.WorkerDefaults[ground.DigestJob]
	Shop
}

func (w *digestWorker) Work(ctx context.Context, job *river.Job[ground.DigestJob]) error {
	f, err := w.Bytes.Open(ctx, job.Args.BlobID, 0)
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
	return w.Keep.SetSHA256(ctx, job.Args.BlobID, sum.Sum(nil))
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
	river.WorkerDefaults[ground.LetterJob]
	Shop
}

func (w *letterWorker) Work(ctx context.Context, job *river.Job[ground.LetterJob]) error {
	letter, composed, ok, err := w.Letters.Compose(ctx, job.Args.LetterID)
	if err != nil || !ok {
		return err
	}
	if err := w.Post.Send(ctx, composed); err != nil {
		w.Log.Warn("letter waits", "letter", letter.ID, "try", job.Attempt)
		if err := w.Letters.Tried(ctx, letter, "The mail server did not take it. It is tried again by itself."); err != nil {
			return err
		}
		return fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err)
	}
	return w.Letters.Tried(ctx, letter, "")
}

// NextRetry tries again soon at first, then every ten minutes.
func (w *letterWorker) NextRetry(job *river.Job[ground.LetterJob]) time.Time {
	wait := min(3*time.Second<<min(job.Attempt-1, 8), 10*time.Minute)
	return time.Now().Add(wait)
}

type clearWorker struct {
	river.WorkerDefaults[ground.ClearJob]
	Shop
}

func (w *clearWorker) Work(ctx context.Context, _ *river.Job[ground.ClearJob]) error {
	if err := w.Pack.ClearEnded(ctx); err != nil {
		return err
	}
	return w.Keep.Clear(ctx)
}
