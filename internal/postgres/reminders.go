package postgres

import (
	"context"
	"time"

	"aftergust/core/reminder"

	"github.com/jackc/pgx/v5"
)

func (q *queries) Looks(ctx context.Context, now time.Time, limit int) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, "select id from parcel where look_at <= $1 order by look_at, id limit $2", now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) StudioReminders(ctx context.Context, studio string) (l reminder.Ladder, err error) {
	return l, q.conn(ctx).QueryRow(ctx, "select reminders from studio where id = $1", studio).Scan(&l)
}

func (q *queries) SetStudioReminders(ctx context.Context, studio string, l reminder.Ladder) error {
	_, err := q.conn(ctx).Exec(ctx, "update studio set reminders = $2 where id = $1", studio, l)
	return err
}

func (q *queries) HaveAll(ctx context.Context, lines []string) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select l.id from line l join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.id = any($1) and p.items > 0 and s.whole >= p.items order by l.id`, lines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
