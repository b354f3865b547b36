package previews

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"syscall"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/media"
	"aftergust/internal/files/unpack"
	"aftergust/internal/ground"
	"aftergust/internal/ground/jobs"
	"aftergust/internal/parts/gather"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

// Bytes is what previews are made of, and where they are kept.
type Bytes interface {
	At(ctx context.Context, id string) (blob.ReaderAt, error)
	Local(ctx context.Context, id string) (path string, done func(), err error)
	Adopt(ctx context.Context, files ...blob.File) error
}

// A maker makes previews.
type maker struct {
	*Service
	bytes Bytes
	disk  *blob.Disk    // where it is worked
	alone *sync.RWMutex // held by what is tried again: beside nothing else that may have been too much
}

// Jobs are how previews are made, of bytes, in the working folder of disk.
func (s *Service) Jobs(b *jobs.Book, bytes Bytes, disk *blob.Disk) {
	m := maker{s, bytes, disk, &sync.RWMutex{}}
	jobs.Work(b, &mediaWorker{maker: m})
	jobs.Work(b, &proxyWorker{maker: m})
	jobs.Work(b, &pictureWorker{maker: m})
	jobs.Work(b, &remakeWorker{maker: m})
	b.Every(remakeEvery, ground.RemakeJob{}, nil)
}

// within does work about a version in a folder made for it, where the work is still
// wanted. What fails for want of room waits for it.
func (w maker) within(ctx context.Context, job *rivertype.JobRow, version string, do func(v gather.Version, dir string) error) error {
	v, err := w.things.Version(ctx, version)
	if err != nil || v.MediaState == preview.Cancelled || v.DeletedAt != nil {
		return err
	}
	if job.Attempt > 1 {
		w.alone.Lock()
		defer w.alone.Unlock()
	} else {
		w.alone.RLock()
		defer w.alone.RUnlock()
	}
	dir, done, err := media.Room(w.disk.Work())
	if err == nil {
		defer done()
		err = do(v, dir)
	}
	after := context.WithoutCancel(ctx)
	switch {
	case err == nil:
	case IsFull(err):
		err = errors.Join(err, w.WaitForRoom(after, v))
	case ctx.Err() != nil && job.Attempt < job.MaxAttempts: // we stop; it goes on with the next process
	case job.Attempt >= job.MaxAttempts:
		err = errors.Join(err, w.GiveUp(after, v))
	default:
		err = errors.Join(err, w.WaitForAnotherTry(after, v, errors.Is(err, media.ErrInterrupted)))
	}
	return err
}

// mediaLimit is how long one media job may take: longer than its tools may, and less than
// the folder that it works in is kept (expiry.LeftWork).
const mediaLimit = 22 * time.Hour

// IsFull reports whether something failed for want of room.
func IsFull(err error) bool {
	return errors.Is(err, media.ErrFull) || errors.Is(err, blob.ErrFull) || errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT)
}

// broken records that a file cannot be read. Anything else is tried again.
func (w maker) broken(ctx context.Context, v gather.Version, facts *piece.Facts, err error) error {
	if errors.Is(err, media.ErrStopped) {
		return nil
	}
	if !errors.Is(err, media.ErrUnreadable) {
		return err
	}
	return w.Done(ctx, v, Outcome{State: preview.Failed, Problem: strings.TrimSuffix(err.Error(),
		": "+media.ErrUnreadable.Error()), Facts: facts, Recipe: media.Recipe})
}

// adopt keeps what was made as blobs.
func (w maker) adopt(ctx context.Context, version string, made ...media.Made) ([]Derived, error) {
	var out []Derived
	var files []blob.File
	for _, m := range made {
		info, err := os.Stat(m.File)
		if err != nil {
			return nil, err
		}
		d := Derived{ID: ground.NewID(), VersionID: version, Purpose: m.Purpose, Page: m.Page, Recipe: media.Recipe,
			BlobID: ground.NewID(), Mime: m.Mime, Width: m.Width, Height: m.Height, Size: info.Size()}
		files = append(files, blob.File{ID: d.BlobID, Path: m.File})
		out = append(out, d)
	}
	if len(files) == 0 {
		return nil, nil
	}
	return out, w.bytes.Adopt(ctx, files...)
}

type mediaWorker struct {
	river.WorkerDefaults[ground.MediaJob]
	maker
}

// Timeout is how long the job may take.
func (w *mediaWorker) Timeout(*river.Job[ground.MediaJob]) time.Duration { return mediaLimit }

func (w *mediaWorker) Work(ctx context.Context, job *river.Job[ground.MediaJob]) error {
	return w.within(ctx, job.JobRow, job.Args.VersionID, func(v gather.Version, dir string) error {
		return w.make(ctx, v, dir, job.Args.Again)
	})
}

func (w *mediaWorker) make(ctx context.Context, v gather.Version, dir string, again bool) error {
	seen, err := w.look(ctx, v, dir)
	if err != nil {
		return w.broken(ctx, v, &seen.facts, err)
	}
	derived, err := w.adopt(ctx, v.VersionID, seen.made...)
	if err != nil {
		return err
	}
	o := Outcome{State: preview.Ready, Facts: &seen.facts, Body: &seen.body, Recipe: media.Recipe, Made: derived}
	switch {
	case thing.Whats.Get(v.What).Plays:
		o.State, o.Next = preview.Working, []ground.Job{ground.ProxyJob{VersionID: v.VersionID}}
	case len(seen.made) == 0 && seen.facts.Entries == 0:
		o.State = preview.None
	}
	if again && o.State == preview.Working {
		o.State = preview.Ready // what an older recipe made is shown until the new is there
	}
	return w.Done(ctx, v, o)
}

