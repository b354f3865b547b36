package keep

import (
	"context"
	"log/slog"
	"time"

	"aftergust/core/file/damage"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are what is done for bytes beside requests.
func (s *Service) Jobs(b *jobs.Book, log *slog.Logger) {
	jobs.Work(b, &digestWorker{Service: s})
	jobs.Work(b, &inspectWorker{Service: s, log: log})
	b.Every(inspectEvery, ground.InspectJob{}, &river.InsertOpts{Queue: db.QueueDigest, MaxAttempts: 1}) // tomorrow it comes again
}

// inspectEvery is how often a share of all files is read again.
const inspectEvery = 24 * time.Hour

type digestWorker struct {
	river.WorkerDefaults[ground.DigestJob]
	*Service
}

func (w *digestWorker) Work(ctx context.Context, job *river.Job[ground.DigestJob]) error {
	return w.Digest(ctx, job.Args.BlobID)
}

type inspectWorker struct {
	river.WorkerDefaults[ground.InspectJob]
	*Service
	log *slog.Logger
}

func (w *inspectWorker) Work(ctx context.Context, _ *river.Job[ground.InspectJob]) error {
	damaged := 0
	found := func(f Finding) {
		if f.Damage != damage.None {
			damaged++
			w.log.Error("a file is damaged", "blob", f.Blob, "damage", string(f.Damage))
		}
	}
	seen, err := w.LookAll(ctx, found)
	if err != nil {
		return err
	}
	read, bytes, err := w.ReadShare(ctx, found)
	w.log.Info("files were looked at", "files", seen, "read", read, "bytes", bytes, "damaged", damaged)
	return err
}
