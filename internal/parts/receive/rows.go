package receive

import (
	"context"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

// Rows are visits, door codes, and knocks.
type Rows struct{ *db.DB }

func (q Rows) LineByLink(ctx context.Context, hash []byte) (pack.Line, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select "+pack.LineOf+pack.FromLine+"join way_in w on w.line_id = l.id where w.hash = $1", hash)
	return db.One(rows, err, pack.ToLine)
}

// QuietLine keeps that somebody does not want to be reminded; first is false where that was known.
func (q Rows) QuietLine(ctx context.Context, id string, at time.Time) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update line set quiet_since = $2 where id = $1 and quiet_since is null", id, at)
	return done.RowsAffected() == 1, err
}

// Gates are packages and lines as they are now, for many downloads at once,
// with the items of these packages that were withdrawn.
func (q Rows) Gates(ctx context.Context, parcels, lines []string) (Gates, error) {
	g := Gates{Parcels: map[string]pack.Parcel{}, Lines: map[string]pack.Line{}, Withdrawn: map[string]bool{}}
	all, err := pack.Rows{DB: q.DB}.Parcels(ctx, "where p.id = any($1) and p.discarded_at is null", parcels)
	if err != nil {
		return g, err
	}
	for _, p := range all {
		g.Parcels[p.ID] = p
	}
	rows, err := q.Conn(ctx).Query(ctx, "select "+pack.LineOf+pack.FromLine+pack.WayOf+"where l.id = any($1)", lines)
	if err != nil {
		return g, err
	}
	found, err := pgx.CollectRows(rows, pack.ToLine)
	if err != nil {
		return g, err
	}
	for _, l := range found {
		g.Lines[l.ID] = l
	}
	rows, err = q.Conn(ctx).Query(ctx, "select id from parcel_item where parcel_id = any($1) and withdrawn_at is not null", parcels)
	if err != nil {
		return g, err
	}
	var id string
	_, err = pgx.ForEachRow(rows, []any{&id}, func() error { g.Withdrawn[id] = true; return nil })
	return g, err
}

func (q Rows) VisitOf(ctx context.Context, line string, device []byte) (Visit, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select id, line_id, coalesce(way_in_id, '') as way_id, coalesce(guest_id, '') as guest_id, passed_at, zone from visit where line_id = $1 and device_hash = $2`, line, device)
	return db.One(rows, err, pgx.RowToStructByName[Visit])
}

// TouchVisit records that a device is in, by whatever door, on a clock in zone.
func (q Rows) TouchVisit(ctx context.Context, v Visit, device []byte, at time.Time) error {
	// Whoever opens it gets their mail after all.
	if _, err := q.Conn(ctx).Exec(ctx, `
		update person r set bounced = '' from line l where l.id = $1 and r.id = l.person_id and r.bounced <> ''`, v.LineID); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into visit (id, line_id, way_in_id, device_hash, first_at, last_at, passed_at, zone) values ($1, $2, $3, $4, $6, $6, $6, $5)
		on conflict (line_id, device_hash) do update set last_at = $6, passed_at = $6, zone = $5, way_in_id = $3`, v.ID, v.LineID, db.Optional(v.WayID), device,
		v.Zone, at)
	return err
}

