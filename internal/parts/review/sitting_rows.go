package review

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// SittingRows are who looks at something together.
type SittingRows struct{ *db.DB }

// Sit puts somebody down, or says anew where they are; new is true where others should look.
func (q SittingRows) Sit(ctx context.Context, s Seat, now time.Time) (bool, error) {
	if s.Leads {
		if _, err := q.Conn(ctx).Exec(ctx, "update sitting set leads = false where content_id = $1 and who <> $2 and leads", s.ContentID, s.Who); err != nil {
			return false, err
		}
	}
	// Others look where somebody came, or began or ceased to lead, or leads.
	var news bool
	err := q.Conn(ctx).QueryRow(ctx, `
		with was as (select leads, until > $13 as there from sitting where content_id = $1 and who = $2),
		     old as (delete from sitting where content_id = $1 and until < $13::timestamptz - interval '1 hour'),
		     put as (
			insert into sitting (content_id, who, parcel_id, name, studio, leads, version_id, at_us, plays, speed, clock_ms, until)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
			on conflict (content_id, who) do update set name = excluded.name, leads = excluded.leads, version_id = excluded.version_id,
			    at_us = excluded.at_us, plays = excluded.plays, speed = excluded.speed, clock_ms = excluded.clock_ms, until = excluded.until)
		select $6 or not coalesce((select there from was), false) or coalesce((select leads from was), false)`,
		s.ContentID, s.Who, s.ParcelID, s.Name, s.Studio, s.Leads, s.VersionID, s.AtUS, s.Plays, s.Speed, s.ClockMS, s.Until, now).Scan(&news)
	return news, err
}

func (q SittingRows) LeaveSeat(ctx context.Context, content, who string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from sitting where content_id = $1 and who = $2", content, who)
	return err
}

func (q SittingRows) Seats(ctx context.Context, content string, now time.Time) ([]Seat, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select * from sitting where content_id = $1 and until > $2 order by studio desc, name, who limit 60", content, now)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Seat])
}
