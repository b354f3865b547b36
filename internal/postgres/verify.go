package postgres

import (
	"context"

	"aftergust/core/event"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

func (q *queries) Snapshot(ctx context.Context, mend bool, do func(ctx context.Context) error) error {
	options := pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}
	if mend {
		options = pgx.TxOptions{}
	}
	return q.begin(ctx, options, func(ctx context.Context) error {
		if mend {
			// Whoever changes what packages give, or what somebody got, waits until it is mended.
			if _, err := q.conn(ctx).Exec(ctx, "lock table standing, studio in share row exclusive mode"); err != nil {
				return err
			}
		}
		return do(ctx)
	})
}

func (q *queries) Parcels(ctx context.Context, after string, limit int) ([]pack.Parcel, error) {
	return q.parcels(ctx, "where p.id > $1 order by p.id limit $2", after, limit)
}

func (q *queries) Weights(ctx context.Context, parcel string) (items int, weight, loose int64, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select count(*), coalesce(sum(b.size), 0)::bigint, coalesce(sum(b.size) filter (where i.place_id is null), 0)::bigint
		from parcel_item pi `+given+`where pi.parcel_id = $1 and pi.withdrawn_at is null`, parcel).Scan(&items, &weight, &loose)
	return items, weight, loose, err
}

func (q *queries) Acts(ctx context.Context, parcel string) ([]follow.Act, error) {
	var kinds []string
	for _, k := range event.All.Names() {
		if event.All.Get(k).Present {
			kinds = append(kinds, string(k))
		}
	}
	rows, err := q.conn(ctx).Query(ctx, `
		select line_id, coalesce(version_id, '') as version_id, kind, min(at) as first, max(at) as last
		from event where parcel_id = $1 and line_id is not null and kind = any($2) group by line_id, version_id, kind`, parcel, kinds)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[follow.Act])
}

func (q *queries) Studios(ctx context.Context) ([]follow.Held, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select s.id as studio, (s.held_bytes + w.held)::bigint as held, (s.arriving_bytes + w.arriving)::bigint as arriving,
		       (select coalesce(sum(size), 0) from blob where studio_id = s.id and deleted_at is null)::bigint as held_sum,
		       (select coalesce(sum(size), 0) from upload where studio_id = s.id and state = 'arriving')::bigint as uploads
		from studio s, lateral (select coalesce(sum(held), 0) as held, coalesce(sum(arriving), 0) as arriving from weighed
		    where studio_id = s.id) w order by s.id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[follow.Held])
}

func (q *queries) SetTotals(ctx context.Context, parcel string, items int, weight, loose int64) error {
	if _, err := q.conn(ctx).Exec(ctx, `
		update parcel_item pi set counted = pi.withdrawn_at is null, weight = case when pi.withdrawn_at is null then b.size else 0 end,
		    loose = i.place_id is null
		from item i, version v, blob b
		where pi.parcel_id = $1 and i.id = pi.item_id and v.id = coalesce(pi.pinned_version_id, i.current_version_id) and b.id = v.blob_id`,
		parcel); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, "update parcel set items = $2, weight = $3, loose = $4 where id = $1", parcel, items, weight, loose)
	return err
}

func (q *queries) SetHeld(ctx context.Context, studioID string, held, arriving int64) error {
	if _, err := q.conn(ctx).Exec(ctx, "delete from weighed where studio_id = $1", studioID); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, "update studio set held_bytes = $2, arriving_bytes = $3 where id = $1", studioID, held, arriving)
	return err
}

// counted is what each row of coverage of a package ($1) should have been counted
// with, and was.
const counted = `
	with got as (
		select c.line_id, c.version_id, c.delivered, c.gaps, c.role, c.completed_at, v.item_id, v.number,
		       (select coalesce(sum(upper(r) - lower(r)), 0) from unnest(c.bytes) r)::bigint as delivered_now,
		       case when isempty(c.bytes) then 0 else (select count(*) from unnest(int8multirange(int8range(0,
		    b.size)) - c.bytes) r) end::int as gaps_now,
		       pi.id is not null and pi.withdrawn_at is null as given, v.id = now.id as current, now.number as now_number
		from coverage c join version v on v.id = c.version_id join blob b on b.id = v.blob_id join item i on i.id = v.item_id
		left join parcel_item pi on pi.parcel_id = c.parcel_id and pi.item_id = v.item_id
		left join version now on now.id = coalesce(pi.pinned_version_id, i.current_version_id)
		where c.parcel_id = $1
	), ` + partPlayed + `, wrong as (
		select * from wanted where (delivered, gaps, role) is distinct from (delivered_now, gaps_now, role_now)
	)`

func (q *queries) Miscounted(ctx context.Context, parcel string, mend bool) (n int, err error) {
	if !mend {
		err = q.conn(ctx).QueryRow(ctx, counted+" select count(*) from wrong", parcel).Scan(&n)
		return n, err
	}
	tag, err := q.conn(ctx).Exec(ctx, counted+`
		update coverage c set delivered = delivered_now, gaps = gaps_now, role = role_now from wrong w where c.line_id = w.line_id
		    and c.version_id = w.version_id`, parcel)
	return int(tag.RowsAffected()), err
}

// Contradicted is how many receipts of a package say something other than its events: that a
// version arrived whole, of which no event tells, or that it did not, although one does. Both
// are written in one transaction, and events are chained, so that the events are right.
func (q *queries) Contradicted(ctx context.Context, parcel string, mend bool) (claimed, denied int, err error) {
	const told = `with told as (
			select line_id, version_id, min(at) as at from event
			where parcel_id = $1 and kind = 'took' and line_id is not null and version_id is not null group by line_id, version_id
		), claimed as (
			select c.line_id, c.version_id from coverage c left join told t using (line_id, version_id)
			where c.parcel_id = $1 and c.completed_at is not null and t.at is null
		), denied as (
			select t.line_id, t.version_id, t.at, b.size, case when b.size > 0 then int8multirange(int8range(0, b.size)) else '{}' end as bytes
			from told t join version v on v.id = t.version_id join blob b on b.id = v.blob_id
			left join coverage c on c.line_id = t.line_id and c.version_id = t.version_id
			where c.completed_at is null or b.size > 0 and not c.bytes @> int8range(0, b.size)
		) `
	err = q.conn(ctx).QueryRow(ctx, told+"select (select count(*) from claimed), (select count(*) from denied)", parcel).Scan(&claimed, &denied)
	if err != nil || !mend || claimed+denied == 0 {
		return claimed, denied, err
	}
	_, err = q.conn(ctx).Exec(ctx, told+`, withdrawn as (
			update coverage c set bytes = '{}', delivered = 0, gaps = 0, completed_at = null from claimed k
			where c.line_id = k.line_id and c.version_id = k.version_id
		)
		insert into coverage (line_id, version_id, parcel_id, role, bytes, delivered, gaps, completed_at)
		select line_id, version_id, $1, 0, bytes, size, 0, at from denied
		on conflict (line_id, version_id) do update
		set bytes = excluded.bytes, delivered = excluded.delivered, gaps = 0, completed_at = excluded.completed_at`, parcel)
	return claimed, denied, err
}

// Unstood are lines of a package that have no standing; with mend set they get an empty one.
func (q *queries) Unstood(ctx context.Context, parcel string, mend bool) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select l.id from line l where l.parcel_id = $1 and not exists (select from standing s where s.line_id = l.id) order by l.id`, parcel)
	if err != nil {
		return nil, err
	}
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err == nil && mend && len(lines) > 0 {
		_, err = q.conn(ctx).Exec(ctx, "insert into standing (line_id, parcel_id) select *, $2 from unnest($1::text[])", lines, parcel)
	}
	return lines, err
}
