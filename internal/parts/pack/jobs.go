package pack

import (
	"context"
	"time"

	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs are what packages do by themselves: go, end, and be cleared, with the bytes that then
// nobody needs.
func (d *Drafts) Jobs(b *jobs.Book, bytes *keep.Service) {
	jobs.Work(b, &goWorker{Drafts: d})
	jobs.Work(b, &endWorker{Drafts: d})
	jobs.Work(b, &clearWorker{Drafts: d, bytes: bytes})
	b.Every(goEvery, ground.GoJob{}, &river.InsertOpts{Queue: db.QueueSends, MaxAttempts: 3})
	b.Every(clearEvery, ground.ClearJob{}, nil)
}

// goEvery is how often it is looked for drafts that go by themselves, beside the job that
// some have for their moment.
const goEvery = time.Minute

// goLimit is how long one round of drafts may take.
const goLimit = 2 * time.Minute

type goWorker struct {
	river.WorkerDefaults[ground.GoJob]
	*Drafts
}

func (w *goWorker) Timeout(*river.Job[ground.GoJob]) time.Duration { return goLimit }

func (w *goWorker) Work(ctx context.Context, _ *river.Job[ground.GoJob]) error {
	return w.GoDue(ctx)
}

type endWorker struct {
	river.WorkerDefaults[ground.EndJob]
	*Drafts
}

func (w *endWorker) Timeout(*river.Job[ground.EndJob]) time.Duration { return goLimit }

func (w *endWorker) Work(ctx context.Context, job *river.Job[ground.EndJob]) error {
	return w.Settle(ctx, job.Args.ParcelID)
}

// clearEvery is how often what has ended is cleared and what is of no use is swept.
const clearEvery = 10 * time.Minute

type clearWorker struct {
	river.WorkerDefaults[ground.ClearJob]
	*Drafts
	bytes *keep.Service
}

func (w *clearWorker) Work(ctx context.Context, _ *river.Job[ground.ClearJob]) error {
	if err := w.pack.ClearEnded(ctx); err != nil {
		return err
	}
	return w.bytes.Clear(ctx)
}
