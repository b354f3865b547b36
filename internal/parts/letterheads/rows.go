package letterheads

import (
	"context"

	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Rows are letterheads.
type Rows struct{ *db.DB }

const selectLetterhead = `
	select h.id, h.studio_id, h.name, coalesce(h.client_id, '') as client_id, h.standard, h.main, h.ground, h.band, h.typeface, h.sign_off,
	       h.logo is not null as has_logo, h.banner is not null as has_banner, h.wide_x, h.wide_y, h.phone_x, h.phone_y, h.edition
	from letterhead h `

func (q Rows) Letterheads(ctx context.Context, studio string) ([]Letterhead, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectLetterhead+"where h.studio_id = $1 order by h.standard desc, lower(h.name)", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Letterhead])
}

func (q Rows) LetterheadByID(ctx context.Context, id string) (Letterhead, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectLetterhead+"where h.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Letterhead])
}

// InsertLetterhead and UpdateLetterhead report whether the name was free, and give
// a client, or the place of the standard, to one of a studio alone.
func (q Rows) InsertLetterhead(ctx context.Context, l Letterhead) (bool, error) {
	return db.UnlessTwin(q.Conn(ctx).Exec(ctx, `
		insert into letterhead (id, studio_id, name, standard, main, ground, band, typeface) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		l.ID, l.StudioID, l.Name, l.Standard, l.Main, l.Ground, l.Band, l.Typeface))
}

func (q Rows) UpdateLetterhead(ctx context.Context, l Letterhead) (free bool, err error) {
	err = q.Tx(ctx, func(ctx context.Context) error {
		// Whose client it becomes, and whose standard, another is no more.
		if _, err := q.Conn(ctx).Exec(ctx, `
			update letterhead set client_id = case when client_id = $3 then null else client_id end, standard = standard and not $4
			where studio_id = $2 and id <> $1 and (client_id = $3 or $4)`, l.ID, l.StudioID, db.Optional(l.ClientID), l.Standard); err != nil {
			return err
		}
		_, err := q.Conn(ctx).Exec(ctx, `
			update letterhead set name = $2, client_id = $3, standard = $4, main = $5, ground = $6, band = $7, typeface = $8, sign_off = $9,
			    wide_x = $10, wide_y = $11, phone_x = $12, phone_y = $13 where id = $1`, l.ID, l.Name, db.Optional(l.ClientID), l.Standard, l.Main,
			l.Ground, l.Band, l.Typeface, l.SignOff, l.WideX, l.WideY, l.PhoneX, l.PhoneY)
		return err
	})
	return db.UnlessTwin(pgconn.CommandTag{}, err)
}

func (q Rows) DeleteLetterhead(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from letterhead where id = $1", id)
	return err
}

func (q Rows) SetPicture(ctx context.Context, id string, which Picture, bytes []byte) error {
	column := map[Picture]string{Logo: "logo", Banner: "banner"}[which]
	_, err := q.Conn(ctx).Exec(ctx, "update letterhead set "+column+" = $2, edition = edition + 1 where id = $1", id, bytes)
	return err
}

func (q Rows) PictureOf(ctx context.Context, id string, which Picture) ([]byte, bool, error) {
	column := map[Picture]string{Logo: "logo", Banner: "banner"}[which]
	rows, err := q.Conn(ctx).Query(ctx, "select "+column+" from letterhead where id = $1 and "+column+" is not null", id)
	return db.One(rows, err, pgx.RowTo[[]byte])
}

// LetterheadFor is that of a package: the one chosen for it, or that of the client
// whose things are in it, or the studio's standard.
func (q Rows) LetterheadFor(ctx context.Context, parcel string) (Letterhead, bool, error) {
	// Of a draft the client is the one whose things are in it, where it is one alone;
	// once it is sent, it keeps what it had.
	rows, err := q.Conn(ctx).Query(ctx, selectLetterhead+`
		join parcel p on p.studio_id = h.studio_id
		left join lateral (select case when count(distinct of.id) = 1 then min(of.id) end as client_id from (
		    select split_part(place.path, '/', 2) as id from parcel_item pi join item i on i.id = pi.item_id join place on place.id = i.place_id
		    where pi.id = any(array(`+tally.FirstItems+`))) of where p.letterhead_id is null) c on true
		where p.id = $1 and (h.id = p.letterhead_id or h.standard or h.client_id = c.client_id)
		order by h.id = p.letterhead_id desc nulls last, h.client_id = c.client_id desc nulls last limit 1`, parcel, tally.LookedAt)
	return db.One(rows, err, pgx.RowToStructByName[Letterhead])
}

func (q Rows) ClientIsOf(ctx context.Context, studio, client string) (is bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from place where id = $2 and studio_id = $1 and kind = 'client')", studio, client).Scan(&is)
	return is, err
}
