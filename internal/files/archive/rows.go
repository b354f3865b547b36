package archive

import (
	"context"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are the directories of ZIPs that were planned.
type Rows struct{ *db.DB }

// KeepZIP writes down what a ZIP holds, once for each key; parcel may be empty.
func (q Rows) KeepZIP(ctx context.Context, key, parcel string, entries []Entry) error {
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
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into zip_state (key, parcel_id, items, versions, paths, texts) values ($1, $2, $3, $4, $5, $6) on conflict (key) do nothing`, key,
		db.Optional(parcel), items, versions, paths, texts)
	return err
}

// KeptZIP is what was written down, without the versions that are gone since:
// had is how many there were, 0 where it was never begun.
func (q Rows) KeptZIP(ctx context.Context, key string) (entries []Entry, had int, err error) {
	kept, err := q.Conn(ctx).Query(ctx, "select cardinality(items) from zip_state where key = $1", key)
	if had, _, err = db.One(kept, err, pgx.RowTo[int]); err != nil || had == 0 {
		return nil, 0, err
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select k.item as id, k.version, coalesce(v.blob_id, '') as blob, k.path, coalesce(b.size, 0) as size,
		       coalesce(b.crc32, 0)::bigint as crc32, coalesce(v.created_at, z.begun_at) as modified,
		       b.xxh3, b.sha256, coalesce(z.texts[k.n], '') as text
		from zip_state z, unnest(z.items, z.versions, z.paths) with ordinality k (item, version, path, n)
		left join version v on v.id = k.version left join blob b on b.id = v.blob_id
		where z.key = $1 and (k.version = '' or v.deleted_at is null and b.deleted_at is null and b.id is not null) order by k.n`, key)
	if err != nil {
		return nil, 0, err
	}
	entries, err = pgx.CollectRows(rows, pgx.RowToStructByName[Entry])
	return entries, had, err
}
