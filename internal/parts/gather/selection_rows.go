package gather

import (
	"context"
	"encoding/json"
	"time"

	"aftergust/core/file/naming"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// SelectionRows are what is done to many things at once.
type SelectionRows struct{ *db.DB }

// ItemsUnder are the items that lie anywhere in the places, those that were let go left out.
func (q SelectionRows) ItemsUnder(ctx context.Context, places []string) ([]Item, error) {
	return ThingRows(q).items(ctx, `
		where i.let_go_id is null and i.rendition_of is null and i.place_id in (
			select p.id from place p join place above on p.path like above.path || '%' where above.id = any($1) and p.let_go_id is null)
		order by i.position, i.id`, places)
}

// TagItems writes the tags of items, and the words under which they are found then.
func (q SelectionRows) TagItems(ctx context.Context, ids []string, tags [][]string, words []string) error {
	lists := make([]string, len(tags))
	for i, one := range tags {
		list, err := json.Marshal(one)
		if err != nil {
			return err
		}
		lists[i] = string(list)
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		update item i set changed_at = now(), tags = array(select jsonb_array_elements_text(n.tags::jsonb)), search = n.words
		from unnest($1::text[], $2::text[], $3::text[]) n (id, tags, words) where i.id = n.id`, ids, lists, words)
	return err
}

func (q SelectionRows) KeepItemsAtHand(ctx context.Context, ids []string, at *time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update item set at_hand_since = $2 where id = any($1)", ids, at)
	return err
}

func (q SelectionRows) KeepPlacesAtHand(ctx context.Context, ids []string, at *time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update place set at_hand_since = $2 where id = any($1)", ids, at)
	return err
}

func (q SelectionRows) MoveItems(ctx context.Context, ids []string, place string) error {
	_, err := q.Conn(ctx).Exec(ctx, `update item set place_id = $2, position = extract(epoch from clock_timestamp())
		where id = any($1) or rendition_of = any($1)`, ids, place)
	return err
}

func (q SelectionRows) CopyItem(ctx context.Context, from, to, place, name, member string) error {
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
		if _, err := q.Conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return err
		}
	}
	var source, state string
	if err := q.Conn(ctx).QueryRow(ctx, `select v.id, v.media_state from version v join item i on i.current_version_id = v.id
		where i.id = $1`, from).Scan(&source, &state); err != nil {
		return err
	}
	if err := ThingRows(q).CopyDerived(ctx, source, version); err != nil {
		return err
	}
	if state == "waiting" || state == "working" {
		if err := q.Enqueue(ctx, ground.MediaJob{VersionID: version}); err != nil {
			return err
		}
	}
	return ThingRows(q).SetCurrent(ctx, to, version)
}

func (q SelectionRows) SetPosition(ctx context.Context, id string, position float64) error {
	_, err := q.Conn(ctx).Exec(ctx, "update item set position = $2 where id = $1", id, position)
	return err
}

func (q SelectionRows) SpreadPositions(ctx context.Context, place string) error {
	// Whole numbers from one on; nothing is written where they are that already.
	_, err := q.Conn(ctx).Exec(ctx, `
		update item i set position = n.n from (select id, row_number() over (order by position, id) as n from item where place_id = $1) n
		where i.id = n.id and i.position <> n.n`, place)
	return err
}

// Mine counts which of the items and places are the studio's and not let go.
func (q SelectionRows) Mine(ctx context.Context, studioID string, sel Selection) (items, places int, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select (select count(*) from item where id = any($2) and studio_id = $1 and let_go_id is null),
		       (select count(*) from place where id = any($3) and studio_id = $1 and let_go_id is null)`, studioID, sel.Items,
		sel.Places).Scan(&items, &places)
	return items, places, err
}

func (q SelectionRows) KeepSelection(ctx context.Context, id, studioID string, sel Selection) error {
	_, err := q.Conn(ctx).Exec(ctx, `insert into selection (id, studio_id, items, places) values ($1, $2, coalesce($3, '{}'::text[]),
		coalesce($4, '{}'::text[]))`, id, studioID, sel.Items, sel.Places)
	return err
}

func (q SelectionRows) SelectionByID(ctx context.Context, id string) (studioID string, sel Selection, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, "select studio_id, items, places from selection where id = $1 and parcel_id is null", id)
	type kept struct {
		StudioID      string
		Items, Places []string
	}
	found, ok, err := db.One(rows, err, pgx.RowToStructByPos[kept])
	return found.StudioID, Selection{Items: found.Items, Places: found.Places}, ok, err
}

