package postgres

import (
	"context"
	"time"

	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

const selectUpload = `
	select id, studio_id, member_id, coalesce(parcel_id, '') as parcel_id, name, folder, size, position, state, problem, coalesce(item_id, '') as item_id, created_at
	from upload `

func (q *queries) InsertUpload(ctx context.Context, u studio.Upload) error {
	_, err := q.db.Exec(ctx, `
		insert into upload (id, studio_id, member_id, parcel_id, name, folder, size, state, item_id, position)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, 1 + greatest(
			(select coalesce(max(position), 0) from upload where parcel_id = $4), (select coalesce(max(position), 0) from parcel_item where parcel_id = $4)))`,
		u.ID, u.StudioID, u.MemberID, optional(u.ParcelID), u.Name, u.Folder, u.Size, u.State, optional(u.ItemID))
	return err
}

func (q *queries) UploadByID(ctx context.Context, id string) (studio.Upload, bool, error) {
	rows, err := q.db.Query(ctx, selectUpload+"where id = $1", id)
	return one(rows, err, pgx.RowToStructByName[studio.Upload])
}

func (q *queries) LockUpload(ctx context.Context, id string) (studio.Upload, error) {
	rows, err := q.db.Query(ctx, selectUpload+"where id = $1 for update", id)
	if err != nil {
		return studio.Upload{}, err
	}
	return pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[studio.Upload])
}

func (q *queries) SetUpload(ctx context.Context, id, state, problem, item string) error {
	_, err := q.db.Exec(ctx, `update upload set state = $2, problem = $3, item_id = coalesce($4, item_id), touched_at = now() where id = $1`,
		id, state, problem, optional(item))
	return err
}

func (q *queries) uploads(ctx context.Context, where string, args ...any) ([]studio.Upload, error) {
	rows, err := q.db.Query(ctx, selectUpload+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Upload])
}

func (q *queries) UploadsOf(ctx context.Context, parcel string) ([]studio.Upload, error) {
	return q.uploads(ctx, "where parcel_id = $1 and state = 'arriving' order by created_at, id", parcel)
}

func (q *queries) UploadsArriving(ctx context.Context) ([]studio.Upload, error) {
	return q.uploads(ctx, "where state = 'arriving' order by created_at, id")
}

func (q *queries) InsertBlob(ctx context.Context, b studio.Blob) error {
	_, err := q.db.Exec(ctx, "insert into blob (id, studio_id, size, crc32, xxh3) values ($1, $2, $3, $4, $5)",
		b.ID, b.StudioID, b.Size, int64(b.CRC32), b.XXH3)
	return err
}

func (q *queries) InsertItem(ctx context.Context, id, studioID, name, member string) error {
	_, err := q.db.Exec(ctx, "insert into item (id, studio_id, kind, name, created_by) values ($1, $2, 'file', $3, $4)", id, studioID, name, member)
	return err
}

