// Package jobs runs the work that goes on after a request, as River jobs in
// PostgreSQL: one worker for each kind of job that package studio names. Every
// job may run twice.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"time"

	"aftergust/core/damage"
	"aftergust/core/expiry"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/arrive"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/remind"
	"aftergust/internal/parts/review"
	"aftergust/internal/parts/ways"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"
)

// A Post hands a letter over. begin is called once the mail server listens and
// before it can have the letter. An error means that it was not taken; a
// *letters.Refusal, that it never will be.
type Post interface {
	Send(ctx context.Context, c letters.Composed, begin func() error) error
}

// Bytes is what the workers need of the blob store.
type Bytes interface {
	Open(ctx context.Context, id string, offset int64) (io.ReadCloser, error)
	At(ctx context.Context, id string) (blob.ReaderAt, error)
	Local(ctx context.Context, id string) (path string, done func(), err error)
	Adopt(ctx context.Context, files ...blob.File) error
}

// A Shop is what the workers work with. All fields are required.
type Shop struct {
	Things   *gather.Things
	Previews *previews.Service
	Changes  *changes.Service
	Keep     *keep.Service
	Pack     *pack.Service
	Drafts   *pack.Drafts
	Uploads  *arrive.Service
	Letters  *letters.Service
	Bytes    Bytes
	Disk     *blob.Disk // where files come in and are worked on
	Post     Post
	Ways     *ways.Service
	Proofs   *proofs.Service
	Remind   *remind.Service
	Receive  *receive.Service
	Notices  *notices.Service
	Review   *review.Service
	Hooks    *hooks.Service
	Gateway  ways.Gateway // nil where there is none
	Log      *slog.Logger
	alone    *sync.RWMutex // held by media work that is tried again: beside nothing else that may have been too much
}

