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
	"os"
	"time"

	"aftergust/internal/blob"
	"aftergust/internal/media"
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
	river.AddWorker(workers, &mediaWorker{service: service, disk: disk})
	river.AddWorker(workers, &proxyWorker{service: service, disk: disk})
	river.AddWorker(workers, &digestWorker{service: service, disk: disk})
	river.AddWorker(workers, &letterWorker{service: service, post: post, log: log})
	river.AddWorker(workers, &clearWorker{service: service})
	return river.NewClient(riverpgxv5.New(pool), &river.Config{
		Queues: map[string]river.QueueConfig{
			river.QueueDefault:  {MaxWorkers: 8},
			postgres.QueueMedia: {MaxWorkers: 2},
		},
		Workers:           workers,
		FetchPollInterval: 500 * time.Millisecond,
		PeriodicJobs: []*river.PeriodicJob{
			river.NewPeriodicJob(river.PeriodicInterval(10*time.Minute), func() (river.JobArgs, *river.InsertOpts) { return studio.ClearJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
		},
		JobTimeout: 6 * time.Hour,
		Logger:     log,
	})
}

// begin finds the version that a job is about and makes a folder for its work.
func begin(ctx context.Context, service *studio.Service, disk *blob.Disk, version string) (v studio.Version, dir string, done func(), err error) {
	if v, err = service.Version(ctx, version); err != nil {
		return v, "", nil, err
	}
	dir, done, err = media.Room(disk.Work())
	return v, dir, done, err
}

// broken records that a file cannot be read. Anything else is tried again.
func broken(ctx context.Context, service *studio.Service, v studio.Version, err error) error {
	if !errors.Is(err, media.ErrUnreadable) {
		return err
	}
	return service.MediaDone(ctx, v, "failed", err.Error(), nil, nil)
}

type mediaWorker struct {
	river.WorkerDefaults[studio.MediaJob]
	service *studio.Service
	disk    *blob.Disk
}

func (w *mediaWorker) Work(ctx context.Context, job *river.Job[studio.MediaJob]) error {
	v, dir, done, err := begin(ctx, w.service, w.disk, job.Args.VersionID)
	if err != nil {
		return err
	}
	defer done()
	facts, made, err := look(ctx, v, w.disk.Path(v.BlobID), dir)
	if err != nil {
		return broken(ctx, w.service, v, err)
	}
	derived, err := adopt(ctx, w.disk, v, made)
	if err != nil {
		return err
	}
	state := "ready"
	if v.Kind == "film" || v.Kind == "sound" {
		state = "working"
	}
	return w.service.MediaDone(ctx, v, state, "", &facts, derived, proxyNext(v)...)
}

func proxyNext(v studio.Version) []studio.Job {
	if v.Kind == "film" || v.Kind == "sound" {
		return []studio.Job{studio.ProxyJob{VersionID: v.ID}}
	}
	return nil
}

func look(ctx context.Context, v studio.Version, file, dir string) (facts studio.Facts, made []media.Made, err error) {
	switch v.Kind {
	case "film", "sound":
		if facts, err = media.Probe(ctx, file); err != nil {
			return facts, nil, err
		}
		if facts.Codec != "" {
			poster, err := media.Poster(ctx, file, dir, facts)
			if err != nil {
				return facts, nil, err
			}
			made = append(made, poster)
		}
		if facts.SoundCodec != "" {
			facts.Peaks, err = media.Peaks(ctx, file, facts.LengthUS)
		}
		return facts, made, err
	case "still", "artwork":
		made, _, facts.Width, facts.Height, err = media.Pictures(ctx, file, dir, v.Mime)
		return facts, made, err
	case "document":
		if v.Mime == "application/pdf" {
			made, facts.Pages, _, _, err = media.Pictures(ctx, file, dir, v.Mime)
		}
		return facts, made, err
	default:
		return facts, nil, nil
	}
}

func adopt(ctx context.Context, disk *blob.Disk, v studio.Version, made []media.Made) ([]studio.Derived, error) {
	var out []studio.Derived
	for _, m := range made {
		info, err := os.Stat(m.File)
		if err != nil {
			return nil, err
		}
		r := studio.Derived{ID: studio.NewID(), VersionID: v.ID, Purpose: m.Purpose, Page: m.Page, Recipe: media.Recipe,
			BlobID: studio.NewID(), Mime: m.Mime, Width: m.Width, Height: m.Height, Size: info.Size()}
		if err := disk.Adopt(ctx, r.BlobID, m.File); err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, nil
}

type proxyWorker struct {
	river.WorkerDefaults[studio.ProxyJob]
	service *studio.Service
	disk    *blob.Disk
}

func (w *proxyWorker) Work(ctx context.Context, job *river.Job[studio.ProxyJob]) error {
	v, dir, done, err := begin(ctx, w.service, w.disk, job.Args.VersionID)
	if err != nil {
		return err
	}
	defer done()
	made, err := media.Proxy(ctx, w.disk.Path(v.BlobID), dir, v.Facts)
	if err != nil {
		return broken(ctx, w.service, v, err)
	}
	derived, err := adopt(ctx, w.disk, v, []media.Made{made})
	if err != nil {
		return err
	}
	return w.service.MediaDone(ctx, v, "ready", "", nil, derived)
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