func (q *queries) InsertVersion(ctx context.Context, v studio.Version) error {
	_, err := q.db.Exec(ctx, `
		insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		v.ID, v.ItemID, v.Number, v.FileName, v.BlobID, v.Kind, v.Mime, v.MediaState)
	if err != nil {
		return err
	}
	_, err = q.db.Exec(ctx, "update item set current_version_id = $2 where id = $1", v.ItemID, v.ID)
	return err
}

func (q *queries) NextVersionNumber(ctx context.Context, item string) (n int, err error) {
	// The row of the item is locked, so that two new versions get two numbers.
	err = q.db.QueryRow(ctx, `
		select coalesce((select max(number) from version where item_id = i.id), 0) + 1 from item i where i.id = $1 for update`, item).Scan(&n)
	return n, err
}

func (q *queries) VersionByID(ctx context.Context, id string) (studio.Version, bool, error) {
	rows, err := q.db.Query(ctx, `
		select v.id, v.item_id, i.studio_id, v.number, v.file_name, v.blob_id, b.size, v.kind, v.mime, v.media_state, v.media_error, v.facts
		from version v join item i on i.id = v.item_id join blob b on b.id = v.blob_id where v.id = $1`, id)
	return one(rows, err, pgx.RowToStructByName[studio.Version])
}

func (q *queries) SetMedia(ctx context.Context, version, state, problem string, facts *studio.Facts) error {
	_, err := q.db.Exec(ctx, `update version set media_state = $2, media_error = $3, facts = coalesce($4, facts) where id = $1`,
		version, state, problem, facts)
	return err
}

func (q *queries) PutDerived(ctx context.Context, r studio.Derived) error {
	// What a newer recipe made takes the place of the older; the old bytes are swept.
	_, err := q.db.Exec(ctx, `
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		on conflict (version_id, purpose, page) do update
		set recipe = excluded.recipe, blob_id = excluded.blob_id, mime = excluded.mime, width = excluded.width, height = excluded.height`,
		r.ID, r.VersionID, r.Purpose, r.Page, r.Recipe, r.BlobID, r.Mime, r.Width, r.Height)
	return err
}

func (q *queries) DerivedOf(ctx context.Context, version, purpose string, page int) (studio.Derived, bool, error) {
	rows, err := q.db.Query(ctx, `
		select r.id, r.version_id, r.purpose, r.page, r.recipe, r.blob_id, r.mime, r.width, r.height, b.size
		from derived r join blob b on b.id = r.blob_id where r.version_id = $1 and r.purpose = $2 and r.page = $3`, version, purpose, page)
	return one(rows, err, pgx.RowToStructByName[studio.Derived])
}

func (q *queries) SetSHA256(ctx context.Context, blob string, sum []byte) error {
	_, err := q.db.Exec(ctx, "update blob set sha256 = $2 where id = $1", blob, sum)
	return err
}

func (q *queries) ParcelsWithVersion(ctx context.Context, version string) ([]string, error) {
	rows, err := q.db.Query(ctx, `select pi.parcel_id from parcel_item pi join version v on v.item_id = pi.item_id where v.id = $1`, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) Usage(ctx context.Context, studioID string) (used, quota int64, err error) {
	err = q.db.QueryRow(ctx, `
		select (select coalesce(sum(size), 0) from blob where studio_id = s.id and deleted_at is null)::bigint
		     + (select coalesce(sum(size), 0) from upload where studio_id = s.id and state = 'arriving')::bigint, s.quota_bytes
		from studio s where s.id = $1`, studioID).Scan(&used, &quota)
	return used, quota, err
}

// referred is true of a blob b that something still needs.
const referred = `(
	exists (
		select from version v join item i on i.id = v.item_id
		where (v.blob_id = b.id or exists (select from derived r where r.version_id = v.id and r.blob_id = b.id))
		and i.deleted_at is null
		and (i.project_id is not null or exists (
			select from parcel_item pi join parcel p on p.id = pi.parcel_id
			where pi.item_id = i.id and p.cleared_at is null and p.discarded_at is null)))
)`

func (q *queries) MarkUnreferenced(ctx context.Context, before time.Time) error {
	if _, err := q.db.Exec(ctx, `update blob b set marked_at = null where marked_at is not null and deleted_at is null and `+referred); err != nil {
		return err
	}
	_, err := q.db.Exec(ctx, `update blob b set marked_at = now() where marked_at is null and deleted_at is null and created_at < $1 and not `+referred, before)
	return err
}

func (q *queries) MarkedBlobs(ctx context.Context, before time.Time, limit int) ([]string, error) {
	rows, err := q.db.Query(ctx, `
		select id from blob b where marked_at < $1 and deleted_at is null and not `+referred+` order by marked_at limit $2`, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) BlobDeleted(ctx context.Context, id string) error {
	_, err := q.db.Exec(ctx, "update blob set deleted_at = now() where id = $1", id)
	return err
}