// New makes a River client that works all jobs, as a process of that id. Start and
// stop it as River says, within a Shift.
func New(pool *pgxpool.Pool, process string, shop Shop) (*river.Client[pgx.Tx], error) {
	workers := river.NewWorkers()
	shop.alone = &sync.RWMutex{}
	river.AddWorker(workers, &mediaWorker{Shop: shop})
	river.AddWorker(workers, &proxyWorker{Shop: shop})
	river.AddWorker(workers, &pictureWorker{Shop: shop})
	river.AddWorker(workers, &alignWorker{Shop: shop})
	river.AddWorker(workers, &remakeWorker{Shop: shop})
	river.AddWorker(workers, &digestWorker{Shop: shop})
	river.AddWorker(workers, &letterWorker{Shop: shop})
	river.AddWorker(workers, &clearWorker{Shop: shop})
	river.AddWorker(workers, &sweepWorker{Shop: shop})
	river.AddWorker(workers, &inspectWorker{Shop: shop})
	river.AddWorker(workers, &linkWorker{Shop: shop})
	river.AddWorker(workers, &goWorker{Shop: shop})
	river.AddWorker(workers, &endWorker{Shop: shop})
	river.AddWorker(workers, &confirmWorker{Shop: shop})
	river.AddWorker(workers, &textWorker{Shop: shop})
	river.AddWorker(workers, &remindWorker{Shop: shop})
	river.AddWorker(workers, &tellWorker{Shop: shop})
	river.AddWorker(workers, &hookWorker{Shop: shop})
	return river.NewClient(riverpgxv5.New(pool), &river.Config{
		ID: process,
		Queues: map[string]river.QueueConfig{
			river.QueueDefault: {MaxWorkers: 8},
			db.QueueMedia:      {MaxWorkers: 2},
			db.QueueDigest:     {MaxWorkers: 2},
			db.QueueHooks:      {MaxWorkers: 6},
			// Each has its own places, so that none waits for another.
			db.QueueLetters: {MaxWorkers: 6},
			db.QueueSends:   {MaxWorkers: 4},
		},
		Workers:           workers,
		Middleware:        []rivertype.Middleware{&patience{}},
		FetchPollInterval: 500 * time.Millisecond,
		FetchCooldown:     20 * time.Millisecond, // hundreds of small files come at once
		PeriodicJobs: []*river.PeriodicJob{
			river.NewPeriodicJob(river.PeriodicInterval(clearEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.ClearJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(remakeEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.RemakeJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(goEvery), func() (river.JobArgs, *river.InsertOpts) {
				return ground.GoJob{}, &river.InsertOpts{Queue: db.QueueSends, MaxAttempts: 3}
			}, &river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(goEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.RemindJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(goEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.TellJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(linkEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.LinkJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(sweepEvery), func() (river.JobArgs, *river.InsertOpts) {
				return ground.InspectJob{}, &river.InsertOpts{Queue: db.QueueDigest, MaxAttempts: 1} // tomorrow it comes again
			}, &river.PeriodicJobOpts{RunOnStart: true}),
			river.NewPeriodicJob(river.PeriodicInterval(sweepEvery), func() (river.JobArgs, *river.InsertOpts) { return ground.SweepJob{}, nil },
				&river.PeriodicJobOpts{RunOnStart: true}),
		},
		JobTimeout: 6 * time.Hour, // less than expiry.LeftWork
		Logger:     shop.Log,
	})
}

// linkEvery is how often what happened is chained.
const linkEvery = time.Minute

type linkWorker struct {
	river.WorkerDefaults[ground.LinkJob]
	Shop
}

func (w *linkWorker) Work(ctx context.Context, _ *river.Job[ground.LinkJob]) error {
	return w.Proofs.LinkAll(ctx)
}

// clearEvery is how often what has ended is cleared and what is of no use is swept.
const clearEvery = 10 * time.Minute

type digestWorker struct {
	river.WorkerDefaults[ground.DigestJob]
	Shop
}

func (w *digestWorker) Work(ctx context.Context, job *river.Job[ground.DigestJob]) error {
	return w.Keep.Digest(ctx, job.Args.BlobID)
}

type letterWorker struct {
	river.WorkerDefaults[ground.LetterJob]
	Shop
	gone sync.Map // ids of letters that the mail server has and the database does not know of yet
}

const (
	letterLimit = 5 * time.Minute  // of the whole job
	handLimit   = 25 * time.Second // of handing one over, also while we stop
)

// Timeout is how long a letter may take, with the time that the database may be away.
func (w *letterWorker) Timeout(*river.Job[ground.LetterJob]) time.Duration { return letterLimit }

func (w *letterWorker) Work(ctx context.Context, job *river.Job[ground.LetterJob]) error {
	letter, composed, ok, err := w.Letters.Compose(ctx, job.Args.LetterID)
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
	err = w.Post.Send(handing, composed, func() (err error) {
		perhaps, err = w.Letters.Hand(handing, letter)
		return err
	})
	var refusal *letters.Refusal
	switch {
	case errors.As(err, &refusal):
		return w.Letters.WillNotGo(handing, letter, refusal)
	case errors.Is(err, letters.ErrUncertain):
		return errors.Join(fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err), w.Letters.MayHaveGone(handing, letter))
	case err != nil:
		w.Log.Warn("letter waits", "letter", letter.ID, "try", job.Attempt)
		return errors.Join(fmt.Errorf("hand letter %s to SMTP: %w", letter.ID, err), w.Letters.Waits(handing, letter))
	}
	w.gone.Store(letter.ID, perhaps)
	return w.went(ctx, letter, perhaps)
}

// mostPictures is how many frames a letter shows.
const mostPictures = 6

// picture puts the pictures of their frames to the notes that a letter tells of. It goes
// without those that cannot be had.
func (w *letterWorker) picture(ctx context.Context, l letters.Letter, c *letters.Composed) {
	notes := c.Notes()
	for _, said := range notes[:min(len(notes), mostPictures)] {
		picture, err := w.Review.Picture(ctx, l.StudioID, said.Note)
		if err != nil {
			w.Log.Warn("a letter goes without a picture", "letter", l.ID, "error", err)
		}
		said.Picture = picture
	}
}

// went writes down that a letter has gone, as often as it takes: without that it
// would go again.
func (w *letterWorker) went(ctx context.Context, l letters.Letter, perhaps bool) error {
	for {
		record, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		err := w.Letters.Went(record, l, perhaps)
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

type textWorker struct {
	river.WorkerDefaults[ground.TextJob]
	Shop
}

// textLimit is how long handing one text message over may take.
const textLimit = time.Minute

func (w *textWorker) Timeout(*river.Job[ground.TextJob]) time.Duration { return textLimit }

func (w *textWorker) Work(ctx context.Context, job *river.Job[ground.TextJob]) error {
	if w.Gateway == nil {
		return errors.New("no gateway for text messages is set here")
	}
	return w.Ways.Hand(ctx, w.Gateway, job.Args.TextID, job.Attempt >= job.MaxAttempts)
}

type clearWorker struct {
	river.WorkerDefaults[ground.ClearJob]
	Shop
}

func (w *clearWorker) Work(ctx context.Context, _ *river.Job[ground.ClearJob]) error {
	if err := w.Pack.ClearEnded(ctx); err != nil {
		return err
	}
	return w.Keep.Clear(ctx)
}

// goEvery is how often it is looked for drafts that go by themselves, reminders and
// letters of notices that are due, beside the job that some have for their moment.
const goEvery = time.Minute

// goLimit is how long one round of drafts may take.
const goLimit = 2 * time.Minute

type goWorker struct {
	river.WorkerDefaults[ground.GoJob]
	Shop
}

func (w *goWorker) Timeout(*river.Job[ground.GoJob]) time.Duration { return goLimit }

func (w *goWorker) Work(ctx context.Context, _ *river.Job[ground.GoJob]) error {
	return w.Drafts.GoDue(ctx)
}

type remindWorker struct {
	river.WorkerDefaults[ground.RemindJob]
	Shop
}

func (w *remindWorker) Timeout(*river.Job[ground.RemindJob]) time.Duration { return goLimit }

func (w *remindWorker) Work(ctx context.Context, _ *river.Job[ground.RemindJob]) error {
	return w.Remind.Due(ctx)
}

type tellWorker struct {
	river.WorkerDefaults[ground.TellJob]
	Shop
}

func (w *tellWorker) Timeout(*river.Job[ground.TellJob]) time.Duration { return goLimit }

func (w *tellWorker) Work(ctx context.Context, _ *river.Job[ground.TellJob]) error {
	return errors.Join(w.Notices.Due(ctx), w.Review.Tell(ctx, w.Letters))
}

type endWorker struct {
	river.WorkerDefaults[ground.EndJob]
	Shop
}

func (w *endWorker) Timeout(*river.Job[ground.EndJob]) time.Duration { return goLimit }

func (w *endWorker) Work(ctx context.Context, job *river.Job[ground.EndJob]) error {
	return w.Drafts.Settle(ctx, job.Args.ParcelID)
}

type confirmWorker struct {
	river.WorkerDefaults[ground.ConfirmJob]
	Shop
}

func (w *confirmWorker) Work(ctx context.Context, job *river.Job[ground.ConfirmJob]) error {
	return w.Receive.Recorder.Confirm(ctx, job.Args.LineID, job.Args.VersionID)
}

// sweepEvery is how often files are looked for that somebody left behind.
const sweepEvery = 24 * time.Hour

type sweepWorker struct {
	river.WorkerDefaults[ground.SweepJob]
	Shop
}

func (w *sweepWorker) Work(ctx context.Context, _ *river.Job[ground.SweepJob]) error {
	blobs, err := w.Keep.SweepBytes(ctx)
	if errors.Is(err, keep.ErrStrangers) {
		w.Log.Error("files are not swept", "error", err)
		err = nil // that it is tried again helps nobody
	}
	incoming, errIncoming := w.Uploads.SweepIncoming(ctx, w.Disk.Incoming())
	work, errWork := w.Disk.Tidy(time.Now().Add(-expiry.LeftWork))
	children := media.EndOrphans()
	if blobs+incoming+work+children > 0 {
		w.Log.Info("swept what was left behind", "blobs", blobs, "incoming", incoming, "work", work, "children", children)
	}
	return errors.Join(err, errIncoming, errWork)
}

type inspectWorker struct {
	river.WorkerDefaults[ground.InspectJob]
	Shop
}

func (w *inspectWorker) Work(ctx context.Context, _ *river.Job[ground.InspectJob]) error {
	damaged := 0
	found := func(f keep.Finding) {
		if f.Damage != damage.None {
			damaged++
			w.Log.Error("a file is damaged", "blob", f.Blob, "damage", string(f.Damage))
		}
	}
	seen, err := w.Keep.LookAll(ctx, found)
	if err != nil {
		return err
	}
	read, bytes, err := w.Keep.ReadShare(ctx, found)
	w.Log.Info("files were looked at", "files", seen, "read", read, "bytes", bytes, "damaged", damaged)
	return err
}
