package changes

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are what was found when two versions were compared.
type Rows struct{ *db.DB }

// Unaligned are the pairs of neighbours that a version is one of, which both have a proxy
// and were not compared yet.
func (q Rows) Unaligned(ctx context.Context, version string) ([]Neighbour, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
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
	return pgx.CollectRows(rows, pgx.RowToStructByName[Neighbour])
}

func (q Rows) PutAlignment(ctx context.Context, a Alignment, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into alignment (older, newer, map, made_at) values ($1, $2, $3, $4)
		on conflict (newer, older) do update set map = excluded.map, made_at = excluded.made_at`, a.Older, a.Newer, a.Map, at)
	return err
}

// Alignments are those of all versions of an item, the newest first.
func (q Rows) Alignments(ctx context.Context, item string) ([]Alignment, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select a.older, a.newer, a.map from version n join alignment a on a.newer = n.id join version o on o.id = a.older
		where n.item_id = $1 order by n.number desc, o.number desc`, item)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Alignment])
}
