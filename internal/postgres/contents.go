package postgres

import (
	"context"
	"time"

	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

// pieceOf is what gather.Piece is filled from: a version v with its blob b and
// what was made of it. name is the expression of the name under which it goes out.
func pieceOf(name string) string {
	return `v.id as version_id, v.number, ` + name + ` as file_name, v.blob_id, b.size, coalesce(b.crc32, 0)::bigint as crc32, b.xxh3,
		b.sha256, b.damage,
	       v.kind as what, v.mime, v.media_state, v.media_error, v.media_share::float8, v.facts, v.data, made.made, made.pages,
	    v.created_at as version_at`
}

// givenAs is the name under which a package gives an item i in a version v.
const givenAs = "case when i.kind = 'file' and v.id = i.current_version_id then i.name else v.file_name end"

// given joins an item of a package, pi, with the version that it gives now.
const given = `join item i on i.id = pi.item_id
	join version v on v.id = coalesce(pi.pinned_version_id, i.current_version_id)
	join blob b on b.id = v.blob_id `

var selectContent = `
	select pi.id, pi.parcel_id, pi.item_id, pi.folder, pi.position, pi.withdrawn_at, pi.heading, i.name as title,
	       case when i.rendition_of is null then '' else
	           coalesce((select l.id from parcel_item l where l.parcel_id = pi.parcel_id and l.item_id = i.rendition_of
	    and l.withdrawn_at is null), '') end as lead,
	       case when v.number = 1 then '{}' else
	           array(select o.id from version o where o.item_id = v.item_id and o.number < v.number order by o.number) end as older,
	       ` + pieceOf(givenAs) + `
	from parcel_item pi ` + given + madeOf

func (q *queries) Contents(ctx context.Context, parcel string, after pack.Place, limit int) ([]pack.Content, error) {
	// The page is found by its index before anything is joined to it.
	rows, err := q.conn(ctx).Query(ctx, selectContent+`
		where pi.id = any(array(
			select id from parcel_item where parcel_id = $1 and withdrawn_at is null and (position, id) > ($2, $3) order by position, id limit $4))
		order by pi.position, pi.id`, parcel, after.Position, after.ID, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[pack.Content])
}

func (q *queries) ContentByID(ctx context.Context, id string) (pack.Content, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectContent+"where pi.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[pack.Content])
}

func (q *queries) Entries(ctx context.Context, parcel string, chosen []string) (entries []archive.Entry, rev int64, err error) {
	// One statement sees one state, so that the revision is the one of these entries.
	rows, err := q.conn(ctx).Query(ctx, `
		select pi.id, v.id, v.blob_id, case when pi.folder = '' then '' else pi.folder || '/' end || `+givenAs+`, b.size,
		       coalesce(b.crc32, 0)::bigint, v.created_at, b.xxh3, b.sha256, p.contents_rev
		from parcel p join parcel_item pi on pi.parcel_id = p.id `+given+`
		where p.id = $1 and pi.withdrawn_at is null and ($2::text[] is null or pi.id = any($2)) order by pi.position, pi.id`, parcel, chosen)
	if err != nil {
		return nil, 0, err
	}
	var e archive.Entry
	_, err = pgx.ForEachRow(rows, []any{&e.ID, &e.Version, &e.Blob, &e.Path, &e.Size, &e.CRC32, &e.Modified, &e.XXH3, &e.SHA256,
		&rev}, func() error {
		entries = append(entries, e)
		return nil
	})
	if err != nil || len(entries) == 0 || chosen != nil {
		return entries, rev, err
	}
	var folders []string
	err = q.conn(ctx).QueryRow(ctx, "select contents_rev, empty_folders from parcel where id = $1", parcel).Scan(&rev, &folders)
	for _, folder := range folders {
		entries = append(entries, archive.Folder(folder))
	}
	return entries, rev, err
}

func (q *queries) Gives(ctx context.Context, parcel, item string) (there bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from parcel_item where parcel_id = $1 and item_id = $2)", parcel, item).Scan(&there)
	return there, err
}

