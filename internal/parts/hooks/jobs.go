package hooks

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are how messages go to other programs.
func (s *Service) Jobs(b *jobs.Book) { jobs.Work(b, &hookWorker{Service: s}) }

type hookWorker struct {
	river.WorkerDefaults[ground.HookJob]
	*Service
}

// hookLimit is how long one try may take, with the time that the database may be away.
const hookLimit = time.Minute

func (w *hookWorker) Timeout(*river.Job[ground.HookJob]) time.Duration { return hookLimit }

// Work makes one try. When the next one comes is settled by what became of it, so
// that the job sleeps and is no failure of ours.
func (w *hookWorker) Work(ctx context.Context, job *river.Job[ground.HookJob]) error {
	wait, err := w.Send(ctx, job.Args.DeliveryID, job.Args.ByHand)
	if err == nil && wait > 0 {
		return river.JobSnooze(wait)
	}
	return err
}
