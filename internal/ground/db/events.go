package db

import (
	"context"
	"fmt"
	"time"
)

// monthsAhead is how many months are made ready for events before they begin.
const monthsAhead = 2

// EventMonths makes the partitions of events for this month and the next ones.
func (q *DB) EventMonths(ctx context.Context, now time.Time) error {
	for ahead := range monthsAhead + 1 {
		if _, err := q.Conn(ctx).Exec(ctx, "select event_month($1::timestamptz + make_interval(months => $2))", now, ahead); err != nil {
			return fmt.Errorf("make a month of events: %w", err)
		}
	}
	return nil
}
