package gather

import (
	"context"
	"time"

	"aftergust/core/file/naming"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// PlaceRows are clients, projects and folders.
type PlaceRows struct{ *db.DB }

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

// PlaceSums say what lies in each place of a parent, the clients for an empty one, and in each place
// directly in these. pictures is how many of the newest things of each are named.
func (q PlaceRows) PlaceSums(ctx context.Context, studioID, parent string, now time.Time, pictures int) ([]PlaceSum, error) {
	rows, err := q.Conn(ctx).Query(ctx, placeSums, studioID, db.Optional(parent), now, pictures)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[PlaceSum])
}

const selectPlace = `select id, studio_id, coalesce(parent_id, '') as parent_id, kind, name, about, path, at_hand_since, changed_at from place `

func (q PlaceRows) places(ctx context.Context, where string, args ...any) ([]Place, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPlace+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Place])
}

func (q PlaceRows) PlaceByID(ctx context.Context, id string) (Place, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPlace+"where id = $1 and let_go_id is null", id)
	return db.One(rows, err, pgx.RowToStructByName[Place])
}

func (q PlaceRows) PlacesByID(ctx context.Context, ids []string) ([]Place, error) {
	return q.places(ctx, "where id = any($1) and let_go_id is null order by length(path), name_key, id", ids)
}

// placesAtOnce is how many places of one parent are shown; more than anybody makes by hand.
const placesAtOnce = 5000

func (q PlaceRows) PlacesIn(ctx context.Context, studioID, parent string) ([]Place, error) {
	return q.places(ctx, "where studio_id = $1 and parent_id is not distinct from $2 and let_go_id is null order by name_key, id limit $3",
		studioID, db.Optional(parent), placesAtOnce)
}

// PlacesInside lie directly in any of the parents.
func (q PlaceRows) PlacesInside(ctx context.Context, parents []string) ([]Place, error) {
	return q.places(ctx, "where parent_id = any($1) and let_go_id is null order by name_key, id limit $2", parents, placesAtOnce)
}

func (q PlaceRows) PlaceNamed(ctx context.Context, studioID, parent, name string) (Place, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPlace+`where studio_id = $1 and coalesce(parent_id, '') = $2 and lower(name) = lower($3)
		and let_go_id is null`, studioID, parent, name)
	return db.One(rows, err, pgx.RowToStructByName[Place])
}

func (q PlaceRows) PlacesFound(ctx context.Context, studioID, under string, words []string, limit int) ([]Place, error) {
	return q.places(ctx, `
		where studio_id = $1 and let_go_id is null and path like $2 || '%' and not exists (select from unnest($3::text[]) word
		    where position(word in lower(name || ' ' || about)) = 0)
		order by length(path), name_key, id limit $4`, studioID, under, words, limit)
}

func (q PlaceRows) PlacesAtHand(ctx context.Context, studioID string) ([]Place, error) {
	return q.places(ctx, "where studio_id = $1 and let_go_id is null and at_hand_since is not null order by name_key, id limit 500", studioID)
}

// Subplaces are places and all that lie in them, those that were let go left out.
func (q PlaceRows) Subplaces(ctx context.Context, paths []string) ([]Place, error) {
	return q.places(ctx, `
		where let_go_id is null and exists (select from unnest($1::text[]) above where path like above || '%') order by length(path), name_key,
		    id`, paths)
}

// InsertPlace does nothing and reports false where its name is taken.
func (q PlaceRows) InsertPlace(ctx context.Context, p Place) (bool, error) {
	tag, err := q.Conn(ctx).Exec(ctx, `
		insert into place (id, studio_id, parent_id, kind, name, path, name_key) values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing`,
		p.ID, p.StudioID, db.Optional(p.ParentID), p.Kind, p.Name, p.Path, naming.OrderKey(p.Name))
	return tag.RowsAffected() == 1, err
}

func (q PlaceRows) UpdatePlace(ctx context.Context, p Place) error {
	_, err := q.Conn(ctx).Exec(ctx, "update place set name = $2, name_key = $3, about = $4, changed_at = now() where id = $1", p.ID, p.Name,
		naming.OrderKey(p.Name), p.About)
	return err
}

func (q PlaceRows) MovePlace(ctx context.Context, from, to Place) error {
	if _, err := q.Conn(ctx).Exec(ctx, "update place set path = $2 || substr(path, length($1) + 1) where path like $1 || '%'", from.Path,
		to.Path); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update place set parent_id = $2, kind = $3, name = $4, name_key = $5, changed_at = now() where id = $1",
		to.ID, to.ParentID, to.Kind, to.Name, naming.OrderKey(to.Name))
	return err
}
