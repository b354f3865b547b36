package postgres

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"aftergust/core/naming"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"

	"github.com/jackc/pgx/v5"
)

var selectItem = `
	select i.id, i.studio_id, coalesce(i.place_id, '') as place_id, i.kind, i.name, i.about, i.tags, i.at_hand_since, coalesce(i.rendition_of,
	    '') as rendition_of, i.position,
	       i.created_at, i.changed_at, coalesce(i.created_by, '') as created_by, coalesce(m.name, '') as adder,
	       i.let_go_id is not null as let_go,
	       (select count(*) from item r where r.rendition_of = i.id and r.let_go_id is null)::int as renditions,
	       (select count(*) from version o where o.item_id = i.id and o.deleted_at is null)::int as versions, v.label,
	       ` + pieceOf("v.file_name") + `
	from item i join version v on v.id = i.current_version_id join blob b on b.id = v.blob_id left
	    join member m on m.id = i.created_by ` + madeOf

func (q *queries) items(ctx context.Context, where string, args ...any) ([]gather.Item, error) {
	rows, err := q.conn(ctx).Query(ctx, selectItem+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Item])
}

func (q *queries) InsertItem(ctx context.Context, i gather.Item) error {
	_, err := q.conn(ctx).Exec(ctx, `insert into item (id, studio_id, place_id, kind, name, tags, created_by, name_key) values ($1, $2, $3,
		$4, $5, coalesce($6, '{}'::text[]), $7, $8)`,
		i.ID, i.StudioID, optional(i.PlaceID), i.Kind, i.Name, i.Tags, optional(i.CreatedBy), naming.OrderKey(i.Name))
	return err
}

func (q *queries) ItemByID(ctx context.Context, id string) (gather.Item, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectItem+"where i.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[gather.Item])
}

func (q *queries) ItemsByID(ctx context.Context, ids []string) ([]gather.Item, error) {
	return q.items(ctx, "where i.id = any($1)", ids)
}

func (q *queries) ItemsUnder(ctx context.Context, places []string) ([]gather.Item, error) {
	return q.items(ctx, `
		where i.let_go_id is null and i.rendition_of is null and i.place_id in (
			select p.id from place p join place above on p.path like above.path || '%' where above.id = any($1) and p.let_go_id is null)
		order by i.position, i.id`, places)
}

func (q *queries) RenditionsOf(ctx context.Context, leads []string) ([]gather.Item, error) {
	return q.items(ctx, "where i.rendition_of = any($1) and i.let_go_id is null order by i.name_key, i.id", leads)
}

func (q *queries) TwinsOf(ctx context.Context, i gather.Item, limit int) ([]gather.Item, error) {
	stem := i.Name
	if dot := strings.LastIndexByte(stem, '.'); dot > 0 {
		stem = stem[:dot]
	}
	return q.items(ctx, `
		where i.place_id = $1 and i.id <> $2 and i.kind = 'file' and i.let_go_id is null and i.rendition_of is null
		and lower(regexp_replace(i.name, '\.[^.]*$', '')) = lower($3) order by i.name_key, i.id limit $4`, i.PlaceID, i.ID, stem, limit)
}

func (q *queries) NameItem(ctx context.Context, id string, name, about *string) error {
	var key []byte
	if name != nil {
		key = naming.OrderKey(*name)
	}
	_, err := q.conn(ctx).Exec(ctx, `
		update item set name = coalesce($2, name), name_key = coalesce($3, name_key), about = coalesce($4, about), changed_at = now()
		where id = $1`, id, name, key, about)
	return err
}

func (q *queries) TagItems(ctx context.Context, ids []string, tags [][]string, words []string) error {
	lists := make([]string, len(tags))
	for i, one := range tags {
		list, err := json.Marshal(one)
		if err != nil {
			return err
		}
		lists[i] = string(list)
	}
	_, err := q.conn(ctx).Exec(ctx, `
		update item i set changed_at = now(), tags = array(select jsonb_array_elements_text(n.tags::jsonb)), search = n.words
		from unnest($1::text[], $2::text[], $3::text[]) n (id, tags, words) where i.id = n.id`, ids, lists, words)
	return err
}

func (q *queries) KeepItemsAtHand(ctx context.Context, ids []string, at *time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update item set at_hand_since = $2 where id = any($1)", ids, at)
	return err
}

