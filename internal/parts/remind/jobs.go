package remind

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are reminders that are due.
func (s *Service) Jobs(b *jobs.Book) {
	jobs.Work(b, &remindWorker{Service: s})
	b.Every(dueEvery, ground.RemindJob{}, nil)
}

// dueEvery is how often it is looked for reminders that are due, and dueLimit how long that may take.
const (
	dueEvery = time.Minute
	dueLimit = 2 * time.Minute
)

type remindWorker struct {
	river.WorkerDefaults[ground.RemindJob]
	*Service
}

func (w *remindWorker) Timeout(*river.Job[ground.RemindJob]) time.Duration { return dueLimit }

func (w *remindWorker) Work(ctx context.Context, _ *river.Job[ground.RemindJob]) error {
	return w.Due(ctx)
}
