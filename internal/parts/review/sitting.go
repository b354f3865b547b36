package review

import (
	"context"
	"time"

	"aftergust/core/right"
	"aftergust/internal/ground"
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

// SittingStore is what Sittings need of the database.
type SittingStore interface {
	ground.Records
	// Sit puts somebody down, or says anew where they are; new is true where others should look.
	Sit(ctx context.Context, s Seat, now time.Time) (new bool, err error)
	LeaveSeat(ctx context.Context, content, who string) error
	Seats(ctx context.Context, content string, now time.Time) ([]Seat, error)
}

// Sittings keep who is in a Room, and let one lead. Make it with NewSittings.
type Sittings struct {
	store  SittingStore
	review *Service
	now    func() time.Time
}

// NewSittings makes a service.
func NewSittings(store SittingStore, reviewing *Service, now func() time.Time) *Sittings {
	return &Sittings{store, reviewing, now}
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
	return s.store.Seats(ctx, content.ID, s.now())
}

func (s *Sittings) put(ctx context.Context, parcel pack.Parcel, at Seat) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		news, err := s.store.Sit(ctx, at, s.now())
		if err != nil || !news {
			return err
		}
		return s.announce(ctx, parcel)
	})
}

func (s *Sittings) announce(ctx context.Context, parcel pack.Parcel) error {
	return s.store.Announce(ctx, ground.Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: ground.Sitting})
}

// Look is who is in the Room of an item.
func (s *Sittings) Look(ctx context.Context, p Party, contentID string) ([]Seat, error) {
	content, _, err := s.review.content(ctx, p, contentID, right.See)
	if err != nil {
		return nil, err
	}
	return s.store.Seats(ctx, content.ID, s.now())
}

// Leave says that somebody has left the Room.
func (s *Sittings) Leave(ctx context.Context, p Party, contentID string) error {
	content, parcel, err := s.review.content(ctx, p, contentID, right.See)
	if err != nil {
		return err
	}
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.LeaveSeat(ctx, content.ID, p.ID()); err != nil {
			return err
		}
		return s.announce(ctx, parcel)
	})
}
