package changes

import (
	"context"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs compare a version with the one before it.
func (s *Service) Jobs(b *jobs.Book) { jobs.Work(b, &alignWorker{Service: s}) }

type alignWorker struct {
	river.WorkerDefaults[ground.AlignJob]
	*Service
}

func (w *alignWorker) Work(ctx context.Context, job *river.Job[ground.AlignJob]) error {
	return w.Align(ctx, job.Args.VersionID)
}
