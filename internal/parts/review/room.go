package review

import (
	"context"
	"slices"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/media/align"
	"aftergust/core/media/piece"
	"aftergust/core/notes/review"
	"aftergust/core/time/timecode"
	"aftergust/internal/ground"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/pack"
)

// A Given is a version of an item as the package gave it.
type Given struct {
	ID     string
	Number int
	Label  string
	At     time.Time
	Now    bool // the package gives it now
}

// A Piece is a version as notes lie on it.
type Piece struct {
	ID     string
	Number int
	Facts  piece.Facts
}

// Reviewed is what core/notes/review needs of it.
func (p Piece) Reviewed() review.Piece {
	return review.Piece{Length: timecode.Micros(p.Facts.LengthUS), Frames: timecode.Frame(p.Facts.Frames), Timeline: p.Facts.Timeline()}
}

// A Person is somebody who takes part.
type Person struct {
	ID     string // of the line or member
	Name   string
	Studio bool
}

// A Rating is how many stars somebody gave.
type Rating struct {
	Who   string // id of the line or member
	Name  string
	Stars int
}

// A Room is what the review screen shows of an item.
type Room struct {
	Content  pack.Content // in the version that is looked at
	Versions []Given
	Notes    []Note // with answers, oldest first, of all versions
	People   []Person
	Ratings  []Rating
	Changed  *align.Map // what became of the version before in the one that is looked at; nil where that is not known
	Before   string     // that version, of those that are given; empty for none
}

// Room is the review of an item, looked at in a version; empty for the one that the
// package gives.
func (s *Service) Room(ctx context.Context, p Party, contentID, version string) (r Room, err error) {
	content, parcel, err := s.content(ctx, p, contentID, right.See)
	if err == nil {
		r.Content, err = s.at(ctx, p, content, version)
	}
	if err != nil {
		return r, err
	}
	if r.Versions, err = s.roomRows.GivenVersions(ctx, content.ID, p.InStudio()); err != nil {
		return r, err
	}
	maps, err := s.changes.Maps(ctx, r.Content.ItemID)
	if err != nil {
		return r, err
	}
	r.changedSince(maps)
	if r.Notes, err = s.laidBy(ctx, p, parcel, r.Content, maps); err != nil {
		return r, err
	}
	if r.People, err = s.roomRows.TakePart(ctx, parcel.ID); err != nil {
		return r, err
	}
	r.Ratings, err = s.roomRows.Ratings(ctx, parcel.ID, r.Content.VersionID)
	return r, err
}

// changedSince finds what became of the version before the one that is looked at.
func (r *Room) changedSince(maps changes.Maps) {
	for _, v := range r.Versions {
		if v.Number < r.Content.Number {
			r.Before = v.ID
		}
	}
	if m, ok := maps.Between(r.Before, r.Content.VersionID); ok && r.Content.Facts.LengthUS > 0 {
		r.Changed = &m
	}
}

// laid are the notes of an item that somebody may read, those of older versions where they
// lie on the one that is looked at.
func (s *Service) laid(ctx context.Context, p Party, parcel pack.Parcel, c pack.Content) ([]Note, error) {
	maps, err := s.changes.Maps(ctx, c.ItemID)
	if err != nil {
		return nil, err
	}
	return s.laidBy(ctx, p, parcel, c, maps)
}

