package pack

import (
	"context"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// DraftRows are what drafts are made with: presets, order, and what goes by itself.
type DraftRows struct{ *db.DB }

// Going are drafts whose moment to go has come, with nothing on its way into them,
// and News packages whose moment to tell of what was added has.
func (q DraftRows) Going(ctx context.Context, now time.Time, limit int) ([]Parcel, error) {
	return Rows(q).Parcels(ctx, `
		where p.going_at <= $1 and not p.going_waits and p.sent_at is null and p.discarded_at is null
		    and not exists (select from upload u where u.parcel_id = p.id and u.state = 'arriving')
		order by p.going_at limit $2`, now, limit)
}

func (q DraftRows) News(ctx context.Context, now time.Time, limit int) ([]Parcel, error) {
	return Rows(q).Parcels(ctx, `
		where p.news_at <= $1 and not exists (select from upload u where u.parcel_id = p.id and u.state = 'arriving')
		order by p.news_at limit $2`, now, limit)
}

// Progress is what people have done with a package that is out.
func (q DraftRows) Progress(ctx context.Context, parcel string) (p expiry.Progress, err error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select s.opened_at, 'take' = any(l.rights), case when p.items > 0 and s.whole >= p.items then s.completed_at end
		from line l join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.parcel_id = $1 and l.removed_at is null`, parcel)
	if err != nil {
		return p, err
	}
	var opened, has db.Moment
	var takes bool
	_, err = pgx.ForEachRow(rows, []any{&opened, &takes, &has}, func() error {
		if at := opened.Time(); !at.IsZero() && (p.Opened.IsZero() || at.Before(p.Opened)) {
			p.Opened = at
		}
		if takes {
			p.Have = append(p.Have, has.Time())
		}
		return nil
	})
	return p, err
}

// CopyItems puts the items of a package that were not withdrawn into another, in order.
func (q DraftRows) CopyItems(ctx context.Context, from, to string) error {
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, []string{to}); err != nil {
		return err
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		insert into parcel_item (id, parcel_id, item_id, folder, position, heading, added_at)
		select 'c' || substr(md5(pi.id || $2), 1, 23), $2, pi.item_id, pi.folder, pi.position, pi.heading, clock_timestamp()
		from parcel_item pi join item i on i.id = pi.item_id join version v on v.id = i.current_version_id join blob b on b.id = v.blob_id
		where pi.parcel_id = $1 and pi.withdrawn_at is null and i.let_go_id is null 
		    and b.deleted_at is null and b.marked_at is null order by pi.position, pi.id
		returning item_id`, from, to)
	if err != nil {
		return err
	}
	items, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	return tally.Rows{DB: q.DB}.Settle(ctx, []string{to}, items)
}

// Reorder puts items of a package behind another, or to its beginning where after is empty.
func (q DraftRows) Reorder(ctx context.Context, parcel string, ids []string, after string) error {
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, []string{parcel}); err != nil {
		return err
	}
	// A heading stays where it is, with those that it stands over.
	if _, err := q.Conn(ctx).Exec(ctx, `
		with passed as (
			update parcel_item n set heading = o.heading from parcel_item o, lateral (
				select id from parcel_item a where a.parcel_id = $1 and a.withdrawn_at is null and a.id <> all($2)
				    and (a.position, a.id) > (o.position, o.id) order by a.position, a.id limit 1) next
			where o.id = any($2) and o.parcel_id = $1 and o.heading <> '' and n.id = next.id and n.heading = ''
			returning o.id)
		update parcel_item set heading = '' where id in (select id from passed)`, parcel, ids); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		with list as (
			select id, row_number() over (order by position, id) as n from parcel_item where parcel_id = $1 and withdrawn_at is null
		), behind as (select coalesce((select n from list where id = $3), 0) as n
		), wanted as (
			select list.id, row_number() over (order by case when list.id = any($2) then behind.n + 0.5 else list.n end,
			    array_position($2::text[], list.id) nulls first, list.n) as n
			from list, behind
		)
		update parcel_item pi set position = wanted.n from wanted where wanted.id = pi.id and pi.position <> wanted.n`, parcel, ids, after)
	return err
}

func (q DraftRows) SetHeading(ctx context.Context, parcel, id, heading string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update parcel_item set heading = $3 where id = $2 and parcel_id = $1", parcel, id, heading)
	return err
}

const selectPreset = "select id, studio_id, name, door, rights, end_rule, cover_letter, pins, reminders from preset "

func (q DraftRows) Presets(ctx context.Context, studio string) ([]Preset, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPreset+"where studio_id = $1 order by lower(name)", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Preset])
}

func (q DraftRows) PresetByID(ctx context.Context, id string) (Preset, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPreset+"where id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Preset])
}

func (q DraftRows) InsertPreset(ctx context.Context, p Preset) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into preset (id, studio_id, name, door, rights, end_rule, cover_letter, pins, reminders) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		p.ID, p.StudioID, p.Name, p.Door, orNone(p.Rights), p.EndRule, p.CoverLetter, p.Pins, p.Reminders)
	return err
}

func (q DraftRows) DeletePreset(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from preset where id = $1", id)
	return err
}
