// Package copies lets somebody who was sent a package, and has a studio here, keep a
// copy of it in a project of their own. No bytes travel: the same file gets another name.
package copies

import (
	"context"
	"fmt"
	"slices"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/place"
	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/preview"
	"aftergust/core/record/event"
	"aftergust/core/words/count"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// Bytes is what the service needs of the blob store.
type Bytes interface {
	Local(ctx context.Context, id string) (path string, done func(), err error)
	Adopt(ctx context.Context, files ...blob.File) error
}

// A Service keeps copies. Make it with New.
type Service struct {
	keepRows  keep.Rows
	thingRows gather.ThingRows
	bytes     Bytes
	receive   *receive.Service
	places    *gather.Places
	things    *gather.Things
	keep      *keep.Service
	events    *happen.Log
	now       func() time.Time
}

// New makes a service.
func New(store *db.DB, bytes Bytes, receiving *receive.Service, places *gather.Places, things *gather.Things, keeping *keep.Service,
	events *happen.Log, now func() time.Time) *Service {
	return &Service{keep.Rows{DB: store}, gather.ThingRows{DB: store}, bytes, receiving, places, things, keeping, events, now}
}

// Most is how many items are kept at a time.
const Most = 2000

// Keep puts a copy of what an entrant may take into a place of their own studio, with
// its folders: all of the package, or what they chose of it. It returns how many items
// that were. All of them are there afterwards, or none; bytes of a copy that was broken
// off are cleared like all that nothing refers to.
func (s *Service) Keep(ctx context.Context, e receive.Entrant, m *account.Member, to string, chosen []string) (int, error) {
	if err := receive.Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return 0, err
	}
	if m == nil {
		return 0, ground.Clash("no_studio", "Sign in to your own studio on this server first, in this browser. Then you can keep a copy there.")
	}
	if m.StudioID == e.Parcel.StudioID {
		return 0, ground.Clash("own_things", "These are things of your own studio. They lie in Gather already.")
	}
	at, err := s.places.PlaceOf(ctx, *m, to)
	if err != nil {
		return 0, err
	}
	if !place.All.Get(at.Kind).Holds {
		return 0, ground.Clash("needs_project", "Files lie in projects. Choose or make a project of this client first.")
	}
	contents, err := s.wanted(ctx, e, chosen)
	if err != nil {
		return 0, err
	}
	size := int64(0)
	for _, c := range contents {
		size += c.Size
	}
	if err := s.keep.Room(ctx, *m, e.Parcel.Title, size); err != nil {
		return 0, err
	}
	blobs, err := s.link(ctx, *m, contents)
	if err != nil {
		return 0, err
	}
	err = s.keepRows.Tx(ctx, func(ctx context.Context) error {
		var items []string
		copies := map[string]string{}           // of items of the package
		folders := map[string]string{"": at.ID} // places of the folders of the package
		for i, c := range contents {
			if folders[c.Folder] == "" {
				if folders[c.Folder], err = s.places.Folders(ctx, m.StudioID, at.ID, c.Folder); err != nil {
					return err
				}
			}
			item, err := s.put(ctx, *m, folders[c.Folder], c, blobs[i])
			if err != nil {
				return err
			}
			items, copies[c.ID] = append(items, item), item
		}
		for _, c := range contents {
			if lead := copies[c.Lead]; lead != "" {
				if err := s.thingRows.SetRendition(ctx, []string{copies[c.ID]}, lead); err != nil {
					return err
				}
			}
		}
		if err := s.things.Changed(ctx, m.StudioID, false, items...); err != nil {
			return err
		}
		return s.events.Record(ctx, happen.Happening{Kind: event.Kept, StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID,
			WayIn: e.Line.WayID, Place: count.Of(len(contents), "item", "items")})
	})
	if err != nil {
		return 0, err
	}
	for _, c := range contents { // they have it now, to the last byte
		s.receive.Recorder.Delivered(e.Delivery(c.VersionID, c.Size), coverage.Range{End: c.Size})
	}
	return len(contents), nil
}

// wanted are all items of a package, or those of them that were chosen.
func (s *Service) wanted(ctx context.Context, e receive.Entrant, chosen []string) (all []pack.Content, err error) {
	if len(chosen) > Most || len(chosen) == 0 && e.Parcel.Items > Most {
		return nil, ground.Clash("too_many", fmt.Sprintf("Up to %d items are kept at a time. Choose some of them; nothing was copied.", Most))
	}
	chosen = slices.Clone(chosen)
	slices.Sort(chosen)
	for _, id := range slices.Compact(chosen) {
		c, err := s.receive.Reach(ctx, e, id, right.Take)
		if err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	if len(chosen) > 0 {
		return all, nil
	}
	after := pack.Place{}
	for {
		inside, err := s.receive.Inside(ctx, e, after)
		if err != nil {
			return nil, err
		}
		all = append(all, inside.Contents...)
		if len(inside.Contents) < pack.ContentsPage {
			break
		}
		after = inside.Contents[len(inside.Contents)-1].Place()
	}
	if len(all) == 0 {
		return nil, ground.Clash("nothing_to_take", "There is nothing to keep in this package.")
	}
	return all, nil
}

// link gives the bytes of contents further names, which belong to the studio of m. They
// are known before they are there, so that what is left of a copy that was broken off is cleared.
func (s *Service) link(ctx context.Context, m account.Member, contents []pack.Content) (blobs []string, err error) {
	err = s.keepRows.Tx(ctx, func(ctx context.Context) error {
		for _, c := range contents {
			id := ground.NewID()
			blobs = append(blobs, id)
			if err := s.keepRows.InsertBlob(ctx, keep.Blob{ID: id, StudioID: m.StudioID, Size: c.Size, CRC32: c.CRC32, XXH3: c.XXH3}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for from := 0; from < len(contents); from += linkedAtOnce {
		to := min(from+linkedAtOnce, len(contents))
		if err := s.adopt(ctx, contents[from:to], blobs[from:to]); err != nil {
			return nil, err
		}
	}
	return blobs, nil
}

// linkedAtOnce is how many files are flushed to disk together.
const linkedAtOnce = 500

func (s *Service) adopt(ctx context.Context, contents []pack.Content, blobs []string) error {
	files := make([]blob.File, len(contents))
	for i, c := range contents {
		path, done, err := s.bytes.Local(ctx, c.BlobID)
		if err != nil {
			return err
		}
		defer done()
		files[i] = blob.File{ID: blobs[i], Path: path}
	}
	return s.bytes.Adopt(ctx, files...)
}

// put makes an item of a content in a place, in the transaction of ctx.
func (s *Service) put(ctx context.Context, m account.Member, at string, c pack.Content, blob string) (string, error) {
	item := gather.Item{ID: ground.NewID(), StudioID: m.StudioID, PlaceID: at, Kind: thing.KindOf(c.What), Name: c.Title, CreatedBy: m.ID}
	if err := s.thingRows.InsertItem(ctx, item); err != nil {
		return "", err
	}
	v := gather.Version{ItemID: item.ID, AddedBy: m.ID, Piece: gather.Piece{VersionID: ground.NewID(), Number: 1, FileName: c.FileName,
		BlobID: blob, What: c.What, Mime: c.Mime, Data: c.Data, MediaState: preview.None}}
	if thing.Whats.Get(c.What).Previews && c.Size > 0 {
		v.MediaState = preview.Waiting
	}
	return item.ID, s.things.Put(ctx, v)
}
