// Package changes computes what became of a film or sound in its next version, and keeps
// it: core/media/align compares, this makes what is compared and remembers the answer.
package changes

import (
	"bytes"
	"context"
	"errors"
	"io"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/media/align"
	"aftergust/core/media/preview"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/previews"
)

// An Alignment is what became of a version in the next one.
type Alignment struct {
	Older, Newer string
	Map          align.Map
}

// A Neighbour is a version next to another, of the same item.
type Neighbour struct {
	Older, Newer string
}

// A Service compares versions. Make it with New.
type Service struct {
	rows         Rows
	keepRows     keep.Rows
	previewsRows previews.Rows
	thingRows    gather.ThingRows
	bytes        blob.Store
	work         string
	now          func() time.Time
}

// New makes a service. work is a folder for what is being made.
func New(store *db.DB, bytes blob.Store, work string, now func() time.Time) *Service {
	return &Service{Rows{store}, keep.Rows{DB: store}, previews.Rows{DB: store}, gather.ThingRows{DB: store}, bytes, work, now}
}

// Align compares a version with those next to it that it was not compared with, and tells
// the screens that show them.
func (s *Service) Align(ctx context.Context, version string) error {
	pairs, err := s.rows.Unaligned(ctx, version)
	if err != nil {
		return err
	}
	for _, p := range pairs {
		if err := s.pair(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) pair(ctx context.Context, p Neighbour) error {
	older, okOlder, err := s.film(ctx, p.Older)
	if err != nil {
		return err
	}
	newer, okNewer, err := s.film(ctx, p.Newer)
	if err != nil {
		return err
	}
	v, ok, err := s.thingRows.VersionByID(ctx, p.Newer)
	if err != nil || !ok || !okOlder || !okNewer {
		return err
	}
	m := align.Compare(older, newer)
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.PutAlignment(ctx, Alignment{p.Older, p.Newer, m}, s.now()); err != nil {
			return err
		}
		parcels, err := s.thingRows.Given(ctx, []string{v.ItemID}, false)
		if err != nil {
			return err
		}
		for _, parcel := range parcels {
			if err := s.rows.Announce(ctx, ground.Change{Studio: v.StudioID, Parcel: parcel, What: ground.NotesChanged}); err != nil {
				return err
			}
		}
		return nil
	})
}

// film is what a version is compared by; it is made once. ok is false for what does not
// play, and for what is gone meanwhile.
func (s *Service) film(ctx context.Context, version string) (f align.Film, ok bool, err error) {
	v, ok, err := s.thingRows.VersionByID(ctx, version)
	if err != nil || !ok || !thing.Whats.Get(v.What).Plays {
		return f, false, err
	}
	kept, ok, err := s.previewsRows.DerivedOf(ctx, version, preview.Prints, 0)
	if err != nil {
		return f, false, err
	}
	if ok {
		if f, err = s.read(ctx, kept.BlobID); err == nil {
			return f, true, nil
		}
		if !errors.Is(err, align.ErrPrints) {
			return f, false, err
		}
	}
	proxy, ok, err := s.previewsRows.DerivedOf(ctx, version, preview.ProxySmall, 0)
	if err == nil && !ok {
		proxy, ok, err = s.previewsRows.DerivedOf(ctx, version, preview.Proxy, 0)
	}
	if err != nil || !ok {
		return f, false, err
	}
	if f, err = s.prints(ctx, proxy.BlobID, v); err != nil {
		return f, false, err
	}
	return f, true, s.keep(ctx, v, f)
}

func (s *Service) read(ctx context.Context, blob string) (align.Film, error) {
	from, err := s.bytes.Open(ctx, blob, 0)
	if err != nil {
		return align.Film{}, err
	}
	all, err := io.ReadAll(from)
	if err = errors.Join(err, from.Close()); err != nil {
		return align.Film{}, err
	}
	return align.Decode(all)
}

func (s *Service) prints(ctx context.Context, blob string, v gather.Version) (align.Film, error) {
	dir, swept, err := media.Room(s.work)
	if err != nil {
		return align.Film{}, err
	}
	defer swept()
	file, done, err := s.bytes.Local(ctx, blob)
	if err != nil {
		return align.Film{}, err
	}
	defer done()
	return media.Prints(ctx, file, dir, v.Facts)
}

func (s *Service) keep(ctx context.Context, v gather.Version, f align.Film) error {
	id := ground.NewID()
	size, sum, hash, err := s.bytes.Put(ctx, id, bytes.NewReader(f.Encode()))
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.keepRows.InsertBlob(ctx, keep.Blob{ID: id, StudioID: v.StudioID, Size: size, CRC32: sum, XXH3: hash[:]}); err != nil {
			return err
		}
		return s.previewsRows.PutDerived(
			ctx,
			previews.Derived{ID: ground.NewID(), VersionID: v.VersionID, Purpose: preview.Prints, Recipe: media.Recipe,
				BlobID: id, Mime: "application/octet-stream", Size: size},
		)
	})
}

// Maps are what became of each version of an item in the next.
type Maps map[string]Alignment // by the newer version

// Maps finds what is computed for an item.
func (s *Service) Maps(ctx context.Context, item string) (Maps, error) {
	all, err := s.rows.Alignments(ctx, item)
	maps := Maps{}
	for _, a := range all {
		if _, ok := maps[a.Newer]; !ok {
			maps[a.Newer] = a
		}
	}
	return maps, err
}

// Between is what became of one version in a later one, by way of those between; ok is
// false where that is not computed.
func (m Maps) Between(older, newer string) (align.Map, bool) {
	a, ok := m[newer]
	if !ok {
		return align.Map{}, false
	}
	out := a.Map
	for range m {
		if a.Older == older {
			return out, true
		}
		if a, ok = m[a.Older]; !ok {
			break
		}
		out = a.Map.Then(out)
	}
	return align.Map{}, false
}
