package postgres

import (
	"context"
	"errors"

	"aftergust/internal/parts/letterheads"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

const selectLetterhead = `
	select h.id, h.studio_id, h.name, coalesce(h.client_id, '') as client_id, h.standard, h.main, h.ground, h.band, h.typeface, h.sign_off,
	       h.logo is not null as has_logo, h.banner is not null as has_banner, h.wide_x, h.wide_y, h.phone_x, h.phone_y, h.edition
	from letterhead h `

func (q *queries) Letterheads(ctx context.Context, studio string) ([]letterheads.Letterhead, error) {
	rows, err := q.conn(ctx).Query(ctx, selectLetterhead+"where h.studio_id = $1 order by h.standard desc, lower(h.name)", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[letterheads.Letterhead])
}

func (q *queries) LetterheadByID(ctx context.Context, id string) (letterheads.Letterhead, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectLetterhead+"where h.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[letterheads.Letterhead])
}

func (q *queries) InsertLetterhead(ctx context.Context, l letterheads.Letterhead) (bool, error) {
	return unlessTwin(q.conn(ctx).Exec(ctx, `
		insert into letterhead (id, studio_id, name, standard, main, ground, band, typeface) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		l.ID, l.StudioID, l.Name, l.Standard, l.Main, l.Ground, l.Band, l.Typeface))
}

func (q *queries) UpdateLetterhead(ctx context.Context, l letterheads.Letterhead) (free bool, err error) {
	err = q.Tx(ctx, func(ctx context.Context) error {
		// Whose client it becomes, and whose standard, another is no more.
		if _, err := q.conn(ctx).Exec(ctx, `
			update letterhead set client_id = case when client_id = $3 then null else client_id end, standard = standard and not $4
			where studio_id = $2 and id <> $1 and (client_id = $3 or $4)`, l.ID, l.StudioID, optional(l.ClientID), l.Standard); err != nil {
			return err
		}
		_, err := q.conn(ctx).Exec(ctx, `
			update letterhead set name = $2, client_id = $3, standard = $4, main = $5, ground = $6, band = $7, typeface = $8, sign_off = $9,
			    wide_x = $10, wide_y = $11, phone_x = $12, phone_y = $13 where id = $1`, l.ID, l.Name, optional(l.ClientID), l.Standard, l.Main,
			l.Ground, l.Band, l.Typeface, l.SignOff, l.WideX, l.WideY, l.PhoneX, l.PhoneY)
		return err
	})
	return unlessTwin(pgconn.CommandTag{}, err)
}

// uniqueViolation is how PostgreSQL calls a twin (its manual, appendix A).
const uniqueViolation = "23505"

// unlessTwin reports whether a statement met nothing of the same name.
func unlessTwin(_ pgconn.CommandTag, err error) (bool, error) {
	var problem *pgconn.PgError
	if errors.As(err, &problem) && problem.Code == uniqueViolation {
		return false, nil
	}
	return true, err
}

func (q *queries) DeleteLetterhead(ctx context.Context, id string) error {
	_, err := q.conn(ctx).Exec(ctx, "delete from letterhead where id = $1", id)
	return err
}

func (q *queries) SetPicture(ctx context.Context, id string, which letterheads.Picture, bytes []byte) error {
	column := map[letterheads.Picture]string{letterheads.Logo: "logo", letterheads.Banner: "banner"}[which]
	_, err := q.conn(ctx).Exec(ctx, "update letterhead set "+column+" = $2, edition = edition + 1 where id = $1", id, bytes)
	return err
}

func (q *queries) PictureOf(ctx context.Context, id string, which letterheads.Picture) ([]byte, bool, error) {
	column := map[letterheads.Picture]string{letterheads.Logo: "logo", letterheads.Banner: "banner"}[which]
	rows, err := q.conn(ctx).Query(ctx, "select "+column+" from letterhead where id = $1 and "+column+" is not null", id)
	return one(rows, err, pgx.RowTo[[]byte])
}

func (q *queries) LetterheadFor(ctx context.Context, parcel string) (letterheads.Letterhead, bool, error) {
	// Of a draft the client is the one whose things are in it, where it is one alone;
	// once it is sent, it keeps what it had.
	rows, err := q.conn(ctx).Query(ctx, selectLetterhead+`
		join parcel p on p.studio_id = h.studio_id
		left join lateral (select case when count(distinct of.id) = 1 then min(of.id) end as client_id from (
		    select split_part(place.path, '/', 2) as id from parcel_item pi join item i on i.id = pi.item_id join place on place.id = i.place_id
		    where pi.id = any(array(`+firstItems+`))) of where p.letterhead_id is null) c on true
		where p.id = $1 and (h.id = p.letterhead_id or h.standard or h.client_id = c.client_id)
		order by h.id = p.letterhead_id desc nulls last, h.client_id = c.client_id desc nulls last limit 1`, parcel, lookedAt)
	return one(rows, err, pgx.RowToStructByName[letterheads.Letterhead])
}

func (q *queries) ClientIsOf(ctx context.Context, studio, client string) (is bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from place where id = $2 and studio_id = $1 and kind = 'client')", studio, client).Scan(&is)
	return is, err
}

func (q *queries) LetterheadOf(ctx context.Context, parcel string) (string, error) {
	l, _, err := q.LetterheadFor(ctx, parcel)
	return l.ID, err
}

func (q *queries) LetterheadIsOf(ctx context.Context, studio, id string) (is bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from letterhead where id = $2 and studio_id = $1)", studio, id).Scan(&is)
	return is, err
}
