package jobs

import (
	"context"

	"aftergust/internal/ground"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

// A Letters works letters as a process does, one call for each time that its job is run.
type Letters struct{ worker *letterWorker }

func NewLetters(shop Shop) Letters { return Letters{&letterWorker{Shop: shop}} }

func (l Letters) Work(ctx context.Context, id string) error {
	return l.worker.Work(ctx, &river.Job[ground.LetterJob]{JobRow: &rivertype.JobRow{Attempt: 1}, Args: ground.LetterJob{LetterID: id}})
}
