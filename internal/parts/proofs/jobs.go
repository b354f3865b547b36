package proofs

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are what is done for proofs beside requests.
func (s *Service) Jobs(b *jobs.Book) {
	jobs.Work(b, &linkWorker{Service: s})
	b.Every(linkEvery, ground.LinkJob{}, nil)
}

// linkEvery is how often what happened is chained.
const linkEvery = time.Minute

type linkWorker struct {
	river.WorkerDefaults[ground.LinkJob]
	*Service
}

func (w *linkWorker) Work(ctx context.Context, _ *river.Job[ground.LinkJob]) error {
	return w.LinkAll(ctx)
}