func (q Rows) PassVisit(ctx context.Context, v Visit, device []byte, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into visit (id, line_id, way_in_id, device_hash, first_at, last_at, passed_at, guest_id) values ($1, $2, $3, $4, $5, $5, $5, $6)
		on conflict (line_id, device_hash) do update set passed_at = $5, last_at = $5, way_in_id = $3, guest_id = $6`, v.ID, v.LineID,
		db.Optional(v.WayID), device, at, db.Optional(v.GuestID))
	return err
}

// RenameDevice gives a device another secret, everywhere it is known.
func (q Rows) RenameDevice(ctx context.Context, from, to []byte) error {
	for _, table := range []string{"visit", "door_code", "member_device", "knock"} {
		if _, err := q.Conn(ctx).Exec(ctx, "update "+table+" set device_hash = $2 where device_hash = $1", from, to); err != nil {
			return err
		}
	}
	return nil
}

func (q Rows) InsertDoorCode(ctx context.Context, id, line string, device []byte, expires time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into door_code (id, line_id, device_hash, expires_at) values ($1, $2, $3, $4)", id, line, device,
		expires)
	return err
}

// LastDoorCode is the newest code that was sent for a device. The six digits
// are derived from its id and are nowhere written down.
func (q Rows) LastDoorCode(ctx context.Context, line string, device []byte) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select id from door_code where line_id = $1 and device_hash = $2 order by created_at desc limit 1",
		line, device)
	return db.One(rows, err, pgx.RowTo[string])
}

// SpendDoorCode counts one try of a code; ok is false where it has had most,
// is too old or was used.
func (q Rows) SpendDoorCode(ctx context.Context, id string, most int, now time.Time) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, `
		update door_code set tries = tries + 1 where id = $1 and tries < $2 and used_at is null and expires_at > $3`, id, most, now)
	return done.RowsAffected() == 1, err
}

// UseDoorCode uses a code up; ok is false where it was used already.
func (q Rows) UseDoorCode(ctx context.Context, id string, now time.Time) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update door_code set used_at = $2 where id = $1 and used_at is null", id, now)
	return done.RowsAffected() == 1, err
}

// InsertKnock keeps a knock, in the place of an earlier one of the same device
// that nobody has answered.
func (q Rows) InsertKnock(ctx context.Context, k Knock) error {
	// Whoever asks again says more about the same.
	_, err := q.Conn(ctx).Exec(ctx, "delete from knock where line_id = $1 and device_hash = $2 and answered_at is null", k.LineID, k.Device)
	if err != nil {
		return err
	}
	_, err = q.Conn(ctx).Exec(ctx, `
		insert into knock (id, studio_id, parcel_id, line_id, device_hash, reason, name, message, asked_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		k.ID, k.StudioID, k.ParcelID, k.LineID, k.Device, k.Reason, k.Name, k.Message, k.AskedAt)
	return err
}

const selectKnock = `
	select k.id, k.studio_id, k.parcel_id, k.line_id, k.device_hash as device, k.reason, k.name, k.message, k.asked_at, k.answered_at,
	       k.let_in, p.title, c.name as line, c.email
	from knock k join parcel p on p.id = k.parcel_id join line l on l.id = k.line_id join card c on c.id = l.card_id `

func (q Rows) knock(ctx context.Context, where string, args ...any) (Knock, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectKnock+where, args...)
	return db.One(rows, err, pgx.RowToStructByName[Knock])
}

func (q Rows) KnockByID(ctx context.Context, id string) (Knock, bool, error) {
	return q.knock(ctx, "where k.id = $1", id)
}

// LastKnock is the newest of a device by one link.
func (q Rows) LastKnock(ctx context.Context, line string, device []byte) (Knock, bool, error) {
	return q.knock(ctx, "where k.line_id = $1 and k.device_hash = $2 order by k.asked_at desc limit 1", line, device)
}

// AnswerKnock reports whether it was the first answer.
func (q Rows) AnswerKnock(ctx context.Context, id, member string, letIn bool, at time.Time) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update knock set answered_at = $4, answered_by = $2, let_in = $3 where id = $1 and answered_at is null",
		id, member, letIn, at)
	return done.RowsAffected() == 1, err
}

// Elsewhere reports whether a line was in on another device than this one.
func (q Rows) Elsewhere(ctx context.Context, line string, device []byte) (was bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from visit where line_id = $1 and device_hash <> $2 and passed_at is not null)", line,
		device).Scan(&was)
	return was, err
}

// HaveAll are those of some lines that have every item of their package to the last byte.
func (q Rows) HaveAll(ctx context.Context, lines []string) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select l.id from line l join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.id = any($1) and p.items > 0 and s.whole >= p.items order by l.id`, lines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// Waiting are those of some packages whose end waits for what people do.
func (q Rows) Waiting(ctx context.Context, parcels []string) ([]string, error) {
	var kinds []string
	for _, k := range expiry.Kinds.Names() {
		if expiry.Kinds.Get(k).Waits {
			kinds = append(kinds, string(k))
		}
	}
	rows, err := q.Conn(ctx).Query(ctx, "select id from parcel where id = any($1) and end_rule ->> 'kind' = any($2) order by id", parcels, kinds)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) LineByName(ctx context.Context, name string) (pack.Line, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select "+pack.LineOf+pack.FromLine+pack.WayOf+"join link_name n on n.line_id = l.id where n.name = $1", name)
	return db.One(rows, err, pack.ToLine)
}
