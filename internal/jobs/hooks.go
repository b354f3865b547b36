package jobs

import (
	"context"
	"time"

	"aftergust/internal/ground"

	"github.com/riverqueue/river"
)

type hookWorker struct {
	river.WorkerDefaults[ground.HookJob]
	Shop
}

// hookLimit is how long one try may take, with the time that the database may be away.
const hookLimit = time.Minute

func (w *hookWorker) Timeout(*river.Job[ground.HookJob]) time.Duration { return hookLimit }

// Work makes one try. When the next one comes is settled by what became of it, so
// that the job sleeps and is no failure of ours.
func (w *hookWorker) Work(ctx context.Context, job *river.Job[ground.HookJob]) error {
	wait, err := w.Hooks.Send(ctx, job.Args.DeliveryID, job.Args.ByHand)
	if err == nil && wait > 0 {
		return river.JobSnooze(wait)
	}
	return err
}
