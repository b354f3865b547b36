package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"aftergust/core/piece"
	"aftergust/core/preview"
	"aftergust/core/thing"
	"aftergust/internal/gather"
	"aftergust/internal/ground"
	"aftergust/internal/media"
	"aftergust/internal/previews"
	"aftergust/internal/unpack"

	"github.com/riverqueue/river"
)

// begin finds the version that a job is about and makes a folder for its work;
// ok is false where the work is not wanted any more.
func (w Shop) begin(ctx context.Context, version string) (v gather.Version, dir string, done func(), ok bool, err error) {
	if v, err = w.Things.Version(ctx, version); err != nil {
		return v, "", nil, false, err
	}
	if v.MediaState == preview.Cancelled || v.DeletedAt != nil {
		return v, "", nil, false, nil
	}
	dir, done, err = media.Room(w.Work)
	return v, dir, done, err == nil, err
}

// broken records that a file cannot be read. Anything else is tried again.
func (w Shop) broken(ctx context.Context, v gather.Version, facts *piece.Facts, err error) error {
	if errors.Is(err, media.ErrStopped) {
		return nil
	}
	if !errors.Is(err, media.ErrUnreadable) {
		return err
	}
	return w.Previews.Done(ctx, v, previews.Outcome{State: preview.Failed, Problem: strings.TrimSuffix(err.Error(),
		": "+media.ErrUnreadable.Error()), Facts: facts, Recipe: media.Recipe})
}

// adopt keeps what was made as blobs.
func (w Shop) adopt(ctx context.Context, version string, made ...media.Made) ([]previews.Derived, error) {
	var out []previews.Derived
	for _, m := range made {
		info, err := os.Stat(m.File)
		if err != nil {
			return nil, err
		}
		d := previews.Derived{ID: ground.NewID(), VersionID: version, Purpose: m.Purpose, Page: m.Page, Recipe: media.Recipe,
			BlobID: ground.NewID(), Mime: m.Mime, Width: m.Width, Height: m.Height, Size: info.Size()}
		if err := w.Bytes.Adopt(ctx, d.BlobID, m.File); err != nil {
			return nil, err
		}
		out = append(out, d)
	}
	return out, nil
}

type mediaWorker struct {
	river.WorkerDefaults[ground.MediaJob]
	Shop
}

func (w *mediaWorker) Work(ctx context.Context, job *river.Job[ground.MediaJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	seen, err := w.look(ctx, v, dir)
	if err != nil {
		return w.broken(ctx, v, &seen.facts, err)
	}
	derived, err := w.adopt(ctx, v.VersionID, seen.made...)
	if err != nil {
		return err
	}
	o := previews.Outcome{State: preview.Ready, Facts: &seen.facts, Body: &seen.body, Recipe: media.Recipe, Made: derived}
	switch {
	case thing.Whats.Get(v.What).Plays:
		o.State, o.Next = preview.Working, []ground.Job{ground.ProxyJob{VersionID: v.VersionID}}
	case len(seen.made) == 0 && seen.facts.Entries == 0:
		o.State = preview.None
	}
	if job.Args.Again && o.State == preview.Working {
		o.State = preview.Ready // what an older recipe made is shown until the new is there
	}
	return w.Previews.Done(ctx, v, o)
}

// A sight is what one look at a file found and made.
type sight struct {
	facts piece.Facts
	made  []media.Made
	body  string
}

func (w *mediaWorker) look(ctx context.Context, v gather.Version, dir string) (s sight, err error) {
	file, release, err := w.Bytes.Local(ctx, v.BlobID)
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
	f, err := w.Bytes.At(ctx, v.BlobID)
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
	Shop
}

func (w *proxyWorker) Work(ctx context.Context, job *river.Job[ground.ProxyJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	progress := func(share float64) bool {
		wanted, err := w.Previews.Share(ctx, v, share)
		return wanted || err != nil // a database that is away for a moment stops nothing
	}
	file, release, err := w.Bytes.Local(ctx, v.BlobID)
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
	return w.Previews.Done(ctx, v, previews.Outcome{State: preview.Ready, Recipe: media.Recipe, Made: derived})
}

type pictureWorker struct {
	river.WorkerDefaults[ground.PictureJob]
	Shop
}

func (w *pictureWorker) Work(ctx context.Context, job *river.Job[ground.PictureJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	file, release, err := w.Bytes.Local(ctx, job.Args.BlobID)
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
	return w.Previews.Done(ctx, v, previews.Outcome{State: preview.None, Recipe: media.Recipe, Made: derived})
}

// remakeWorker starts work anew for what an older recipe made.
type remakeWorker struct {
	river.WorkerDefaults[ground.RemakeJob]
	Shop
}

func (w *remakeWorker) Work(ctx context.Context, _ *river.Job[ground.RemakeJob]) error {
	return w.Previews.RemakeOld(ctx, media.Recipe)
}

// remakeEvery is how often old previews are looked for.
const remakeEvery = 5 * time.Minute