func (q *queries) KeepPlacesAtHand(ctx context.Context, ids []string, at *time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update place set at_hand_since = $2 where id = any($1)", ids, at)
	return err
}

func (q *queries) MoveItems(ctx context.Context, ids []string, place string) error {
	_, err := q.conn(ctx).Exec(ctx, `update item set place_id = $2, position = extract(epoch from clock_timestamp())
		where id = any($1) or rendition_of = any($1)`, ids, place)
	return err
}

func (q *queries) CopyItem(ctx context.Context, from, to, place, name, member string) error {
	version := ground.NewID()
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{`insert into item (id, studio_id, place_id, kind, name, tags, created_by, name_key) select $2, studio_id, $3, kind, $4, tags, $5, $6
			from item where id = $1`,
			[]any{from, to, place, name, member, naming.OrderKey(name)}},
		{`insert into version (id, item_id, number, label, file_name, blob_id, kind, mime, media_state, media_error, facts, data, body,
			added_by, media_recipe, media_share)
		  select $2, $3, 1, label, file_name, blob_id, v.kind, mime, case media_state when 'working' then 'waiting' else media_state end,
		    media_error, facts, data, body, $4, media_recipe, media_share
		  from version v join item i on i.current_version_id = v.id where i.id = $1`, []any{from, version, to, member}},
	} {
		if _, err := q.conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return err
		}
	}
	var source, state string
	if err := q.conn(ctx).QueryRow(ctx, `select v.id, v.media_state from version v join item i on i.current_version_id = v.id
		where i.id = $1`, from).Scan(&source, &state); err != nil {
		return err
	}
	if err := q.CopyDerived(ctx, source, version); err != nil {
		return err
	}
	if state == "waiting" || state == "working" {
		if err := q.Enqueue(ctx, ground.MediaJob{VersionID: version}); err != nil {
			return err
		}
	}
	return q.SetCurrent(ctx, to, version)
}

func (q *queries) SetRendition(ctx context.Context, ids []string, lead string) error {
	_, err := q.conn(ctx).Exec(ctx, "update item set rendition_of = $2 where id = any($1)", ids, optional(lead))
	return err
}

func (q *queries) SetPosition(ctx context.Context, id string, position float64) error {
	_, err := q.conn(ctx).Exec(ctx, "update item set position = $2 where id = $1", id, position)
	return err
}

func (q *queries) SpreadPositions(ctx context.Context, place string) error {
	// Whole numbers from one on; nothing is written where they are that already.
	_, err := q.conn(ctx).Exec(ctx, `
		update item i set position = n.n from (select id, row_number() over (order by position, id) as n from item where place_id = $1) n
		where i.id = n.id and i.position <> n.n`, place)
	return err
}

func (q *queries) Searched(ctx context.Context, ids []string) ([]gather.Searched, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select i.id, i.name, i.about, i.tags, v.kind, v.mime, v.label, v.facts, v.data, v.body
		from item i join version v on v.id = i.current_version_id where i.id = any($1) order by i.id for no key update of i`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Searched])
}

func (q *queries) Refresh(ctx context.Context, ids, words []string) error {
	// What is in step already is not written.
	_, err := q.conn(ctx).Exec(ctx, `
		with now as (
			select i.id, v.kind, b.size, coalesce((v.facts ->> 'length_us')::bigint, 0) as length_us, n.words
			from unnest($1::text[], $2::text[]) n (id, words) join item i on i.id = n.id join version v on v.id = i.current_version_id
			    join blob b on b.id = v.blob_id
		)
		update item i set what = now.kind, size = now.size, length_us = now.length_us, search = now.words from now
		where i.id = now.id and (i.what, i.size, i.length_us, i.search) is distinct from (now.kind, now.size, now.length_us, now.words)`, ids,
		words)
	return err
}

func (q *queries) Mine(ctx context.Context, studioID string, sel gather.Selection) (items, places int, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select (select count(*) from item where id = any($2) and studio_id = $1 and let_go_id is null),
		       (select count(*) from place where id = any($3) and studio_id = $1 and let_go_id is null)`, studioID, sel.Items,
		sel.Places).Scan(&items, &places)
	return items, places, err
}

