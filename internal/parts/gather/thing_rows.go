package gather

import (
	"context"
	"encoding/hex"
	"fmt"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// PieceOf is what gather.Piece is filled from: a version v with its blob b and
// what was made of it. name is the expression of the name under which it goes out.
func PieceOf(name string) string {
	return `v.id as version_id, v.number, ` + name + ` as file_name, v.blob_id, b.size, coalesce(b.crc32, 0)::bigint as crc32, b.xxh3,
		b.sha256, b.damage,
	       v.kind as what, v.mime, v.media_state, v.media_error, v.media_share::float8, v.facts, v.data, made.made, made.pages,
	    v.created_at as version_at`
}

// ThingRows are things and their versions.
type ThingRows struct{ *db.DB }

// Given brings packages in step with what they give of the items now, and
// returns those that give any of them. inside says whether what they deliver has changed.
func (q ThingRows) Given(ctx context.Context, items []string, inside bool) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select distinct pi.parcel_id from parcel_item pi join parcel p on p.id = pi.parcel_id
		where pi.item_id = any($1) and p.cleared_at is null and p.discarded_at is null order by 1`, items)
	if err != nil {
		return nil, err
	}
	parcels, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(parcels) == 0 || !inside {
		return parcels, err
	}
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, parcels); err != nil {
		return nil, err
	}
	return parcels, tally.Rows{DB: q.DB}.Settle(ctx, parcels, items)
}

func (q ThingRows) InsertVersion(ctx context.Context, v Version) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state, data, added_by) values ($1, $2, $3, $4, $5, $6,
		    $7, $8, $9, $10)`,
		v.VersionID, v.ItemID, v.Number, v.FileName, v.BlobID, v.What, v.Mime, v.MediaState, v.Data, db.Optional(v.AddedBy))
	if err != nil {
		return err
	}
	return q.SetCurrent(ctx, v.ItemID, v.VersionID)
}

func (q ThingRows) NextVersionNumber(ctx context.Context, item string) (n int, err error) {
	// The row of the item is locked, so that two new versions get two numbers.
	err = q.Conn(ctx).QueryRow(ctx, `
		select coalesce((select max(number) from version where item_id = i.id), 0) + 1 from item i where i.id = $1 for update`, item).Scan(&n)
	return n, err
}

var selectVersion = `
	select v.item_id, i.studio_id, v.body, v.label, coalesce(v.added_by, '') as added_by, coalesce(m.name, '') as adder, v.deleted_at,
	       ` + PieceOf("v.file_name") + `
	from version v join item i on i.id = v.item_id join blob b on b.id = v.blob_id left join member m on m.id = v.added_by ` + MadeOf

// MadeOf is what was made from the version v.
const MadeOf = `
	cross join lateral (
		select coalesce(array_agg(distinct d.purpose), '{}') as made, count(*) filter (where d.purpose = 'page')::int as pages
		from derived d where d.version_id = v.id) made `

func (q ThingRows) VersionByID(ctx context.Context, id string) (Version, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectVersion+"where v.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Version])
}

var selectItem = `
	select i.id, i.studio_id, coalesce(i.place_id, '') as place_id, i.kind, i.name, i.about, i.tags, i.at_hand_since, coalesce(i.rendition_of,
	    '') as rendition_of, i.position,
	       i.created_at, i.changed_at, coalesce(i.created_by, '') as created_by, coalesce(m.name, '') as adder,
	       i.let_go_id is not null as let_go,
	       (select count(*) from item r where r.rendition_of = i.id and r.let_go_id is null)::int as renditions,
	       (select count(*) from version o where o.item_id = i.id and o.deleted_at is null)::int as versions, v.label,
	       ` + PieceOf("v.file_name") + `
	from item i join version v on v.id = i.current_version_id join blob b on b.id = v.blob_id left
	    join member m on m.id = i.created_by ` + MadeOf

func (q ThingRows) items(ctx context.Context, where string, args ...any) ([]Item, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectItem+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Item])
}

func (q ThingRows) InsertItem(ctx context.Context, i Item) error {
	_, err := q.Conn(ctx).Exec(ctx, `insert into item (id, studio_id, place_id, kind, name, tags, created_by, name_key) values ($1, $2, $3,
		$4, $5, coalesce($6, '{}'::text[]), $7, $8)`,
		i.ID, i.StudioID, db.Optional(i.PlaceID), i.Kind, i.Name, i.Tags, db.Optional(i.CreatedBy), naming.OrderKey(i.Name))
	return err
}

func (q ThingRows) ItemByID(ctx context.Context, id string) (Item, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectItem+"where i.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Item])
}

func (q ThingRows) ItemsByID(ctx context.Context, ids []string) ([]Item, error) {
	return q.items(ctx, "where i.id = any($1)", ids)
}

