package ways

import (
	"context"
	"errors"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are how text messages go, by a gateway; nil where there is none.
func (s *Service) Jobs(b *jobs.Book, to Gateway) { jobs.Work(b, &textWorker{Service: s, to: to}) }

type textWorker struct {
	river.WorkerDefaults[ground.TextJob]
	*Service
	to Gateway
}

// textLimit is how long handing one text message over may take.
const textLimit = time.Minute

func (w *textWorker) Timeout(*river.Job[ground.TextJob]) time.Duration { return textLimit }

func (w *textWorker) Work(ctx context.Context, job *river.Job[ground.TextJob]) error {
	if w.to == nil {
		return errors.New("no gateway for text messages is set here")
	}
	return w.Hand(ctx, w.to, job.Args.TextID, job.Attempt >= job.MaxAttempts)
}
