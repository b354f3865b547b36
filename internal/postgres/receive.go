package postgres

import (
	"context"
	"time"

	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

func (q *queries) VisitOf(ctx context.Context, recipient string, device []byte) (studio.Visit, bool, error) {
	rows, err := q.db.Query(ctx, "select id, recipient_id, passed_at, zone from visit where recipient_id = $1 and device_hash = $2", recipient, device)
	return one(rows, err, pgx.RowToStructByName[studio.Visit])
}

func (q *queries) TouchVisit(ctx context.Context, id, recipient string, device []byte, zone string, at time.Time) error {
	_, err := q.db.Exec(ctx, `
		insert into visit (id, recipient_id, device_hash, first_at, last_at, zone) values ($1, $2, $3, $5, $5, $4)
		on conflict (recipient_id, device_hash) do update set last_at = $5, zone = $4`, id, recipient, device, zone, at)
	return err
}

func (q *queries) PassVisit(ctx context.Context, id, recipient string, device []byte, at time.Time) error {
	_, err := q.db.Exec(ctx, `
		insert into visit (id, recipient_id, device_hash, first_at, last_at, passed_at) values ($1, $2, $3, $4, $4, $4)
		on conflict (recipient_id, device_hash) do update set passed_at = $4, last_at = $4`, id, recipient, device, at)
	return err
}

func (q *queries) InsertDoorCode(ctx context.Context, id, recipient string, device []byte, expires time.Time) error {
	_, err := q.db.Exec(ctx, "insert into door_code (id, recipient_id, device_hash, expires_at) values ($1, $2, $3, $4)", id, recipient, device, expires)
	return err
}

func (q *queries) LastDoorCode(ctx context.Context, recipient string, device []byte) (studio.DoorCode, bool, error) {
	rows, err := q.db.Query(ctx, `
		select id, expires_at, tries from door_code where recipient_id = $1 and device_hash = $2 and used_at is null
		order by created_at desc limit 1`, recipient, device)
	return one(rows, err, pgx.RowToStructByName[studio.DoorCode])
}

func (q *queries) TriedDoorCode(ctx context.Context, id string, used bool) error {
	_, err := q.db.Exec(ctx, "update door_code set tries = tries + 1, used_at = case when $2 then now() end where id = $1", id, used)
	return err
}
