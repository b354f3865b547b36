package review

import (
	"context"
	"errors"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"

	"github.com/riverqueue/river"
)

// Jobs are letters of notices and of notes that are due.
func (s *Service) Jobs(b *jobs.Book, telling *notices.Service, post *letters.Service) {
	jobs.Work(b, &tellWorker{notes: s, telling: telling, post: post})
	b.Every(tellEvery, ground.TellJob{}, nil)
}

// tellEvery is how often it is looked for what somebody is to be told of, and tellLimit how long that may take.
const (
	tellEvery = time.Minute
	tellLimit = 2 * time.Minute
)

type tellWorker struct {
	river.WorkerDefaults[ground.TellJob]
	notes   *Service
	telling *notices.Service
	post    *letters.Service
}

func (w *tellWorker) Timeout(*river.Job[ground.TellJob]) time.Duration { return tellLimit }

func (w *tellWorker) Work(ctx context.Context, _ *river.Job[ground.TellJob]) error {
	return errors.Join(w.telling.Due(ctx), w.notes.Tell(ctx, w.post))
}