// A sight is what one look at a file found and made.
type sight struct {
	facts piece.Facts
	made  []media.Made
	body  string
}

func (w *mediaWorker) look(ctx context.Context, v gather.Version, dir string) (s sight, err error) {
	file, release, err := w.bytes.Local(ctx, v.BlobID)
	if err != nil {
		return s, err
	}
	defer release()
	switch {
	case thing.Whats.Get(v.What).Plays:
		return lookAtMedia(ctx, file, dir)
	case v.What == thing.Still || v.What == thing.Artwork:
		s.facts, s.made, err = media.Still(ctx, file, dir, v.Mime)
	case v.Mime == "application/pdf":
		s.facts, s.made, s.body, err = media.Document(ctx, file, dir)
	case v.What == thing.Document && (strings.HasPrefix(v.Mime, "text/") || v.Mime == "application/json"), v.What == thing.ASheet:
		s.made, s.body, err = media.Text(file, dir)
	case strings.HasPrefix(v.Mime, "font/"):
		s.facts, s.made, err = media.Font(ctx, file, dir)
	case v.Mime == "application/zip":
		s.facts, err = w.contents(ctx, v)
	}
	return s, err
}

func lookAtMedia(ctx context.Context, file, dir string) (s sight, err error) {
	if s.facts, err = media.Probe(ctx, file); err != nil {
		return s, err
	}
	if s.facts.Codec != "" {
		poster, err := media.Poster(ctx, file, dir, s.facts)
		if err != nil {
			return s, err
		}
		s.made = append(s.made, poster)
	}
	if s.facts.SoundCodec != "" {
		peaks, err := media.Listen(ctx, file, dir, &s.facts)
		if err != nil {
			return s, err
		}
		s.made = append(s.made, peaks)
	}
	return s, nil
}

func (w *mediaWorker) contents(ctx context.Context, v gather.Version) (facts piece.Facts, err error) {
	f, err := w.bytes.At(ctx, v.BlobID)
	if err != nil {
		return facts, err
	}
	defer f.Close()
	archive, err := unpack.Open(f, v.Size)
	if err != nil {
		return facts, fmt.Errorf("%w: %w", err, media.ErrUnreadable)
	}
	facts.Entries, facts.Unpacked, facts.Locked = archive.Totals()
	return facts, nil
}

type proxyWorker struct {
	river.WorkerDefaults[ground.ProxyJob]
	maker
}

// Timeout is how long the job may take.
func (w *proxyWorker) Timeout(*river.Job[ground.ProxyJob]) time.Duration { return mediaLimit }

func (w *proxyWorker) Work(ctx context.Context, job *river.Job[ground.ProxyJob]) error {
	return w.within(ctx, job.JobRow, job.Args.VersionID, func(v gather.Version, dir string) error { return w.make(ctx, v, dir) })
}

func (w *proxyWorker) make(ctx context.Context, v gather.Version, dir string) error {
	progress := func(share float64) bool {
		wanted, err := w.Share(ctx, v, share)
		return wanted || err != nil // a database that is away for a moment stops nothing
	}
	file, release, err := w.bytes.Local(ctx, v.BlobID)
	if err != nil {
		return err
	}
	defer release()
	proxy, err := media.Proxy(ctx, file, dir, v.Facts, progress)
	if err != nil {
		return w.broken(ctx, v, nil, err)
	}
	made := []media.Made{proxy}
	if v.Facts.Codec != "" {
		strip, err := media.Strip(ctx, proxy, dir, v.Facts)
		if err != nil {
			return w.broken(ctx, v, nil, err)
		}
		made = append(made, strip...)
	}
	small, ok, err := media.SmallProxy(ctx, proxy, dir, v.Facts, progress)
	if err != nil {
		return w.broken(ctx, v, nil, err)
	}
	if ok {
		made = append(made, small)
	}
	derived, err := w.adopt(ctx, v.VersionID, made...)
	if err != nil {
		return err
	}
	return w.Done(ctx, v, Outcome{State: preview.Ready, Recipe: media.Recipe, Made: derived,
		Next: []ground.Job{ground.AlignJob{VersionID: v.VersionID}}})
}

type pictureWorker struct {
	river.WorkerDefaults[ground.PictureJob]
	maker
}

// Timeout is how long the job may take.
func (w *pictureWorker) Timeout(*river.Job[ground.PictureJob]) time.Duration { return mediaLimit }

func (w *pictureWorker) Work(ctx context.Context, job *river.Job[ground.PictureJob]) error {
	return w.within(ctx, job.JobRow, job.Args.VersionID, func(v gather.Version, dir string) error {
		return w.make(ctx, v, dir, job.Args.BlobID)
	})
}

func (w *pictureWorker) make(ctx context.Context, v gather.Version, dir, blob string) error {
	file, release, err := w.bytes.Local(ctx, blob)
	if err != nil {
		return err
	}
	defer release()
	poster, err := media.Picture(ctx, file, dir)
	if err != nil {
		return w.broken(ctx, v, nil, err)
	}
	derived, err := w.adopt(ctx, v.VersionID, poster)
	if err != nil {
		return err
	}
	return w.Done(ctx, v, Outcome{State: preview.None, Recipe: media.Recipe, Made: derived})
}

// remakeWorker starts work anew for what an older recipe made.
type remakeWorker struct {
	river.WorkerDefaults[ground.RemakeJob]
	maker
}

func (w *remakeWorker) Work(ctx context.Context, _ *river.Job[ground.RemakeJob]) error {
	return errors.Join(w.RemakeOld(ctx, media.Recipe), w.GiveUpLost(ctx))
}

// remakeEvery is how often old previews are looked for.
const remakeEvery = 5 * time.Minute
