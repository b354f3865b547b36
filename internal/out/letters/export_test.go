package letters

import (
	"context"

	"aftergust/internal/ground"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

// A Worker works letters as a process does, one call for each time that its job is run.
type Worker struct{ worker *letterWorker }

func NewWorker(s *Service, to Outgoing) Worker { return Worker{&letterWorker{Service: s, to: to}} }

func (l Worker) Work(ctx context.Context, id string) error {
	return l.worker.Work(ctx, &river.Job[ground.LetterJob]{JobRow: &rivertype.JobRow{Attempt: 1}, Args: ground.LetterJob{LetterID: id}})
}
