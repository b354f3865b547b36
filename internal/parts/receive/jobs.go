package receive

import (
	"context"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are what a confirmation of a download is told by.
func (s *Service) Jobs(b *jobs.Book) { jobs.Work(b, &confirmWorker{Service: s}) }

type confirmWorker struct {
	river.WorkerDefaults[ground.ConfirmJob]
	*Service
}

func (w *confirmWorker) Work(ctx context.Context, job *river.Job[ground.ConfirmJob]) error {
	return w.Recorder.Confirm(ctx, job.Args.LineID, job.Args.VersionID)
}
