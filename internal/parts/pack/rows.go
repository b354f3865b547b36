package pack

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are packages.
type Rows struct{ *db.DB }

const selectParcel = `
	select p.id, p.studio_id, p.title, p.cover_letter, p.door, p.passphrase_hash, p.end_rule, p.contents_rev, p.items, p.weight, p.loose,
	       p.created_by, p.created_at, p.sent_at, p.ends_at, p.stopped_at, p.cleared_at, p.door_since,
	       coalesce(p.letterhead_id, '') as letterhead_id,
	       p.default_rights, p.pins, p.going_at, p.going_waits, p.going_problem, coalesce(p.handed_by, '') as handed_by, p.news_at, p.told_at,
	       p.reminders, p.ends_since, p.look_at, p.closing_for,
	       m.name as sender_name, m.email as sender_email, m.confirmed_at is null as sender_unconfirmed, s.name as studio_name
	from parcel p join member m on m.id = p.created_by join studio s on s.id = p.studio_id `

func (q Rows) Parcels(ctx context.Context, where string, args ...any) ([]Parcel, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectParcel+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Parcel])
}

func (q Rows) InsertParcel(ctx context.Context, p Parcel) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into parcel (id, studio_id, title, cover_letter, door, end_rule, default_rights, pins, created_by, created_at, reminders)
		select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, coalesce($11, s.reminders) from studio s where s.id = $2`,
		p.ID, p.StudioID, p.Title, p.CoverLetter, p.Door, p.EndRule, orNone(p.DefaultRights), p.Pins, p.CreatedBy, p.CreatedAt, p.Reminders)
	return err
}

// UpdateParcel writes what is on a package that was locked.
func (q Rows) UpdateParcel(ctx context.Context, p Parcel) error {
	// What goes along in a ZIP tells of title, letter and zone: with others it is another ZIP,
	// and one that was begun is finished as it was.
	_, err := q.Conn(ctx).Exec(ctx, `
		update parcel set contents_rev = contents_rev + case when sent_at is not null
		        and (title, cover_letter, end_rule ->> 'zone') is distinct from ($2, $3, $6::jsonb ->> 'zone') then 1 else 0 end,
		    title = $2, cover_letter = $3, door = $4, passphrase_hash = $5, end_rule = $6, sent_at = $7, ends_at = $8,
		    stopped_at = $9, door_since = $10, default_rights = $11, pins = $12, going_at = $13, going_problem = $14, handed_by = $15,
		    created_by = $16, news_at = $17, told_at = $18, going_waits = $19, letterhead_id = $20,
		    reminders = $21, ends_since = $22, look_at = $23, closing_for = $24
		where id = $1`, p.ID, p.Title, p.CoverLetter, p.Door, p.PassphraseHash, p.EndRule, p.SentAt, p.EndsAt, p.StoppedAt, p.DoorSince,
		orNone(p.DefaultRights), p.Pins, p.GoingAt, p.GoingProblem, db.Optional(p.HandedBy), p.CreatedBy, p.NewsAt, p.ToldAt, p.GoingWaits,
		db.Optional(p.LetterheadID), p.Reminders, p.EndsSince, p.LookAt, p.ClosingFor)
	return err
}

// TitleParcel gives a package another title if it still has the one before.
func (q Rows) TitleParcel(ctx context.Context, id, before, title string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update parcel set title = $3 where id = $1 and title = $2", id, before, title)
	return err
}

func (q Rows) ParcelByID(ctx context.Context, id string) (Parcel, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectParcel+"where p.id = $1 and p.discarded_at is null", id)
	return db.One(rows, err, pgx.RowToStructByName[Parcel])
}

// LockParcel is ParcelByID for whoever changes it in this transaction.
func (q Rows) LockParcel(ctx context.Context, id string) (Parcel, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectParcel+"where p.id = $1 and p.discarded_at is null for update of p", id)
	return db.One(rows, err, pgx.RowToStructByName[Parcel])
}

func (q Rows) DiscardParcel(ctx context.Context, id string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update parcel set discarded_at = $2 where id = $1 and sent_at is null", id, at)
	return err
}

// ClearParcels marks packages as cleared that ended or were stopped before a
// moment, at most so many at a time.
func (q Rows) ClearParcels(ctx context.Context, now, endedBefore time.Time, limit int) ([]Parcel, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		update parcel set cleared_at = $1 where id in (
			select id from parcel where sent_at is not null and cleared_at is null and least(ends_at, stopped_at) < $2
			    limit $3 for update skip locked)
		returning id`, now, endedBefore, limit)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	if _, err := q.Conn(ctx).Exec(ctx, "delete from zip_state where parcel_id = any($1)", ids); err != nil {
		return nil, err
	}
	return q.Parcels(ctx, "where p.id = any($1)", ids)
}
