package postgres

import (
	"context"
	"time"

	"aftergust/internal/parts/receive"

	"github.com/jackc/pgx/v5"
)

func (q *queries) VisitOf(ctx context.Context, line string, device []byte) (receive.Visit, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select id, line_id, coalesce(way_in_id, '') as way_id, coalesce(guest_id, '') as guest_id, passed_at, zone from visit where line_id = $1 and device_hash = $2`, line, device)
	return one(rows, err, pgx.RowToStructByName[receive.Visit])
}

func (q *queries) TouchVisit(ctx context.Context, v receive.Visit, device []byte, at time.Time) error {
	// Whoever opens it gets their mail after all.
	if _, err := q.conn(ctx).Exec(ctx, `
		update person r set bounced = '' from line l where l.id = $1 and r.id = l.person_id and r.bounced <> ''`, v.LineID); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
		insert into visit (id, line_id, way_in_id, device_hash, first_at, last_at, passed_at, zone) values ($1, $2, $3, $4, $6, $6, $6, $5)
		on conflict (line_id, device_hash) do update set last_at = $6, passed_at = $6, zone = $5, way_in_id = $3`, v.ID, v.LineID, optional(v.WayID), device,
		v.Zone, at)
	return err
}

func (q *queries) PassVisit(ctx context.Context, v receive.Visit, device []byte, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into visit (id, line_id, way_in_id, device_hash, first_at, last_at, passed_at, guest_id) values ($1, $2, $3, $4, $5, $5, $5, $6)
		on conflict (line_id, device_hash) do update set passed_at = $5, last_at = $5, way_in_id = $3, guest_id = $6`, v.ID, v.LineID,
		optional(v.WayID), device, at, optional(v.GuestID))
	return err
}

func (q *queries) RenameDevice(ctx context.Context, from, to []byte) error {
	for _, table := range []string{"visit", "door_code", "member_device", "knock"} {
		if _, err := q.conn(ctx).Exec(ctx, "update "+table+" set device_hash = $2 where device_hash = $1", from, to); err != nil {
			return err
		}
	}
	return nil
}

func (q *queries) InsertDoorCode(ctx context.Context, id, line string, device []byte, expires time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into door_code (id, line_id, device_hash, expires_at) values ($1, $2, $3, $4)", id, line, device,
		expires)
	return err
}

func (q *queries) LastDoorCode(ctx context.Context, line string, device []byte) (string, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select id from door_code where line_id = $1 and device_hash = $2 order by created_at desc limit 1",
		line, device)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) SpendDoorCode(ctx context.Context, id string, most int, now time.Time) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, `
		update door_code set tries = tries + 1 where id = $1 and tries < $2 and used_at is null and expires_at > $3`, id, most, now)
	return done.RowsAffected() == 1, err
}

func (q *queries) UseDoorCode(ctx context.Context, id string, now time.Time) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, "update door_code set used_at = $2 where id = $1 and used_at is null", id, now)
	return done.RowsAffected() == 1, err
}

func (q *queries) InsertKnock(ctx context.Context, k receive.Knock) error {
	// Whoever asks again says more about the same.
	_, err := q.conn(ctx).Exec(ctx, "delete from knock where line_id = $1 and device_hash = $2 and answered_at is null", k.LineID, k.Device)
	if err != nil {
		return err
	}
	_, err = q.conn(ctx).Exec(ctx, `
		insert into knock (id, studio_id, parcel_id, line_id, device_hash, reason, name, message, asked_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		k.ID, k.StudioID, k.ParcelID, k.LineID, k.Device, k.Reason, k.Name, k.Message, k.AskedAt)
	return err
}

const selectKnock = `
	select k.id, k.studio_id, k.parcel_id, k.line_id, k.device_hash as device, k.reason, k.name, k.message, k.asked_at, k.answered_at,
	       k.let_in, p.title, c.name as line, c.email
	from knock k join parcel p on p.id = k.parcel_id join line l on l.id = k.line_id join card c on c.id = l.card_id `

func (q *queries) knock(ctx context.Context, where string, args ...any) (receive.Knock, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectKnock+where, args...)
	return one(rows, err, pgx.RowToStructByName[receive.Knock])
}

func (q *queries) KnockByID(ctx context.Context, id string) (receive.Knock, bool, error) {
	return q.knock(ctx, "where k.id = $1", id)
}

func (q *queries) LastKnock(ctx context.Context, line string, device []byte) (receive.Knock, bool, error) {
	return q.knock(ctx, "where k.line_id = $1 and k.device_hash = $2 order by k.asked_at desc limit 1", line, device)
}

func (q *queries) AnswerKnock(ctx context.Context, id, member string, letIn bool, at time.Time) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, "update knock set answered_at = $4, answered_by = $2, let_in = $3 where id = $1 and answered_at is null",
		id, member, letIn, at)
	return done.RowsAffected() == 1, err
}

func (q *queries) Elsewhere(ctx context.Context, line string, device []byte) (was bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from visit where line_id = $1 and device_hash <> $2 and passed_at is not null)", line,
		device).Scan(&was)
	return was, err
}
