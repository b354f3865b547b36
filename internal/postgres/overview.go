package postgres

import (
	"context"
	"time"

	"aftergust/internal/parts/gather"

	"github.com/jackc/pgx/v5"
)

// placeSums counts by indexes alone: what lies in a place by the one of its sizes, what changed last by
// the one of its changes. A path is /a/b/c/, so that its second and third parts say under which shown
// place it lies, and under which place in that.
const placeSums = `
	with shown as (
		select id, array_length(string_to_array(path, '/'), 1) as depth from place
		where studio_id = $1 and parent_id is not distinct from $2 and let_go_id is null
	), below as materialized (
		select split_part(p.path, '/', s.depth - 1) as top, nullif(split_part(p.path, '/', s.depth), '') as child, p.id
		from place p join shown s on s.id = split_part(p.path, '/', (select min(depth) from shown) - 1)
		where p.studio_id = $1 and p.let_go_id is null
	), per as materialized (
		select b.id, b.top, b.child, n.things, n.bytes from below b cross join lateral (
			select count(*)::int as things, coalesce(sum(i.size), 0)::bigint as bytes from item i
			where i.place_id = b.id and i.let_go_id is null and i.rendition_of is null) n
	), lately as (
		select b.top, b.child, i.id, i.name, i.changed_at from per b cross join lateral (
			select i.id, i.name, i.changed_at from item i where i.place_id = b.id and i.let_go_id is null and i.rendition_of is null
			order by i.changed_at desc, i.id desc limit $4) i
		where b.things > 0
	), out_now as (
		select id, title, ends_at from parcel
		where studio_id = $1 and discarded_at is null and sent_at is not null and stopped_at is null and cleared_at is null and ends_at > $3
	), gives as (
		select distinct b.top, b.child, o.id, o.title, o.ends_at from out_now o
		join parcel_item pi on pi.parcel_id = o.id and pi.withdrawn_at is null join item i on i.id = pi.item_id join below b on b.id = i.place_id
	), sides as (
		select top as id, top, null::text as child from below group by top
		union all select child, top, child from below where child is not null group by top, child
	)
	select s.id as place_id,
	       coalesce((select sum(p.things) from per p where p.top = s.top and (s.child is null or p.child = s.child)), 0)::int as things,
	       coalesce((select sum(p.bytes) from per p where p.top = s.top and (s.child is null or p.child = s.child)), 0)::bigint as bytes,
	       coalesce(l.names[1], '') as last, coalesce(l.times[1], 'epoch') as last_at, coalesce(l.ids[:$4], '{}') as newest,
	       coalesce((select jsonb_agg(distinct jsonb_build_object('id', g.id, 'title', g.title, 'ends', g.ends_at)) from gives g
	                 where g.top = s.top and (s.child is null or g.child = s.child)), '[]') as out
	from sides s left join lateral (
		select array_agg(name order by changed_at desc, id desc) as names, array_agg(changed_at order by changed_at desc, id desc) as times,
		       array_agg(id order by changed_at desc, id desc) as ids
		from lately where lately.top = s.top and (s.child is null or lately.child = s.child)) l on true`

func (q *queries) PlaceSums(ctx context.Context, studioID, parent string, now time.Time, pictures int) ([]gather.PlaceSum, error) {
	rows, err := q.conn(ctx).Query(ctx, placeSums, studioID, optional(parent), now, pictures)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.PlaceSum])
}