func (q *queries) TagsOf(ctx context.Context, studioID string) ([]ground.Counted, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select tag as name, count(*) as count from item, unnest(tags) tag where studio_id = $1 and let_go_id is null and tags <> '{}' group by tag
		order by count(*) desc, tag limit 500`, studioID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[ground.Counted])
}

func (q *queries) KeepSelection(ctx context.Context, id, studioID string, sel gather.Selection) error {
	_, err := q.conn(ctx).Exec(ctx, `insert into selection (id, studio_id, items, places) values ($1, $2, coalesce($3, '{}'::text[]),
		coalesce($4, '{}'::text[]))`, id, studioID, sel.Items, sel.Places)
	return err
}

func (q *queries) SelectionByID(ctx context.Context, id string) (studioID string, sel gather.Selection, ok bool, err error) {
	rows, err := q.conn(ctx).Query(ctx, "select studio_id, items, places from selection where id = $1 and parcel_id is null", id)
	type kept struct {
		StudioID      string
		Items, Places []string
	}
	found, ok, err := one(rows, err, pgx.RowToStructByPos[kept])
	return found.StudioID, gather.Selection{Items: found.Items, Places: found.Places}, ok, err
}

func (q *queries) SpaceOf(ctx context.Context, studioID string) (s keep.Space, err error) {
	// Each blob counts once, for the first reason why it is kept.
	err = q.conn(ctx).QueryRow(ctx, `
		with why as (
			select v.blob_id, case when i.let_go_id is not null then 4 when i.place_id is null then 3 when v.id = i.current_version_id then 1
			    else 2 end as why
			from version v join item i on i.id = v.item_id where i.studio_id = $1
			union all
			select d.blob_id, 5 from derived d join version v on v.id = d.version_id join item i on i.id = v.item_id where i.studio_id = $1
		), kept as (
			select b.size, w.why from (select blob_id, min(why) as why from why group by blob_id) w join blob b on b.id = w.blob_id
			    where b.deleted_at is null
		)
		select coalesce(sum(size) filter (where why = 1), 0)::bigint, coalesce(sum(size) filter (where why = 2), 0)::bigint,
		    coalesce(sum(size) filter (where why = 3), 0)::bigint,
		       coalesce(sum(size) filter (where why = 4), 0)::bigint, coalesce(sum(size) filter (where why = 5), 0)::bigint,
		       (select coalesce(sum(size), 0)::bigint from upload where studio_id = $1 and state = 'arriving')
		from kept`, studioID).Scan(&s.Current, &s.Older, &s.Packages, &s.LetGo, &s.Made, &s.Arriving)
	if err != nil {
		return s, err
	}
	rows, err := q.conn(ctx).Query(ctx, `
		select c.name, sum(i.size)::bigint as count from item i join place p on p.id = i.place_id join place c on c.id = split_part(p.path, '/',
		    2)
		where i.studio_id = $1 and i.let_go_id is null group by c.id, c.name order by count desc limit 12`, studioID)
	if err != nil {
		return s, err
	}
	s.Places, err = pgx.CollectRows(rows, pgx.RowToStructByName[ground.Counted])
	return s, err
}

func (q *queries) Versions(ctx context.Context, item string) ([]gather.Version, error) {
	rows, err := q.conn(ctx).Query(ctx, selectVersion+`
		where v.item_id = $1 and (v.deleted_at is null or v.deleted_at > now() - `+letGoHold+`) order by v.number desc`, item)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Version])
}

func (q *queries) SetCurrent(ctx context.Context, item, version string) error {
	_, err := q.conn(ctx).Exec(ctx, "update item set current_version_id = $2, changed_at = now() where id = $1", item, version)
	return err
}

func (q *queries) LabelVersion(ctx context.Context, id, label string) error {
	_, err := q.conn(ctx).Exec(ctx, "update version set label = $2 where id = $1", id, label)
	return err
}

func (q *queries) DeleteVersion(ctx context.Context, id string, at *time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update version set deleted_at = $2 where id = $1", id, at)
	return err
}

func (q *queries) CopyDerived(ctx context.Context, from, to string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height)
		select $2 || '-' || purpose || '-' || page, $2, purpose, page, recipe, blob_id, mime, width, height from derived where version_id = $1
		on conflict (version_id, purpose, page) do nothing`, from, to)
	return err
}
