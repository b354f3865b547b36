package follow

import (
	"context"
	"time"

	"aftergust/internal/parts/happen"
	"aftergust/internal/who/account"
)

// A Moment is a place in the Story: before this event. The zero Moment is the end.
type Moment struct {
	At time.Time
	ID int64
}

// Story is what happened to a package in the order in which it did, the newest
// first, before a moment.
func (s *Service) Story(ctx context.Context, m account.Member, id string, before Moment, limit int) ([]happen.Event, error) {
	if _, err := s.pack.ParcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.rows.Events(ctx, id, before, limit)
}
