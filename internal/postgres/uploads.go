package postgres

import (
	"aftergust/internal/parts/gather"
	"context"

	"github.com/jackc/pgx/v5"
)

const selectUpload = `
	select id, studio_id, member_id, coalesce(parcel_id, '') as parcel_id, coalesce(place_id, '') as place_id, name, folder, tags, size,
	    position, state, problem, picture, coalesce(item_id, '') as item_id, created_at
	from upload `

func (q *queries) InsertUpload(ctx context.Context, u gather.Upload) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into upload (id, studio_id, member_id, parcel_id, name, folder, size, state, item_id, place_id, tags, picture, position)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, 1 + greatest(
			(select coalesce(max(position), 0) from upload where parcel_id = $4), (select coalesce(max(position), 0) from parcel_item
			    where parcel_id = $4)))`,
		u.ID, u.StudioID, u.MemberID, optional(u.ParcelID), u.Name, u.Folder, u.Size, u.State, optional(u.ItemID), optional(u.PlaceID), u.Tags,
		u.Picture)
	return err
}

func (q *queries) UploadByID(ctx context.Context, id string) (gather.Upload, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectUpload+"where id = $1", id)
	return one(rows, err, pgx.RowToStructByName[gather.Upload])
}

func (q *queries) LockUpload(ctx context.Context, id string) (gather.Upload, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectUpload+"where id = $1 for update", id)
	return one(rows, err, pgx.RowToStructByName[gather.Upload])
}

func (q *queries) SetUpload(ctx context.Context, id string, to gather.UploadState, problem, item string) error {
	_, err := q.conn(ctx).Exec(ctx, `update upload set state = $2, problem = $3, item_id = coalesce($4, item_id), touched_at = now()
		where id = $1`,
		id, to, problem, optional(item))
	return err
}

func (q *queries) uploads(ctx context.Context, where string, args ...any) ([]gather.Upload, error) {
	rows, err := q.conn(ctx).Query(ctx, selectUpload+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[gather.Upload])
}

func (q *queries) UploadsOf(ctx context.Context, parcel string) ([]gather.Upload, error) {
	return q.uploads(ctx, "where parcel_id = $1 and state = 'arriving' order by created_at, id", parcel)
}

func (q *queries) UploadsOfStudio(ctx context.Context, studioID string) ([]gather.Upload, error) {
	return q.uploads(ctx, "where studio_id = $1 and state = 'arriving' order by created_at, id limit 2000", studioID)
}

func (q *queries) UploadsArriving(ctx context.Context, after string, limit int) ([]gather.Upload, error) {
	return q.uploads(ctx, "where state = 'arriving' and id > $1 order by id limit $2", after, limit)
}
