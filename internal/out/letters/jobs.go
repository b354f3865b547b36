package letters

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// A Post hands a letter over. begin is called once the mail server listens and
// before it can have the letter. An error means that it was not taken; a
// *Refusal, that it never will be.
type Post interface {
	Send(ctx context.Context, c Composed, begin func() error) error
}

// Outgoing is what letters go out with.
type Outgoing struct {
	Post Post
	// Picture is the frame that a note is about, as JPEG; nil for none.
	Picture func(ctx context.Context, studio, note string) ([]byte, error)
	Log     *slog.Logger
}

// Jobs are how letters go.
func (s *Service) Jobs(b *jobs.Book, to Outgoing) { jobs.Work(b, &letterWorker{Service: s, to: to}) }

type letterWorker struct {
	river.WorkerDefaults[ground.LetterJob]
	*Service
	to   Outgoing
	gone sync.Map // ids of letters that the mail server has and the database does not know of yet
}

const (
	letterLimit = 5 * time.Minute  // of the whole job
	handLimit   = 25 * time.Second // of handing one over, also while we stop
)

// Timeout is how long a letter may take, with the time that the database may be away.
func (w *letterWorker) Timeout(*river.Job[ground.LetterJob]) time.Duration { return letterLimit }

func (w *letterWorker) Work(ctx context.Context, job *river.Job[ground.LetterJob]) error {
	letter, composed, ok, err := w.Compose(ctx, job.Args.LetterID)
	if err != nil || !ok {
		return err
	}
	w.picture(ctx, letter, &composed)
	if perhaps, gone := w.gone.Load(letter.ID); gone {
		return w.went(ctx, letter, perhaps.(bool))
	}
	// Once it is on its way it is not let go of half way, whoever stops us.
	handing, cancel := context.WithTimeout(context.WithoutCancel(ctx), handLimit)
	defer cancel()
	perhaps := false
	err = w.to.Post.Send(handing, composed, func() (err error) {
		perhaps, err = w.Hand(handing, letter)
		return err
	})
	var refusal *Refusal
	switch {
	case errors.As(err, &refusal):
		return w.WillNotGo(handing, letter, refusal)
	case errors.Is(err, ErrUncertain):
		return errors.Join(fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err), w.MayHaveGone(handing, letter))
	case err != nil:
		w.to.Log.Warn("letter waits", "letter", letter.ID, "try", job.Attempt)
		return errors.Join(fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err), w.Waits(handing, letter))
	}
	w.gone.Store(letter.ID, perhaps)
	return w.went(ctx, letter, perhaps)
}

// mostPictures is how many frames a letter shows.
const mostPictures = 6

// picture puts the pictures of their frames to the notes that a letter tells of. It goes
// without those that cannot be had.
func (w *letterWorker) picture(ctx context.Context, l Letter, c *Composed) {
	notes := c.Notes()
	for _, said := range notes[:min(len(notes), mostPictures)] {
		picture, err := w.to.Picture(ctx, l.StudioID, said.Note)
		if err != nil {
			w.to.Log.Warn("a letter goes without a picture", "letter", l.ID, "error", err)
		}
		said.Picture = picture
	}
}

// went writes down that a letter has gone, as often as it takes: without that it
// would go again.
func (w *letterWorker) went(ctx context.Context, l Letter, perhaps bool) error {
	for {
		record, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		err := w.Went(record, l, perhaps)
		cancel()
		if err == nil {
			w.gone.Delete(l.ID)
			return nil
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Second):
		}
	}
}

// NextRetry tries again soon at first, then every ten minutes.
func (w *letterWorker) NextRetry(job *river.Job[ground.LetterJob]) time.Time {
	wait := min(3*time.Second<<min(job.Attempt-1, 8), 10*time.Minute)
	return time.Now().Add(wait)
}
