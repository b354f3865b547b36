package postgres

import (
	"context"

	"aftergust/internal/files/archive"

	"github.com/jackc/pgx/v5"
)

func (q *queries) KeepZIP(ctx context.Context, key, parcel string, entries []archive.Entry) error {
	items, versions, paths := make([]string, len(entries)), make([]string, len(entries)), make([]string, len(entries))
	var texts []string
	for i, e := range entries {
		items[i], versions[i], paths[i] = e.ID, e.Version, e.Path
		if e.Text != "" && texts == nil {
			texts = make([]string, len(entries))
		}
		if texts != nil {
			texts[i] = e.Text
		}
	}
	_, err := q.conn(ctx).Exec(ctx, `
		insert into zip_state (key, parcel_id, items, versions, paths, texts) values ($1, $2, $3, $4, $5, $6) on conflict (key) do nothing`, key,
		optional(parcel), items, versions, paths, texts)
	return err
}

func (q *queries) KeptZIP(ctx context.Context, key string) (entries []archive.Entry, had int, err error) {
	kept, err := q.conn(ctx).Query(ctx, "select cardinality(items) from zip_state where key = $1", key)
	if had, _, err = one(kept, err, pgx.RowTo[int]); err != nil || had == 0 {
		return nil, 0, err
	}
	rows, err := q.conn(ctx).Query(ctx, `
		select k.item as id, k.version, coalesce(v.blob_id, '') as blob, k.path, coalesce(b.size, 0) as size,
		       coalesce(b.crc32, 0)::bigint as crc32, coalesce(v.created_at, z.begun_at) as modified,
		       b.xxh3, b.sha256, coalesce(z.texts[k.n], '') as text
		from zip_state z, unnest(z.items, z.versions, z.paths) with ordinality k (item, version, path, n)
		left join version v on v.id = k.version left join blob b on b.id = v.blob_id
		where z.key = $1 and (k.version = '' or v.deleted_at is null and b.deleted_at is null and b.id is not null) order by k.n`, key)
	if err != nil {
		return nil, 0, err
	}
	entries, err = pgx.CollectRows(rows, pgx.RowToStructByName[archive.Entry])
	return entries, had, err
}

func (q *queries) GivesAll(ctx context.Context, parcel string, items []string) (all bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select count(*) = cardinality($2::text[]) from parcel_item where id = any($2) and parcel_id = $1 and withdrawn_at is null`, parcel,
		items).Scan(&all)
	return all, err
}

func (q *queries) GaveBefore(ctx context.Context, content, version string) (archive.Entry, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select pi.id, v.id as version, v.blob_id as blob, v.file_name as path, b.size, coalesce(b.crc32, 0)::bigint as crc32,
		       v.created_at as modified, b.xxh3, b.sha256, '' as text
		from parcel_item pi join parcel p on p.id = pi.parcel_id
		join version v on v.item_id = pi.item_id and v.id = $2 join blob b on b.id = v.blob_id
		where pi.id = $1 and pi.pinned_version_id is null and v.deleted_at is null and b.deleted_at is null
		    and exists (select from version n where n.item_id = v.item_id and n.number > v.number
		        and n.created_at > greatest(p.sent_at, pi.added_at))`, content, version)
	return one(rows, err, pgx.RowToStructByName[archive.Entry])
}

func (q *queries) RestOf(ctx context.Context, parcel, line string) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select pi.id from parcel_item pi `+given+`
		where pi.parcel_id = $1 and pi.withdrawn_at is null
		    and not exists (select from coverage c where c.line_id = $2 and c.version_id = v.id and c.completed_at is not null)
		order by pi.position, pi.id`, parcel, line)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