func (q ThingRows) RenditionsOf(ctx context.Context, leads []string) ([]Item, error) {
	return q.items(ctx, "where i.rendition_of = any($1) and i.let_go_id is null order by i.name_key, i.id", leads)
}

func (q ThingRows) TwinsOf(ctx context.Context, i Item, limit int) ([]Item, error) {
	stem := i.Name
	if dot := strings.LastIndexByte(stem, '.'); dot > 0 {
		stem = stem[:dot]
	}
	return q.items(ctx, `
		where i.place_id = $1 and i.id <> $2 and i.kind = 'file' and i.let_go_id is null and i.rendition_of is null
		and lower(regexp_replace(i.name, '\.[^.]*$', '')) = lower($3) order by i.name_key, i.id limit $4`, i.PlaceID, i.ID, stem, limit)
}

// NameItem gives an item another name or description; nil leaves as it is.
func (q ThingRows) NameItem(ctx context.Context, id string, name, about *string) error {
	var key []byte
	if name != nil {
		key = naming.OrderKey(*name)
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		update item set name = coalesce($2, name), name_key = coalesce($3, name_key), about = coalesce($4, about), changed_at = now()
		where id = $1`, id, name, key, about)
	return err
}

// SetRendition makes items other formats of lead.
func (q ThingRows) SetRendition(ctx context.Context, ids []string, lead string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update item set rendition_of = $2 where id = any($1)", ids, db.Optional(lead))
	return err
}

// Searched are items with what their search words are made of; Refresh brings
// what lists are sorted, filtered and found by in step with the current versions.
// Searched are items for whoever changes them in this transaction.
func (q ThingRows) Searched(ctx context.Context, ids []string) ([]Searched, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select i.id, i.name, i.about, i.tags, v.kind, v.mime, v.label, v.facts, v.data, v.body
		from item i join version v on v.id = i.current_version_id where i.id = any($1) order by i.id for no key update of i`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Searched])
}

func (q ThingRows) Refresh(ctx context.Context, ids, words []string) error {
	// What is in step already is not written.
	_, err := q.Conn(ctx).Exec(ctx, `
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

func (q ThingRows) TagsOf(ctx context.Context, studioID string) ([]ground.Counted, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select tag as name, count(*) as count from item, unnest(tags) tag where studio_id = $1 and let_go_id is null and tags <> '{}' group by tag
		order by count(*) desc, tag limit 500`, studioID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[ground.Counted])
}

func (q ThingRows) Versions(ctx context.Context, item string) ([]Version, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectVersion+`
		where v.item_id = $1 and (v.deleted_at is null or v.deleted_at > now() - `+keep.LetGoHold+`) order by v.number desc`, item)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Version])
}

func (q ThingRows) SetCurrent(ctx context.Context, item, version string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update item set current_version_id = $2, changed_at = now() where id = $1", item, version)
	return err
}

func (q ThingRows) LabelVersion(ctx context.Context, id, label string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update version set label = $2 where id = $1", id, label)
	return err
}

func (q ThingRows) DeleteVersion(ctx context.Context, id string, at *time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update version set deleted_at = $2 where id = $1", id, at)
	return err
}

func (q ThingRows) CopyDerived(ctx context.Context, from, to string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height)
		select $2 || '-' || purpose || '-' || page, $2, purpose, page, recipe, blob_id, mime, width, height from derived where version_id = $1
		on conflict (version_id, purpose, page) do nothing`, from, to)
	return err
}

// keysAtOnce is how many rows get their keys in one statement.
const keysAtOnce = 5000

// OrderNames gives every place and item that has none the key by which its name
// is sorted.
func (q ThingRows) OrderNames(ctx context.Context) error {
	for _, table := range []string{"place", "item"} {
		for n := keysAtOnce; n == keysAtOnce; {
			var err error
			if n, err = q.orderSome(ctx, table); err != nil {
				return fmt.Errorf("order the names of every %s: %w", table, err)
			}
		}
	}
	return nil
}

func (q ThingRows) orderSome(ctx context.Context, table string) (int, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select id, name from "+table+" where name_key is null limit $1", keysAtOnce)
	if err != nil {
		return 0, err
	}
	type named struct{ ID, Name string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[named])
	if err != nil || len(all) == 0 {
		return 0, err
	}
	ids, keys := make([]string, len(all)), make([][]byte, len(all))
	for i, n := range all {
		ids[i], keys[i] = n.ID, naming.OrderKey(n.Name)
	}
	_, err = q.Conn(ctx).Exec(ctx, "update "+table+" set name_key = k.key from unnest($1::text[], $2::bytea[]) k (id, key) where "+table+".id = k.id", ids, keys)
	return len(all), err
}

// keyText is a name's key as PostgreSQL reads it out of text.
func keyText(name string) string { return `\x` + hex.EncodeToString(naming.OrderKey(name)) }
