package tries

import (
	"context"
	"time"

	"aftergust/internal/ground/db"
)

// Rows are the tries that were made, by what limits them.
type Rows struct{ *db.DB }

// SpendAttempt holds a lock on each key until the try is committed, so that tries
// at once are counted one after the other.
func (q Rows) SpendAttempt(ctx context.Context, limits []Limit, since, at time.Time) (have int, ok bool, err error) {
	keys, most := make([]string, len(limits)), make([]int, len(limits))
	for i, l := range limits {
		keys[i], most[i] = l.Key, l.Most
	}
	err = q.Tx(ctx, func(ctx context.Context) error {
		// In one order for all, so that nobody waits in a circle.
		if _, err := q.Conn(ctx).Exec(ctx, `select pg_advisory_xact_lock(hashtextextended(key, 0))
			from (select key from unnest($1::text[]) as key order by hashtextextended(key, 0)) as k`, keys); err != nil {
			return err
		}
		return q.Conn(ctx).QueryRow(ctx, `
			with had as materialized (
				select l.key, l.most, l.place, (select count(*) from attempt a where a.key = l.key and a.at > $3) as n
				from unnest($1::text[], $2::int[]) with ordinality as l (key, most, place)
			), spent as (
				insert into attempt (key, at) select key, $4 from had where not exists (select 1 from had where n >= most) returning 1
			)
			select (select n from had where place = 1) + 1, exists (select 1 from spent)`, keys, most, since, at).Scan(&have, &ok)
	})
	return have, ok, err
}

func (q Rows) ForgiveAttempt(ctx context.Context, limits []Limit) error {
	keys := make([]string, len(limits))
	for i, l := range limits {
		keys[i] = l.Key
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		delete from attempt where ctid in (
			select newest.ctid from unnest($1::text[]) as key, lateral (
				select ctid from attempt a where a.key = key.key order by at desc limit 1 for update skip locked) as newest)`, keys)
	return err
}
