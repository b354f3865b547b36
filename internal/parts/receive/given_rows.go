package receive

import (
	"context"

	"aftergust/internal/files/archive"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// GivenRows are what a recipient is given.
type GivenRows struct{ *db.DB }

// Entries are all files of a package, in order, or those of them that were
// chosen, with as little as a ZIP needs; and the revision in which it has them.
func (q GivenRows) Entries(ctx context.Context, parcel string, chosen []string) (entries []archive.Entry, rev int64, err error) {
	// One statement sees one state, so that the revision is the one of these entries.
	rows, err := q.Conn(ctx).Query(ctx, `
		select pi.id, v.id, v.blob_id, case when pi.folder = '' then '' else pi.folder || '/' end || `+tally.GivenAs+`, b.size,
		       coalesce(b.crc32, 0)::bigint, v.created_at, b.xxh3, b.sha256, p.contents_rev
		from parcel p join parcel_item pi on pi.parcel_id = p.id `+tally.Given+`
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
	err = q.Conn(ctx).QueryRow(ctx, "select contents_rev, empty_folders from parcel where id = $1", parcel).Scan(&rev, &folders)
	for _, folder := range folders {
		entries = append(entries, archive.Folder(folder))
	}
	return entries, rev, err
}

func (q GivenRows) KeepChoice(ctx context.Context, id, parcel string, items []string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into selection (id, studio_id, parcel_id, items, places) select $1, studio_id, id, $3, '{}' from parcel where id = $2
		on conflict (id) do update set created_at = now()`, id, parcel, items)
	return err
}

func (q GivenRows) ChoiceByID(ctx context.Context, id, parcel string) (items []string, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, "select items from selection where id = $1 and parcel_id = $2", id, parcel)
	return db.One(rows, err, pgx.RowTo[[]string])
}

// GivesAll reports whether a package gives all of some items now: none was
// withdrawn, or taken out before it went.
func (q GivenRows) GivesAll(ctx context.Context, parcel string, items []string) (all bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select count(*) = cardinality($2::text[]) from parcel_item where id = any($2) and parcel_id = $1 and withdrawn_at is null`, parcel,
		items).Scan(&all)
	return all, err
}

// GaveBefore is an older version of an item of a package that was the current one
// after the package had gone out.
func (q GivenRows) GaveBefore(ctx context.Context, content, version string) (archive.Entry, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select pi.id, v.id as version, v.blob_id as blob, v.file_name as path, b.size, coalesce(b.crc32, 0)::bigint as crc32,
		       v.created_at as modified, b.xxh3, b.sha256, '' as text
		from parcel_item pi join parcel p on p.id = pi.parcel_id
		join version v on v.item_id = pi.item_id and v.id = $2 join blob b on b.id = v.blob_id
		where pi.id = $1 and pi.pinned_version_id is null and v.deleted_at is null and b.deleted_at is null
		    and exists (select from version n where n.item_id = v.item_id and n.number > v.number
		        and n.created_at > greatest(p.sent_at, pi.added_at))`, content, version)
	return db.One(rows, err, pgx.RowToStructByName[archive.Entry])
}

// RestOf are the items of a package of which a line has not every byte.
func (q GivenRows) RestOf(ctx context.Context, parcel, line string) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select pi.id from parcel_item pi `+tally.Given+`
		where pi.parcel_id = $1 and pi.withdrawn_at is null
		    and not exists (select from coverage c where c.line_id = $2 and c.version_id = v.id and c.completed_at is not null)
		order by pi.position, pi.id`, parcel, line)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
