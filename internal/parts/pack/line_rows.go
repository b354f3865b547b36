package pack

import (
	"context"

	"aftergust/core/link/right"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// LineRows are the lines of waybills.
type LineRows struct{ *db.DB }

// LineOf is what pack.Line is filled from: a line l with its card, the person,
// and the newest of its ways in.
const LineOf = `l.id, l.parcel_id, coalesce(l.person_id, ''), c.name, c.email, coalesce(r.zone, ''), coalesce(l.guest_of, ''), l.rights, l.may_pass_on, l.removed_at, l.quiet_since,
	       w.id, w.kind, w.nonce, w.hash, w.since, w.until, w.withdrawn_at `

// FromLine joins what LineOf reads.
const FromLine = `from line l join card c on c.id = l.card_id left join person r on r.id = l.person_id `

// WayOf is the way in of a line l that is shown of it.
const WayOf = `join lateral (select * from way_in w where w.line_id = l.id and w.kind <> 'pickup' order by w.since desc, w.id desc limit 1) w on true `

// ScanLine are where the columns of LineOf and WayOf go.
func ScanLine(l *Line) []any {
	return []any{&l.ID, &l.ParcelID, &l.PersonID, &l.Name, &l.Email, &l.Zone, &l.GuestOf, &l.Rights, &l.MayPassOn, &l.RemovedAt, &l.QuietAt,
		&l.WayID, &l.WayKind, &l.LinkNonce, &l.LinkHash, &l.Since, &l.Until, &l.Withdrawn}
}

// ToLine reads a line from a row of LineOf and WayOf.
func ToLine(row pgx.CollectableRow) (l Line, err error) { return l, row.Scan(ScanLine(&l)...) }

func (q LineRows) Lines(ctx context.Context, parcel string) ([]Line, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select "+LineOf+FromLine+WayOf+"where l.parcel_id = $1 order by l.created_at, l.id", parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, ToLine)
}

func (q LineRows) LineByID(ctx context.Context, id string) (Line, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select "+LineOf+FromLine+WayOf+"where l.id = $1", id)
	return db.One(rows, err, ToLine)
}

// InsertLine writes a line with its way in.
func (q LineRows) InsertLine(ctx context.Context, l Line) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		with card as (insert into card (studio_id, name, email) select studio_id, $3, $4 from parcel where id = $2 returning id),
		line as (insert into line (id, parcel_id, person_id, card_id, rights, may_pass_on, guest_of, created_at)
		         select $1, $2, $5, card.id, $6, $7, $13, clock_timestamp() from card returning id),
		stood as (insert into standing (line_id, parcel_id) select id, $2 from line)
		insert into way_in (id, line_id, kind, nonce, hash, since) select $8, id, $9, $10, $11, $12 from line`,
		l.ID, l.ParcelID, l.Name, l.Email, db.Optional(l.PersonID), orNone(l.Rights), l.MayPassOn,
		l.WayID, l.WayKind, l.LinkNonce, l.LinkHash, l.Since, db.Optional(l.GuestOf))
	return err
}

// orNone is rights as they are kept: none is an empty list.
func orNone(r right.Rights) right.Rights {
	if r == nil {
		return right.Rights{}
	}
	return r
}

func (q LineRows) UpdateLine(ctx context.Context, l Line) error {
	// Somebody who is called otherwise now gets another card; what has been keeps the one it had.
	_, err := q.Conn(ctx).Exec(ctx, `
		with card as (
			insert into card (studio_id, name, email) select p.studio_id, $2, c.email from line l join parcel p on p.id = l.parcel_id
			    join card c on c.id = l.card_id
			where l.id = $1 and c.name <> $2 returning id)
		update line set rights = $3, may_pass_on = $4, removed_at = $5, card_id = coalesce((select id from card), card_id) where id = $1`,
		l.ID, l.Name, orNone(l.Rights), l.MayPassOn, l.RemovedAt)
	return err
}

// UpdateGuests lets those who came by a link for anyone follow its line: what it
// may they may, and they go with it.
func (q LineRows) UpdateGuests(ctx context.Context, of Line) error {
	_, err := q.Conn(ctx).Exec(ctx, "update line set rights = $2, removed_at = coalesce(removed_at, $3) where guest_of = $1", of.ID,
		orNone(of.Rights), of.RemovedAt)
	return err
}

func (q LineRows) CountGuests(ctx context.Context, of string) (n int, err error) {
	return n, q.Conn(ctx).QueryRow(ctx, "select count(*) from line where guest_of = $1", of).Scan(&n)
}

func (q LineRows) DeleteLine(ctx context.Context, id string) error {
	for _, sql := range []string{"delete from visit where line_id = $1", "delete from door_code where line_id = $1",
		"delete from way_in where line_id = $1", "delete from line where id = $1"} {
		if _, err := q.Conn(ctx).Exec(ctx, sql, id); err != nil {
			return err
		}
	}
	return nil
}