func (q *queries) PutItems(ctx context.Context, parcel string, items []pack.Put, empty []string) (int, error) {
	ids, things, folders, positions := make([]string, len(items)), make([]string, len(items)), make([]string, len(items)),
		make([]int, len(items))
	for i, put := range items {
		ids[i], things[i], folders[i], positions[i] = ground.NewID(), put.ItemID, put.Folder, put.Position
	}
	if err := q.touch(ctx, []string{parcel}); err != nil {
		return 0, err
	}
	if len(empty) > 0 {
		if _, err := q.conn(ctx).Exec(ctx, `
			update parcel set empty_folders = array(select distinct f from unnest(empty_folders || $2::text[]) f order by f) where id = $1`, parcel,
			empty); err != nil {
			return 0, err
		}
	}
	rows, err := q.conn(ctx).Query(ctx, `
		insert into parcel_item (id, parcel_id, item_id, folder, position, added_at)
		select n.id, $1, n.item, n.folder, case when n.position > 0 then n.position else last.position + n.n::int end, clock_timestamp()
		from unnest($2::text[], $3::text[], $4::text[], $5::int[]) with ordinality n (id, item, folder, position, n),
		     (select greatest(coalesce((select max(position) from parcel_item where parcel_id = $1), 0), coalesce((select max(position)
		    from upload where parcel_id = $1), 0)) as position) last
		order by n.n on conflict (parcel_id, item_id) do nothing returning item_id`, parcel, ids, things, folders, positions)
	if err != nil {
		return 0, err
	}
	added, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, err
	}
	return len(added), q.settle(ctx, []string{parcel}, added)
}

func (q *queries) RemoveItem(ctx context.Context, parcel, id string) error {
	if err := q.touch(ctx, []string{parcel}); err != nil {
		return err
	}
	if err := q.passHeading(ctx, parcel, id); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
		with gone as (delete from parcel_item where id = $2 and parcel_id = $1 returning counted, weight, loose)
		update parcel p set items = p.items - gone.counted::int, weight = p.weight - gone.weight, loose = p.loose - case when gone.loose
		    then gone.weight else 0 end
		from gone where p.id = $1`, parcel, id)
	return err
}

func (q *queries) WithdrawItem(ctx context.Context, parcel, id string, at time.Time) error {
	if err := q.touch(ctx, []string{parcel}); err != nil {
		return err
	}
	if err := q.passHeading(ctx, parcel, id); err != nil {
		return err
	}
	var item string
	if err := q.conn(ctx).QueryRow(ctx, "update parcel_item set withdrawn_at = $3 where id = $2 and parcel_id = $1 returning item_id", parcel,
		id, at).Scan(&item); err != nil {
		return err
	}
	return q.settle(ctx, []string{parcel}, []string{item})
}

func (q *queries) Given(ctx context.Context, items []string, inside bool) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select distinct pi.parcel_id from parcel_item pi join parcel p on p.id = pi.parcel_id
		where pi.item_id = any($1) and p.cleared_at is null and p.discarded_at is null order by 1`, items)
	if err != nil {
		return nil, err
	}
	parcels, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(parcels) == 0 || !inside {
		return parcels, err
	}
	if err := q.touch(ctx, parcels); err != nil {
		return nil, err
	}
	return parcels, q.settle(ctx, parcels, items)
}

func (q *queries) KeepChoice(ctx context.Context, id, parcel string, items []string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into selection (id, studio_id, parcel_id, items, places) select $1, studio_id, id, $3, '{}' from parcel where id = $2
		on conflict (id) do update set created_at = now()`, id, parcel, items)
	return err
}

func (q *queries) ChoiceByID(ctx context.Context, id, parcel string) (items []string, ok bool, err error) {
	rows, err := q.conn(ctx).Query(ctx, "select items from selection where id = $1 and parcel_id = $2", id, parcel)
	return one(rows, err, pgx.RowTo[[]string])
}