// LetGoThings marks the items and places, and all that lies in the places, as
// deleted. What was let go before stays with its own deletion.
func (q SelectionRows) LetGoThings(ctx context.Context, d Deletion, studioID, member string, sel Selection) error {
	if _, err := q.Conn(ctx).Exec(ctx, "insert into let_go (id, studio_id, member_id, name, at) values ($1, $2, $3, $4, $5)", d.ID, studioID,
		member, d.Name, d.At); err != nil {
		return err
	}
	if _, err := q.Conn(ctx).Exec(ctx, `
		update item set let_go_id = $1 where let_go_id is null and (id = any($2) or rendition_of = any($2)
			or place_id in (select p.id from place p join place above on p.path like above.path || '%' where above.id = any($3)))`,
		d.ID, sel.Items, sel.Places); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		update place set let_go_id = $1 where let_go_id is null and id in (
		    select p.id from place p join place above on p.path like above.path || '%'
		    where above.id = any($2))`,
		d.ID, sel.Places)
	return err
}

func (q SelectionRows) LetGo(ctx context.Context, studioID string, since time.Time) ([]Deletion, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select let_go.id, let_go.name, m.name as who, let_go.at, let_go.at as until,
		       (select count(*) from item i where i.let_go_id = let_go.id) as items,
		       (select coalesce(sum(i.size), 0)::bigint from item i where i.let_go_id = let_go.id) as size
		from let_go join member m on m.id = let_go.member_id where let_go.studio_id = $1 and let_go.at > $2 order by let_go.at desc, let_go.id desc limit 500`,
		studioID, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Deletion])
}

func (q SelectionRows) LetGoByID(ctx context.Context, id string) (studioID string, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, "select studio_id from let_go where id = $1 and at > now() - "+keep.LetGoHold, id)
	return db.One(rows, err, pgx.RowTo[string])
}

// TakeBack takes a deletion back. It reports a name whose own parent is let go
// itself, where there is one; nothing is changed then.
func (q SelectionRows) TakeBack(ctx context.Context, id string) (under string, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select coalesce((
			select above.name from place above join (
				select parent_id as id from place where let_go_id = $1 union
				select place_id from item where let_go_id = $1) inside on inside.id = above.id
			where above.let_go_id <> $1 limit 1), '')`, id).Scan(&under)
	if err != nil || under != "" {
		return under, err
	}
	// A name that was given to another place meanwhile gets the day of the deletion.
	if _, err := q.Conn(ctx).Exec(ctx, `
		update place p set name = p.name || to_char(let_go.at, ' (FMDD Mon HH24:MI:SS)'), name_key = null from let_go where let_go.id = $1
		    and p.let_go_id = $1 and exists (
			select from place o where o.studio_id = p.studio_id and coalesce(o.parent_id, '') = coalesce(p.parent_id, '')
			    and lower(o.name) = lower(p.name) and o.let_go_id is null)`, id); err != nil {
		return "", err
	}
	if err := ThingRows(q).OrderNames(ctx); err != nil {
		return "", err
	}
	for _, table := range []string{"place", "item"} {
		if _, err := q.Conn(ctx).Exec(ctx, "update "+table+" set let_go_id = null where let_go_id = $1", id); err != nil {
			return "", err
		}
	}
	_, err = q.Conn(ctx).Exec(ctx, "delete from let_go where id = $1", id)
	return "", err
}

// ForgetLetGo forgets a deletion, so that it cannot be taken back.
func (q SelectionRows) ForgetLetGo(ctx context.Context, id string) error {
	// The row stays, so that it is known what the things were; they are past their time at once.
	_, err := q.Conn(ctx).Exec(ctx, "update let_go set at = to_timestamp(0) where id = $1", id)
	return err
}
