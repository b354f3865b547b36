package postgres

import (
	"context"
	"time"

	"aftergust/core/naming"
	"aftergust/internal/parts/gather"

	"github.com/jackc/pgx/v5"
)

const selectPlace = `select id, studio_id, coalesce(parent_id, '') as parent_id, kind, name, about, path, at_hand_since, changed_at from place `

func (q *queries) places(ctx context.Context, where string, args ...any) ([]gather.Place, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPlace+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Place])
}

func (q *queries) PlaceByID(ctx context.Context, id string) (gather.Place, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPlace+"where id = $1 and let_go_id is null", id)
	return one(rows, err, pgx.RowToStructByName[gather.Place])
}

func (q *queries) PlacesByID(ctx context.Context, ids []string) ([]gather.Place, error) {
	return q.places(ctx, "where id = any($1) and let_go_id is null order by length(path), name_key, id", ids)
}

// placesAtOnce is how many places of one parent are shown; more than anybody makes by hand.
const placesAtOnce = 5000

func (q *queries) PlacesIn(ctx context.Context, studioID, parent string) ([]gather.Place, error) {
	return q.places(ctx, "where studio_id = $1 and parent_id is not distinct from $2 and let_go_id is null order by name_key, id limit $3",
		studioID, optional(parent), placesAtOnce)
}

func (q *queries) PlacesInside(ctx context.Context, parents []string) ([]gather.Place, error) {
	return q.places(ctx, "where parent_id = any($1) and let_go_id is null order by name_key, id limit $2", parents, placesAtOnce)
}

func (q *queries) PlaceNamed(ctx context.Context, studioID, parent, name string) (gather.Place, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPlace+`where studio_id = $1 and coalesce(parent_id, '') = $2 and lower(name) = lower($3)
		and let_go_id is null`, studioID, parent, name)
	return one(rows, err, pgx.RowToStructByName[gather.Place])
}

func (q *queries) PlacesFound(ctx context.Context, studioID, under string, words []string, limit int) ([]gather.Place, error) {
	return q.places(ctx, `
		where studio_id = $1 and let_go_id is null and path like $2 || '%' and not exists (select from unnest($3::text[]) word
		    where position(word in lower(name || ' ' || about)) = 0)
		order by length(path), name_key, id limit $4`, studioID, under, words, limit)
}

func (q *queries) PlacesAtHand(ctx context.Context, studioID string) ([]gather.Place, error) {
	return q.places(ctx, "where studio_id = $1 and let_go_id is null and at_hand_since is not null order by name_key, id limit 500", studioID)
}

func (q *queries) Subplaces(ctx context.Context, paths []string) ([]gather.Place, error) {
	return q.places(ctx, `
		where let_go_id is null and exists (select from unnest($1::text[]) above where path like above || '%') order by length(path), name_key,
		    id`, paths)
}

func (q *queries) InsertPlace(ctx context.Context, p gather.Place) (bool, error) {
	tag, err := q.conn(ctx).Exec(ctx, `
		insert into place (id, studio_id, parent_id, kind, name, path, name_key) values ($1, $2, $3, $4, $5, $6, $7) on conflict do nothing`,
		p.ID, p.StudioID, optional(p.ParentID), p.Kind, p.Name, p.Path, naming.OrderKey(p.Name))
	return tag.RowsAffected() == 1, err
}

func (q *queries) UpdatePlace(ctx context.Context, p gather.Place) error {
	_, err := q.conn(ctx).Exec(ctx, "update place set name = $2, name_key = $3, about = $4, changed_at = now() where id = $1", p.ID, p.Name,
		naming.OrderKey(p.Name), p.About)
	return err
}

func (q *queries) MovePlace(ctx context.Context, from, to gather.Place) error {
	if _, err := q.conn(ctx).Exec(ctx, "update place set path = $2 || substr(path, length($1) + 1) where path like $1 || '%'", from.Path,
		to.Path); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, "update place set parent_id = $2, kind = $3, name = $4, name_key = $5, changed_at = now() where id = $1",
		to.ID, to.ParentID, to.Kind, to.Name, naming.OrderKey(to.Name))
	return err
}

func (q *queries) LockStudio(ctx context.Context, studioID string) error {
	_, err := q.conn(ctx).Exec(ctx, "select pg_advisory_xact_lock(hashtextextended($1, 0))", studioID)
	return err
}

func (q *queries) LetGoThings(ctx context.Context, d gather.Deletion, studioID, member string, sel gather.Selection) error {
	if _, err := q.conn(ctx).Exec(ctx, "insert into let_go (id, studio_id, member_id, name, at) values ($1, $2, $3, $4, $5)", d.ID, studioID,
		member, d.Name, d.At); err != nil {
		return err
	}
	if _, err := q.conn(ctx).Exec(ctx, `
		update item set let_go_id = $1 where let_go_id is null and (id = any($2) or rendition_of = any($2)
			or place_id in (select p.id from place p join place above on p.path like above.path || '%' where above.id = any($3)))`,
		d.ID, sel.Items, sel.Places); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
		update place set let_go_id = $1 where let_go_id is null and id in (
		    select p.id from place p join place above on p.path like above.path || '%'
		    where above.id = any($2))`,
		d.ID, sel.Places)
	return err
}

func (q *queries) LetGo(ctx context.Context, studioID string, since time.Time) ([]gather.Deletion, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select let_go.id, let_go.name, m.name as who, let_go.at, let_go.at as until,
		       (select count(*) from item i where i.let_go_id = let_go.id) as items,
		       (select coalesce(sum(i.size), 0)::bigint from item i where i.let_go_id = let_go.id) as size
		from let_go join member m on m.id = let_go.member_id where let_go.studio_id = $1 and let_go.at > $2 order by let_go.at desc, let_go.id desc limit 500`,
		studioID, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Deletion])
}

func (q *queries) LetGoByID(ctx context.Context, id string) (studioID string, ok bool, err error) {
	rows, err := q.conn(ctx).Query(ctx, "select studio_id from let_go where id = $1 and at > now() - "+letGoHold, id)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) TakeBack(ctx context.Context, id string) (under string, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select coalesce((
			select above.name from place above join (
				select parent_id as id from place where let_go_id = $1 union
				select place_id from item where let_go_id = $1) inside on inside.id = above.id
			where above.let_go_id <> $1 limit 1), '')`, id).Scan(&under)
	if err != nil || under != "" {
		return under, err
	}
	// A name that was given to another place meanwhile gets the day of the deletion.
	if _, err := q.conn(ctx).Exec(ctx, `
		update place p set name = p.name || to_char(let_go.at, ' (FMDD Mon HH24:MI:SS)'), name_key = null from let_go where let_go.id = $1
		    and p.let_go_id = $1 and exists (
			select from place o where o.studio_id = p.studio_id and coalesce(o.parent_id, '') = coalesce(p.parent_id, '')
			    and lower(o.name) = lower(p.name) and o.let_go_id is null)`, id); err != nil {
		return "", err
	}
	if err := q.OrderNames(ctx); err != nil {
		return "", err
	}
	for _, table := range []string{"place", "item"} {
		if _, err := q.conn(ctx).Exec(ctx, "update "+table+" set let_go_id = null where let_go_id = $1", id); err != nil {
			return "", err
		}
	}
	_, err = q.conn(ctx).Exec(ctx, "delete from let_go where id = $1", id)
	return "", err
}

func (q *queries) ForgetLetGo(ctx context.Context, id string) error {
	// The row stays, so that it is known what the things were; they are past their time at once.
	_, err := q.conn(ctx).Exec(ctx, "update let_go set at = to_timestamp(0) where id = $1", id)
	return err
}
