package gather

import (
	"context"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// UploadRows are files that are arriving.
type UploadRows struct{ *db.DB }

const selectUpload = `
	select id, studio_id, member_id, coalesce(parcel_id, '') as parcel_id, coalesce(place_id, '') as place_id, name, folder, tags, size,
	    position, state, problem, picture, coalesce(item_id, '') as item_id, created_at
	from upload `

func (q UploadRows) InsertUpload(ctx context.Context, u Upload) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into upload (id, studio_id, member_id, parcel_id, name, folder, size, state, item_id, place_id, tags, picture, position)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, 1 + greatest(
			(select coalesce(max(position), 0) from upload where parcel_id = $4), (select coalesce(max(position), 0) from parcel_item
			    where parcel_id = $4)))`,
		u.ID, u.StudioID, u.MemberID, db.Optional(u.ParcelID), u.Name, u.Folder, u.Size, u.State, db.Optional(u.ItemID),
		db.Optional(u.PlaceID), u.Tags,
		u.Picture)
	return err
}

func (q UploadRows) UploadByID(ctx context.Context, id string) (Upload, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectUpload+"where id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Upload])
}

func (q UploadRows) LockUpload(ctx context.Context, id string) (Upload, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectUpload+"where id = $1 for update", id)
	return db.One(rows, err, pgx.RowToStructByName[Upload])
}

func (q UploadRows) SetUpload(ctx context.Context, id string, to UploadState, problem, item string) error {
	_, err := q.Conn(ctx).Exec(ctx, `update upload set state = $2, problem = $3, item_id = coalesce($4, item_id), touched_at = now()
		where id = $1`,
		id, to, problem, db.Optional(item))
	return err
}

func (q UploadRows) uploads(ctx context.Context, where string, args ...any) ([]Upload, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectUpload+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Upload])
}

func (q UploadRows) UploadsOf(ctx context.Context, parcel string) ([]Upload, error) {
	return q.uploads(ctx, "where parcel_id = $1 and state = 'arriving' order by created_at, id", parcel)
}

func (q UploadRows) UploadsOfStudio(ctx context.Context, studioID string) ([]Upload, error) {
	return q.uploads(ctx, "where studio_id = $1 and state = 'arriving' order by created_at, id limit 2000", studioID)
}

// UploadsArriving are uploads that are not whole, of all studios, after an id.
func (q UploadRows) UploadsArriving(ctx context.Context, after string, limit int) ([]Upload, error) {
	return q.uploads(ctx, "where state = 'arriving' and id > $1 order by id limit $2", after, limit)
}
