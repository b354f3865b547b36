package remind

import (
	"context"
	"time"

	"aftergust/core/time/reminder"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are what reminders are looked for in.
type Rows struct{ *db.DB }

// Looks are packages that are to be looked at, at most so many.
func (q Rows) Looks(ctx context.Context, now time.Time, limit int) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select id from parcel where look_at <= $1 order by look_at, id limit $2", now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// StudioReminders is the ladder that packages of a studio begin with.
func (q Rows) StudioReminders(ctx context.Context, studio string) (l reminder.Ladder, err error) {
	return l, q.Conn(ctx).QueryRow(ctx, "select reminders from studio where id = $1", studio).Scan(&l)
}

func (q Rows) SetStudioReminders(ctx context.Context, studio string, l reminder.Ladder) error {
	_, err := q.Conn(ctx).Exec(ctx, "update studio set reminders = $2 where id = $1", studio, l)
	return err
}
