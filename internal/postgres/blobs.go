package postgres

import (
	"context"
	"time"

	"aftergust/core/damage"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"

	"github.com/jackc/pgx/v5"
)

func (q *queries) InsertBlob(ctx context.Context, b keep.Blob) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into blob (id, studio_id, size, crc32, xxh3) values ($1, $2, $3, $4, $5)",
		b.ID, b.StudioID, b.Size, int64(b.CRC32), b.XXH3)
	return err
}

func (q *queries) SetSHA256(ctx context.Context, blob string, sum []byte, now time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update blob set sha256 = $2, read_at = $3, damage = '', damaged_at = null where id = $1", blob, sum, now)
	return err
}

func (q *queries) ShareBlob(ctx context.Context, id, older string) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		// The older blob is locked, so that it is not marked for clearing meanwhile.
		tag, err := q.conn(ctx).Exec(ctx, "select from blob where id = $1 and marked_at is null and deleted_at is null for update", older)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		// Plans of ZIPs that name the newer blob are made anew.
		_, err = q.conn(ctx).Exec(ctx, `
			with turned as (update version set blob_id = $2 where blob_id = $1 returning item_id)
			update parcel set contents_rev = contents_rev + 1 where id in (select parcel_id from parcel_item where item_id in (select item_id
			    from turned))`, id, older)
		return err
	})
}

const selectHeld = `select b.id, b.studio_id, b.size, coalesce(b.crc32, 0)::bigint as crc32, b.xxh3, b.sha256, b.created_at, b.damage from blob b `

func (q *queries) held(ctx context.Context, where string, args ...any) ([]keep.Held, error) {
	rows, err := q.conn(ctx).Query(ctx, selectHeld+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[keep.Held])
}

func (q *queries) HeldBlobs(ctx context.Context, after string, limit int) ([]keep.Held, error) {
	return q.held(ctx, "where b.id > $1 and b.deleted_at is null and b.marked_at is null order by b.id limit $2", after, limit)
}

func (q *queries) UnreadBlobs(ctx context.Context, before time.Time, limit int) ([]keep.Held, error) {
	return q.held(ctx, `where b.deleted_at is null and b.marked_at is null and coalesce(b.read_at, '-infinity') < $1
		order by coalesce(b.read_at, '-infinity'), b.id limit $2`, before, limit)
}

func (q *queries) HeldBlob(ctx context.Context, id string) (keep.Held, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectHeld+"where b.id = $1 and b.deleted_at is null and b.marked_at is null", id)
	return one(rows, err, pgx.RowToStructByName[keep.Held])
}

func (q *queries) HeldBytes(ctx context.Context) (n int64, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select coalesce(sum(held_bytes), 0)::bigint from studio").Scan(&n)
	return n, err
}

func (q *queries) Twin(ctx context.Context, id string) (keep.Held, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectHeld+`join blob n on n.studio_id = b.studio_id and n.sha256 = b.sha256 and n.size = b.size
		where n.id = $1 and b.id < n.id and b.marked_at is null and b.deleted_at is null order by b.id limit 1`, id)
	return one(rows, err, pgx.RowToStructByName[keep.Held])
}

func (q *queries) SetDamage(ctx context.Context, id string, found damage.Damage, read bool, now time.Time) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		var studio string
		var news bool
		err := q.conn(ctx).QueryRow(ctx, `
			update blob b set damage = $2, read_at = case when $3 then $4 else b.read_at end,
			    damaged_at = case when $2 = '' then null else coalesce(b.damaged_at, $4) end
			from blob was where was.id = b.id and b.id = $1 returning b.studio_id, was.damage <> b.damage`, id, found, read, now).Scan(&studio, &news)
		if err != nil || !news {
			return err
		}
		return q.Announce(ctx, ground.Change{Studio: studio, What: ground.GatherChanged})
	})
}

func (q *queries) Damaged(ctx context.Context) (n int, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select count(*) from blob where damage <> '' and deleted_at is null and marked_at is null").Scan(&n)
	return n, err
}

func (q *queries) DamagedOf(ctx context.Context, ids []string) (map[string]damage.Damage, error) {
	rows, err := q.conn(ctx).Query(ctx, "select id, damage from blob where damage <> '' and deleted_at is null and id = any($1)", ids)
	if err != nil {
		return nil, err
	}
	out := map[string]damage.Damage{}
	var id string
	var d damage.Damage
	_, err = pgx.ForEachRow(rows, []any{&id, &d}, func() error {
		out[id] = d
		return nil
	})
	return out, err
}
