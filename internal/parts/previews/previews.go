// Package previews is what is made from versions so that they can be looked at:
// it keeps what media work came to, and starts it, stops it and starts it anew.
package previews

import (
	"context"

	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"
)

// A Service keeps previews. Make it with New.
type Service struct {
	rows     Rows
	keepRows keep.Rows
	things   *gather.Things
}

// New makes a service.
func New(store *db.DB, things *gather.Things) *Service {
	return &Service{Rows{store}, keep.Rows{DB: store}, things}
}

// An Outcome is what media work came to. Facts and Body stay as they are where nil.
type Outcome struct {
	State   preview.State
	Problem string
	Facts   *piece.Facts
	Body    *string
	Recipe  int
	Made    []Derived
	Next    []ground.Job
}

// A Derived is a picture or proxy made from a version.
type Derived struct {
	ID        string
	VersionID string
	Purpose   preview.Purpose
	Page      int
	Recipe    int
	BlobID    string
	Mime      string
	Width     int
	Height    int
	Size      int64
}

// Done records the outcome of media work, facts and what was made or why
// not, and starts what comes next.
func (s *Service) Done(ctx context.Context, v gather.Version, o Outcome) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		for _, m := range o.Made {
			if err := s.keepRows.InsertBlob(ctx, keep.Blob{ID: m.BlobID, StudioID: v.StudioID, Size: m.Size}); err != nil {
				return err
			}
			if err := s.rows.PutDerived(ctx, m); err != nil {
				return err
			}
		}
		if err := s.rows.SetMedia(ctx, v.VersionID, o); err != nil {
			return err
		}
		if err := s.rows.Enqueue(ctx, o.Next...); err != nil {
			return err
		}
		return s.things.Changed(ctx, v.StudioID, false, v.ItemID)
	})
}

// NoRoom is what is said of work that waits for room on the disk.
const NoRoom = "the disk of the studio is full; it is made as soon as there is room"

// WaitForRoom says of work that it waits for room on the disk.
func (s *Service) WaitForRoom(ctx context.Context, v gather.Version) error {
	return s.wait(ctx, v, NoRoom)
}

// WaitForAnotherTry says of work that failed without a fault of the file that it is tried
// again; interrupted says that a tool was killed, crashed or took too long.
func (s *Service) WaitForAnotherTry(ctx context.Context, v gather.Version, interrupted bool) error {
	why := "something failed on the server; it will be tried again"
	if interrupted {
		why = "the program that makes it was interrupted; it will be tried again"
	}
	return s.wait(ctx, v, why)
}

func (s *Service) wait(ctx context.Context, v gather.Version, why string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetMediaWaiting(ctx, v.VersionID, why); err != nil {
			return err
		}
		return s.things.Changed(ctx, v.StudioID, false, v.ItemID)
	})
}

// gaveUp is what is said of work that was interrupted each time. Nothing is wrong with the file.
const gaveUp = "it was interrupted too often; start it again when the server has less to do"

// GiveUp ends work that was interrupted each time.
func (s *Service) GiveUp(ctx context.Context, v gather.Version) error {
	return s.Done(ctx, v, Outcome{State: preview.Failed, Problem: gaveUp})
}

// GiveUpLost ends work that is said to go on and whose job is gone: its process was killed
// during the last try.
func (s *Service) GiveUpLost(ctx context.Context) error {
	lost, err := s.rows.LostMedia(ctx, remakeAtOnce)
	if err != nil {
		return err
	}
	for _, id := range lost {
		v, err := s.things.Version(ctx, id)
		if err == nil {
			err = s.GiveUp(ctx, v)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Share records how much of a version's media work is done, 0 to 1, and
// reports whether it is still wanted.
func (s *Service) Share(ctx context.Context, v gather.Version, share float64) (wanted bool, err error) {
	wanted, err = s.rows.SetMediaShare(ctx, v.VersionID, share)
	if err != nil || !wanted {
		return wanted, err
	}
	return true, s.rows.Announce(ctx, ground.Change{Studio: v.StudioID, What: ground.MediaChanged})
}

// Remake makes the previews of a version anew, or stops what runs.
func (s *Service) Remake(ctx context.Context, m account.Member, version string, stop bool) error {
	v, err := s.things.VersionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if !thing.Whats.Get(v.What).Previews {
		return ground.Clash("no_preview", "There is no preview of this kind of file.")
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if stop {
			if !v.MediaState.Busy() {
				return nil
			}
			if err := s.rows.SetMedia(ctx, v.VersionID, Outcome{State: preview.Cancelled, Problem: "stopped by hand"}); err != nil {
				return err
			}
			return s.things.Changed(ctx, v.StudioID, false, v.ItemID)
		}
		if err := s.rows.SetMedia(ctx, v.VersionID, Outcome{State: preview.Waiting}); err != nil {
			return err
		}
		if err := s.rows.Enqueue(ctx, ground.MediaJob{VersionID: v.VersionID}); err != nil {
			return err
		}
		return s.things.Changed(ctx, v.StudioID, false, v.ItemID)
	})
}

// remakeAtOnce bounds how many versions are made anew at a time after the recipe changed.
const remakeAtOnce = 200

// RemakeOld starts media work for versions whose previews an older recipe made.
func (s *Service) RemakeOld(ctx context.Context, recipe int) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		old, err := s.rows.VersionsOfOlderRecipe(ctx, recipe, remakeAtOnce)
		if err != nil {
			return err
		}
		for _, id := range old {
			if err := s.rows.Enqueue(ctx, ground.MediaJob{VersionID: id, Again: true}); err != nil {
				return err
			}
		}
		return nil
	})
}

// Find finds what was made from a version; ok is false where nothing was.
func (s *Service) Find(ctx context.Context, version string, purpose preview.Purpose, page int) (Derived, bool, error) {
	return s.rows.DerivedOf(ctx, version, purpose, page)
}
