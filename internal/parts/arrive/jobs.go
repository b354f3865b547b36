package arrive

import (
	"context"
	"errors"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"

	"github.com/riverqueue/river"
)

// Jobs look for files that somebody left behind, on disk.
func (s *Service) Jobs(b *jobs.Book, disk *blob.Disk) {
	jobs.Work(b, &sweepWorker{Service: s, disk: disk})
	b.Every(sweepEvery, ground.SweepJob{}, nil)
}

// sweepEvery is how often files are looked for that somebody left behind.
const sweepEvery = 24 * time.Hour

type sweepWorker struct {
	river.WorkerDefaults[ground.SweepJob]
	*Service
	disk *blob.Disk
}

func (w *sweepWorker) Work(ctx context.Context, _ *river.Job[ground.SweepJob]) error {
	blobs, err := w.keep.SweepBytes(ctx)
	if errors.Is(err, keep.ErrStrangers) {
		w.log.Error("files are not swept", "error", err)
		err = nil // that it is tried again helps nobody
	}
	incoming, errIncoming := w.SweepIncoming(ctx, w.disk.Incoming())
	work, errWork := w.disk.Tidy(time.Now().Add(-expiry.LeftWork))
	children := media.EndOrphans()
	if blobs+incoming+work+children > 0 {
		w.log.Info("swept what was left behind", "blobs", blobs, "incoming", incoming, "work", work, "children", children)
	}
	return errors.Join(err, errIncoming, errWork)
}
