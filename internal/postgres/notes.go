package postgres

import (
	"aftergust/internal/review"
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

const selectNote = `
	select n.id, n.parcel_id, coalesce(pi.id, '') as content_id, n.version_id, coalesce(n.parent_id, '') as parent_id,
	       coalesce(n.line_id, '') as line_id, coalesce(n.way_in_id, '') as way_in, coalesce(n.member_id, '') as member_id, coalesce(c.name,
	    m.name) as author,
	       n.anchor, n.place, n.body, n.created_at, n.done_at, pi.withdrawn_at is not null as withdrawn
	from note n left join line l on l.id = n.line_id left join card c on c.id = l.card_id left join member m on m.id = n.member_id
	join version v on v.id = n.version_id left join parcel_item pi on pi.parcel_id = n.parcel_id and pi.item_id = v.item_id `

func (q *queries) InsertNote(ctx context.Context, n review.Note) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into note (id, parcel_id, version_id, parent_id, line_id, way_in_id, member_id, anchor, place, body, created_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
		n.ID, n.ParcelID, n.VersionID, optional(n.ParentID), optional(n.LineID), optional(n.WayIn), optional(n.MemberID), n.Anchor, n.Place,
		n.Body, n.CreatedAt)
	return err
}

func (q *queries) NoteByID(ctx context.Context, id string) (review.Note, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectNote+"where n.id = $1 and n.removed_at is null", id)
	return one(rows, err, pgx.RowToStructByName[review.Note])
}

func (q *queries) Notes(ctx context.Context, parcel string) ([]review.Note, error) {
	rows, err := q.conn(ctx).Query(ctx, selectNote+"where n.parcel_id = $1 and n.removed_at is null order by n.created_at, n.id", parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[review.Note])
}

func (q *queries) SetNoteDone(ctx context.Context, id string, at *time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update note set done_at = $2 where id = $1", id, at)
	return err
}

func (q *queries) SetTick(ctx context.Context, t review.Tick, done bool) (bool, error) {
	set := "insert into tick (line_id, item_id, task, at) values ($1, $2, $3, $4) on conflict do nothing"
	args := []any{t.LineID, t.ContentID, t.Task, t.At}
	if !done {
		set, args = "delete from tick where line_id = $1 and item_id = $2 and task = $3", args[:3]
	}
	tag, err := q.conn(ctx).Exec(ctx, set, args...)
	return tag.RowsAffected() > 0, err
}

func (q *queries) TicksOf(ctx context.Context, parcel, line string) ([]review.Tick, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select t.item_id as content_id, t.task, t.line_id, coalesce(c.name, '') as who, t.at
		from parcel_item pi join tick t on t.item_id = pi.id join line l on l.id = t.line_id left join card c on c.id = l.card_id
		where pi.parcel_id = $1 and ($2 = '' or t.line_id = $2) order by t.at, t.task`, parcel, line)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[review.Tick])
}
