package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"aftergust/internal/blob"
	"aftergust/internal/media"
	"aftergust/internal/studio"
	"aftergust/internal/unpack"

	"github.com/riverqueue/river"
)

// workshop is what media workers share.
type workshop struct {
	service *studio.Service
	disk    *blob.Disk
}

// begin finds the version that a job is about and makes a folder for its work;
// ok is false where the work is not wanted any more.
func (w workshop) begin(ctx context.Context, version string) (v studio.Version, dir string, done func(), ok bool, err error) {
	if v, err = w.service.Version(ctx, version); err != nil {
		return v, "", nil, false, err
	}
	if v.MediaState == "cancelled" || v.DeletedAt != nil {
		return v, "", nil, false, nil
	}
	dir, done, err = media.Room(w.disk.Work())
	return v, dir, done, err == nil, err
}

// broken records that a file cannot be read. Anything else is tried again.
func (w workshop) broken(ctx context.Context, v studio.Version, facts *studio.Facts, err error) error {
	if errors.Is(err, media.ErrStopped) {
		return nil
	}
	if !errors.Is(err, media.ErrUnreadable) {
		return err
	}
	return w.service.MediaDone(ctx, v, studio.Outcome{State: "failed", Problem: strings.TrimSuffix(err.Error(), ": "+media.ErrUnreadable.Error()), Facts: facts, Recipe: media.Recipe})
}

// adopt keeps what was made as blobs.
func (w workshop) adopt(ctx context.Context, version string, made ...media.Made) ([]studio.Derived, error) {
	var out []studio.Derived
	for _, m := range made {
		info, err := os.Stat(m.File)
		if err != nil {
			return nil, err
		}
		d := studio.Derived{ID: studio.NewID(), VersionID: version, Purpose: m.Purpose, Page: m.Page, Recipe: media.Recipe,
			BlobID: studio.NewID(), Mime: m.Mime, Width: m.Width, Height: m.Height, Size: info.Size()}
		if err := w.disk.Adopt(ctx, d.BlobID, m.File); err != nil {
			return nil, err
		}
		out = append(out, d)
	}
	return out, nil
}

type mediaWorker struct {
	river.WorkerDefaults[studio.MediaJob]
	workshop
}

func (w *mediaWorker) Work(ctx context.Context, job *river.Job[studio.MediaJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	seen, err := w.look(ctx, v, dir)
	if err != nil {
		return w.broken(ctx, v, &seen.facts, err)
	}
	derived, err := w.adopt(ctx, v.ID, seen.made...)
	if err != nil {
		return err
	}
	o := studio.Outcome{State: "ready", Facts: &seen.facts, Body: &seen.body, Recipe: media.Recipe, Made: derived}
	switch {
	case v.Kind == "film" || v.Kind == "sound":
		o.State, o.Next = "working", []studio.Job{studio.ProxyJob{VersionID: v.ID}}
	case len(seen.made) == 0 && seen.facts.Entries == 0:
		o.State = "none"
	}
	if job.Args.Again && o.State == "working" {
		o.State = "ready" // what an older recipe made is shown until the new is there
	}
	return w.service.MediaDone(ctx, v, o)
}

// A sight is what one look at a file found and made.
type sight struct {
	facts studio.Facts
	made  []media.Made
	body  string
}

func (w *mediaWorker) look(ctx context.Context, v studio.Version, dir string) (s sight, err error) {
	file := w.disk.Path(v.BlobID)
	switch {
	case v.Kind == "film" || v.Kind == "sound":
		return lookAtMedia(ctx, file, dir)
	case v.Kind == "still" || v.Kind == "artwork":
		s.facts, s.made, err = media.Still(ctx, file, dir, v.Mime)
	case v.Mime == "application/pdf":
		s.facts, s.made, s.body, err = media.Document(ctx, file, dir)
	case v.Kind == "document" && (strings.HasPrefix(v.Mime, "text/") || v.Mime == "application/json"), v.Kind == "sheet":
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

func (w *mediaWorker) contents(ctx context.Context, v studio.Version) (facts studio.Facts, err error) {
	f, err := w.disk.Open(ctx, v.BlobID)
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
	river.WorkerDefaults[studio.ProxyJob]
	workshop
}

func (w *proxyWorker) Work(ctx context.Context, job *river.Job[studio.ProxyJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	progress := func(share float64) bool {
		wanted, err := w.service.MediaShare(ctx, v, share)
		return wanted || err != nil // a database that is away for a moment stops nothing
	}
	proxy, err := media.Proxy(ctx, w.disk.Path(v.BlobID), dir, v.Facts, progress)
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
	derived, err := w.adopt(ctx, v.ID, made...)
	if err != nil {
		return err
	}
	return w.service.MediaDone(ctx, v, studio.Outcome{State: "ready", Recipe: media.Recipe, Made: derived})
}

type pictureWorker struct {
	river.WorkerDefaults[studio.PictureJob]
	workshop
}

func (w *pictureWorker) Work(ctx context.Context, job *river.Job[studio.PictureJob]) error {
	v, dir, done, ok, err := w.begin(ctx, job.Args.VersionID)
	if err != nil || !ok {
		return err
	}
	defer done()
	poster, err := media.Picture(ctx, w.disk.Path(job.Args.BlobID), dir)
	if err != nil {
		return w.broken(ctx, v, nil, err)
	}
	derived, err := w.adopt(ctx, v.ID, poster)
	if err != nil {
		return err
	}
	return w.service.MediaDone(ctx, v, studio.Outcome{State: "none", Recipe: media.Recipe, Made: derived})
}

// remakeWorker starts work anew for what an older recipe made.
type remakeWorker struct {
	river.WorkerDefaults[studio.RemakeJob]
	service *studio.Service
}

func (w *remakeWorker) Work(ctx context.Context, _ *river.Job[studio.RemakeJob]) error {
	return w.service.RemakeOld(ctx, media.Recipe)
}

// remakeEvery is how often old previews are looked for.
const remakeEvery = 5 * time.Minute
