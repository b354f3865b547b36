package pack

import (
	"context"
	"time"

	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/core/time/timecode"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/who/account"
)

// A Content is one item of a package with the version that it gives now.
type Content struct {
	ID          string // of the item in this package
	ParcelID    string
	ItemID      string
	Folder      string
	Position    int
	WithdrawnAt *time.Time
	Heading     string // over it and those that follow it; empty for most
	Title       string // name of the item; differs from FileName for links, swatches and sheets
	Lead        string // the item in this package of which it is another format; empty for most
	Older       []string
	gather.Piece
}

// A Place is a place in the list of contents: after which item it goes on. The
// zero Place is the beginning.
type Place struct {
	Position int
	ID       string
}

// Place is where the list goes on after c.
func (c Content) Place() Place { return Place{c.Position, c.ID} }

// Path is the name under which the content lies in the package.
func (c Content) Path() string {
	if c.Folder == "" {
		return c.FileName
	}
	return c.Folder + "/" + c.FileName
}

// Reviewed is what core/notes/review needs to place a note on the content.
func (c Content) Reviewed() review.Piece {
	return review.Piece{Length: timecode.Micros(c.Facts.LengthUS), Frames: timecode.Frame(c.Facts.Frames), Timeline: c.Facts.Timeline()}
}

// ContentsPage is how many items of a package are shown at once.
const ContentsPage = 120

// Contents is a page of what is in a package, without what was withdrawn.
func (s *Service) Contents(ctx context.Context, m account.Member, id string, after Place) ([]Content, error) {
	if _, err := s.ParcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.contentRows.Contents(ctx, id, after, ContentsPage)
}

// RemoveItem takes an item out of a package: out of a draft without a trace,
// out of one that was sent by withdrawing it at once, with its record kept.
func (s *Service) RemoveItem(ctx context.Context, m account.Member, id string) error {
	content, _, err := s.ContentOf(ctx, m, id)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := s.Lock(ctx, m, content.ParcelID)
		if err != nil {
			return err
		}
		if parcel.SentAt == nil {
			if err := s.contentRows.RemoveItem(ctx, parcel.ID, id); err != nil {
				return err
			}
			return s.rows.Announce(ctx, ground.Change{Studio: m.StudioID, Parcel: parcel.ID, What: ground.ContentsChanged,
				Cut: &ground.Cut{Items: []string{id}}})
		}
		if content.WithdrawnAt != nil {
			return nil
		}
		if err := s.contentRows.WithdrawItem(ctx, parcel.ID, id, s.now()); err != nil {
			return err
		}
		return s.events.RecordCut(ctx, &ground.Cut{Items: []string{id}},
			happen.Happening{Kind: event.Withdrawn, StudioID: m.StudioID, ParcelID: parcel.ID, MemberID: m.ID, Version: content.VersionID})
	})
}

// ContentOf is an item of a package of the member's studio, with the package.
func (s *Service) ContentOf(ctx context.Context, m account.Member, id string) (Content, Parcel, error) {
	content, ok, err := s.contentRows.ContentByID(ctx, id)
	if err != nil {
		return content, Parcel{}, err
	}
	if !ok {
		return content, Parcel{}, ground.Missing("item")
	}
	parcel, err := s.ParcelOf(ctx, m, content.ParcelID)
	return content, parcel, ground.MissingIn(err, "item")
}
