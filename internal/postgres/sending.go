package postgres

import (
	"context"
	"time"

	"aftergust/core/expiry"
	"aftergust/core/right"
	"aftergust/core/sentence"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

// What the Sentence knows from before, what goes by itself, and what the end of a
// package waits for.

// lookedAt is how many items of a package are looked at for what is said of them all.
const lookedAt = 2000

const firstItems = `select id from parcel_item where parcel_id = $1 and withdrawn_at is null order by position, id limit $2`

func (q *queries) Sounds(ctx context.Context, parcel string, limit int) ([]pack.Content, error) {
	rows, err := q.conn(ctx).Query(ctx, selectContent+`
		where pi.id = any(array(`+firstItems+`)) and v.kind = 'sound' order by pi.position, pi.id limit $3`, parcel, lookedAt, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[pack.Content])
}

func (q *queries) ClientOf(ctx context.Context, parcel string) (name string, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		with of as (
			select distinct split_part(place.path, '/', 2) as id
			from parcel_item pi join item i on i.id = pi.item_id join place on place.id = i.place_id
			where pi.id = any(array(`+firstItems+`)))
		select coalesce((select c.name from of join place c on c.id = of.id where (select count(*) from of) = 1), '')`, parcel, lookedAt).Scan(&name)
	return name, err
}

func (q *queries) KnownItems(ctx context.Context, parcel string, lines []string) ([]string, error) {
	if len(lines) == 0 {
		return nil, nil
	}
	rows, err := q.conn(ctx).Query(ctx, `
		select pi.id from parcel_item pi `+given+`
		where pi.id = any(array(`+firstItems+`)) and not exists (
			select from line l where l.id = any($3) and not exists (
				select from line o join coverage c on c.line_id = o.id and c.version_id = v.id and c.completed_at is not null
				where o.person_id = l.person_id))`, parcel, lookedAt, lines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) Pasts(ctx context.Context, parcel string) (map[string]sentence.Past, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select l.id, coalesce(last.title, ''), coalesce(last.rights, '{}'), coalesce(client.name, ''), r.bounced, r.rate
		from line l join person r on r.id = l.person_id left join place client on client.id = r.client_id
		left join lateral (
			select p.title, o.rights from line o join parcel p on p.id = o.parcel_id
			where o.person_id = l.person_id and o.parcel_id <> l.parcel_id and o.removed_at is null and p.sent_at is not null
			order by o.created_at desc limit 1) last on true
		where l.parcel_id = $1 and l.removed_at is null`, parcel)
	if err != nil {
		return nil, err
	}
	out := map[string]sentence.Past{}
	var line string
	var past sentence.Past
	_, err = pgx.ForEachRow(rows, []any{&line, &past.Title, &past.Rights, &past.Client, &past.Bounced, &past.Rate}, func() error {
		one := past
		one.Rights = append(right.Rights{}, past.Rights...)
		out[line] = one
		return nil
	})
	return out, err
}

func (q *queries) Going(ctx context.Context, now time.Time, limit int) ([]pack.Parcel, error) {
	return q.parcels(ctx, `
		where p.going_at <= $1 and not p.going_waits and p.sent_at is null and p.discarded_at is null
		    and not exists (select from upload u where u.parcel_id = p.id and u.state = 'arriving')
		order by p.going_at limit $2`, now, limit)
}

func (q *queries) News(ctx context.Context, now time.Time, limit int) ([]pack.Parcel, error) {
	return q.parcels(ctx, `
		where p.news_at <= $1 and not exists (select from upload u where u.parcel_id = p.id and u.state = 'arriving')
		order by p.news_at limit $2`, now, limit)
}

