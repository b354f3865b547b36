package review

import (
	"context"
	"time"

	"aftergust/core/link/right"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"
)

// A Seat is somebody in the Room of an item, and what they show where they lead.
type Seat struct {
	ContentID string
	Who       string // id of the line or member
	ParcelID  string
	Name      string
	Studio    bool
	Leads     bool // the others' players follow theirs
	VersionID string
	AtUS      int64 // microseconds of the piece
	Plays     bool
	Speed     float32
	ClockMS   int64 // when they were there, in milliseconds of the server's clock
	Until     time.Time
}

// Sittings keep who is in a Room, and let one lead. Make it with NewSittings.
type Sittings struct {
	rows   SittingRows
	review *Service
	now    func() time.Time
}

// NewSittings makes a service.
func NewSittings(store *db.DB, reviewing *Service, now func() time.Time) *Sittings {
	return &Sittings{SittingRows{store}, reviewing, now}
}

// sits is how long somebody is taken to be there after they last said so.
const sits = 25 * time.Second

// Sit says that somebody is in the Room of an item, where they are in it, and whether they
// lead. Of two who lead the last one does. Whoever looks as somebody else leaves no trace.
func (s *Sittings) Sit(ctx context.Context, p Party, contentID string, at Seat) ([]Seat, error) {
	content, parcel, err := s.review.content(ctx, p, contentID, right.See)
	if err != nil {
		return nil, err
	}
	if p.writes() == nil {
		at.ContentID, at.Who, at.ParcelID, at.Name, at.Studio = content.ID, p.ID(), parcel.ID, p.Name(), p.InStudio()
		at.Until = s.now().Add(sits)
		if at.Speed <= 0 || at.Speed > 8 {
			at.Speed = 1
		}
		if err := s.put(ctx, parcel, at); err != nil {
			return nil, err
		}
	}
	return s.rows.Seats(ctx, content.ID, s.now())
}

func (s *Sittings) put(ctx context.Context, parcel pack.Parcel, at Seat) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		news, err := s.rows.Sit(ctx, at, s.now())
		if err != nil || !news {
			return err
		}
		return s.announce(ctx, parcel)
	})
}

func (s *Sittings) announce(ctx context.Context, parcel pack.Parcel) error {
	return s.rows.Announce(ctx, ground.Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: ground.Sitting})
}

// Look is who is in the Room of an item.
func (s *Sittings) Look(ctx context.Context, p Party, contentID string) ([]Seat, error) {
	content, _, err := s.review.content(ctx, p, contentID, right.See)
	if err != nil {
		return nil, err
	}
	return s.rows.Seats(ctx, content.ID, s.now())
}

// Leave says that somebody has left the Room.
func (s *Sittings) Leave(ctx context.Context, p Party, contentID string) error {
	content, parcel, err := s.review.content(ctx, p, contentID, right.See)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.LeaveSeat(ctx, content.ID, p.ID()); err != nil {
			return err
		}
		return s.announce(ctx, parcel)
	})
}
