package postgres

import (
	"context"
	"time"

	"aftergust/internal/parts/changes"

	"github.com/jackc/pgx/v5"
)

func (q *queries) Unaligned(ctx context.Context, version string) ([]changes.Neighbour, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		with plays as (
			select v.id, v.number from version t join version v on v.item_id = t.item_id
			where t.id = $1 and v.deleted_at is null and exists (select from derived d where d.version_id = v.id and d.purpose = 'proxy')),
		pair as (
			select lag(id) over (order by number) as older, id as newer from plays)
		select older, newer from pair p where older is not null and $1 in (older, newer)
		    and not exists (select from alignment a where a.older = p.older and a.newer = p.newer)`, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[changes.Neighbour])
}

func (q *queries) PutAlignment(ctx context.Context, a changes.Alignment, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into alignment (older, newer, map, made_at) values ($1, $2, $3, $4)
		on conflict (newer, older) do update set map = excluded.map, made_at = excluded.made_at`, a.Older, a.Newer, a.Map, at)
	return err
}

func (q *queries) Alignments(ctx context.Context, item string) ([]changes.Alignment, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select a.older, a.newer, a.map from version n join alignment a on a.newer = n.id join version o on o.id = a.older
		where n.item_id = $1 order by n.number desc, o.number desc`, item)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[changes.Alignment])
}