func (q *queries) AddedSince(ctx context.Context, parcel string, after time.Time) (n int, last time.Time, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select count(*), coalesce(max(added_at), now()) from parcel_item where parcel_id = $1 and withdrawn_at is null and added_at > $2`, parcel,
		after).Scan(&n, &last)
	return n, last, err
}

func (q *queries) Waiting(ctx context.Context, parcels []string) ([]string, error) {
	var kinds []string
	for _, k := range expiry.Kinds.Names() {
		if expiry.Kinds.Get(k).Waits {
			kinds = append(kinds, string(k))
		}
	}
	rows, err := q.conn(ctx).Query(ctx, "select id from parcel where id = any($1) and end_rule ->> 'kind' = any($2) order by id", parcels, kinds)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) Progress(ctx context.Context, parcel string) (p expiry.Progress, err error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select s.opened_at, 'take' = any(l.rights), case when p.items > 0 and s.whole >= p.items then s.completed_at end
		from line l join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.parcel_id = $1 and l.removed_at is null`, parcel)
	if err != nil {
		return p, err
	}
	var opened, has moment
	var takes bool
	_, err = pgx.ForEachRow(rows, []any{&opened, &takes, &has}, func() error {
		if at := opened.time(); !at.IsZero() && (p.Opened.IsZero() || at.Before(p.Opened)) {
			p.Opened = at
		}
		if takes {
			p.Have = append(p.Have, has.time())
		}
		return nil
	})
	return p, err
}

func (q *queries) PinItems(ctx context.Context, parcel string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update parcel_item pi set pinned_version_id = i.current_version_id from item i
		where pi.parcel_id = $1 and i.id = pi.item_id and pi.pinned_version_id is null and pi.withdrawn_at is null`, parcel)
	return err
}

func (q *queries) CopyItems(ctx context.Context, from, to string) error {
	if err := q.touch(ctx, []string{to}); err != nil {
		return err
	}
	rows, err := q.conn(ctx).Query(ctx, `
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
	return q.settle(ctx, []string{to}, items)
}

func (q *queries) Reorder(ctx context.Context, parcel string, ids []string, after string) error {
	if err := q.touch(ctx, []string{parcel}); err != nil {
		return err
	}
	// A heading stays where it is, with those that it stands over.
	if _, err := q.conn(ctx).Exec(ctx, `
		with passed as (
			update parcel_item n set heading = o.heading from parcel_item o, lateral (
				select id from parcel_item a where a.parcel_id = $1 and a.withdrawn_at is null and a.id <> all($2)
				    and (a.position, a.id) > (o.position, o.id) order by a.position, a.id limit 1) next
			where o.id = any($2) and o.parcel_id = $1 and o.heading <> '' and n.id = next.id and n.heading = ''
			returning o.id)
		update parcel_item set heading = '' where id in (select id from passed)`, parcel, ids); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
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

func (q *queries) SetHeading(ctx context.Context, parcel, id, heading string) error {
	_, err := q.conn(ctx).Exec(ctx, "update parcel_item set heading = $3 where id = $2 and parcel_id = $1", parcel, id, heading)
	return err
}

// passHeading gives the heading of an item that goes to the one after it.
func (q *queries) passHeading(ctx context.Context, parcel, id string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update parcel_item n set heading = o.heading from parcel_item o, lateral (
			select id from parcel_item a where a.parcel_id = $1 and a.withdrawn_at is null and (a.position, a.id) > (o.position, o.id)
			order by a.position, a.id limit 1) next
		where o.id = $2 and o.parcel_id = $1 and o.heading <> '' and n.id = next.id and n.heading = ''`, parcel, id)
	return err
}

const selectPreset = "select id, studio_id, name, door, rights, end_rule, cover_letter, pins, reminders from preset "

func (q *queries) Presets(ctx context.Context, studio string) ([]pack.Preset, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPreset+"where studio_id = $1 order by lower(name)", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[pack.Preset])
}

func (q *queries) PresetByID(ctx context.Context, id string) (pack.Preset, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPreset+"where id = $1", id)
	return one(rows, err, pgx.RowToStructByName[pack.Preset])
}

func (q *queries) InsertPreset(ctx context.Context, p pack.Preset) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into preset (id, studio_id, name, door, rights, end_rule, cover_letter, pins, reminders) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		p.ID, p.StudioID, p.Name, p.Door, orNone(p.Rights), p.EndRule, p.CoverLetter, p.Pins, p.Reminders)
	return err
}

func (q *queries) DeletePreset(ctx context.Context, id string) error {
	_, err := q.conn(ctx).Exec(ctx, "delete from preset where id = $1", id)
	return err
}