// laidBy is laid where it is known what became of each version.
func (s *Service) laidBy(ctx context.Context, p Party, parcel pack.Parcel, c pack.Content, maps changes.Maps) ([]Note, error) {
	notes, err := s.rows.Notes(ctx, parcel.ID, c.ID)
	if err != nil {
		return nil, err
	}
	notes = s.readable(p, parcel, notes)
	if !slices.ContainsFunc(notes, func(n Note) bool { return n.Number < c.Number }) {
		return notes, nil
	}
	pieces, err := s.roomRows.PiecesOf(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	byHand, err := s.roomRows.LaidByHand(ctx, parcel.ID, c.VersionID)
	if err != nil {
		return nil, err
	}
	by := map[string]review.Piece{}
	between := map[string]*align.Map{}
	for _, one := range pieces {
		by[one.ID] = one.Reviewed()
		if m, ok := maps.Between(one.ID, c.VersionID); ok {
			between[one.ID] = &m
		}
	}
	for i := range notes {
		n := &notes[i]
		if n.Number >= c.Number {
			continue
		}
		if hand, ok := byHand[n.ID]; ok {
			n.Carried = review.Settled(n.Anchor, hand, c.Reviewed())
			continue
		}
		n.Carried = review.Carry(n.Anchor, by[n.VersionID], c.Reviewed(), between[n.VersionID])
	}
	return notes, nil
}

// Lay says by hand where a note lies on a later version than its own; with onwards all
// notes that are carried there and lie behind it move by as much.
func (s *Service) Lay(ctx context.Context, p Party, noteID, version string, at timecode.Micros, onwards bool) error {
	n, parcel, err := s.head(ctx, p, noteID, access.CarryNote)
	if err != nil {
		return err
	}
	content, _, err := s.content(ctx, p, n.ContentID, right.See)
	if err == nil {
		content, err = s.at(ctx, p, content, version)
	}
	if err != nil {
		return err
	}
	if n.Anchor.When == review.AnyTime || content.Number <= n.Number {
		return ground.Clash("not_carried", "A note is laid by hand on a later version than its own, where it is at a time.")
	}
	if at > content.Reviewed().Length {
		return ground.Wrong("at", "The note was not moved: this version ends at %s.", review.Clock(content.Reviewed().Length))
	}
	notes, err := s.laid(ctx, p, parcel, content)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(notes, func(one Note) bool { return one.ID == n.ID })
	if i < 0 {
		return ground.Missing("note")
	}
	was := notes[i].Carried.Anchor.At
	moved := map[string]review.Carried{}
	for _, one := range notes {
		if one.ID != n.ID && !(onwards && one.ParentID == "" && one.Number < content.Number && one.Carried.Anchor.When != review.AnyTime &&
			one.Carried.Anchor.At > was) {
			continue
		}
		a := one.Carried.Anchor
		by := at - was
		a.At = min(max(0, a.At+by), content.Reviewed().Length)
		if a.When == review.Span {
			a.Until = min(max(a.At, a.Until+by), content.Reviewed().Length)
		}
		if _, err := content.Reviewed().Place(a); err != nil {
			return ground.Wrong("at", "The note was not moved: %s.", err)
		}
		moved[one.ID] = review.Settled(one.Anchor, a, content.Reviewed())
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.roomRows.LayNotes(ctx, content.VersionID, p, s.now(), moved); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}

// at is an item in another version.
func (s *Service) at(ctx context.Context, p Party, c pack.Content, version string) (pack.Content, error) {
	if version == "" || version == c.VersionID {
		return c, nil
	}
	older, ok, err := s.roomRows.ContentAt(ctx, c.ID, version, p.InStudio())
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.Gone, Code: "version_gone",
			Say: "This version is not kept any more, or was never given to you. The notes on it are safe; look at the newest one."}
	}
	return older, err
}

// Version is an item in a version that somebody may look at, for its previews.
func (s *Service) Version(ctx context.Context, p Party, contentID, version string) (pack.Content, error) {
	content, _, err := s.content(ctx, p, contentID, right.See)
	if err != nil {
		return content, err
	}
	return s.at(ctx, p, content, version)
}

// Rate gives the version of an item that the package gives now stars; 0 takes them back.
func (s *Service) Rate(ctx context.Context, p Party, contentID string, stars int) error {
	content, parcel, err := s.content(ctx, p, contentID, right.Note)
	if err == nil {
		err = p.writes()
	}
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.roomRows.Rate(ctx, parcel.ID, content.VersionID, p, stars, s.now()); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}
