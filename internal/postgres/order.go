package postgres

import (
	"context"
	"encoding/hex"
	"fmt"

	"aftergust/core/naming"

	"github.com/jackc/pgx/v5"
)

// keysAtOnce is how many rows get their keys in one statement.
const keysAtOnce = 5000

// OrderNames gives every place and item that has none the key by which its name
// is sorted.
func (q *queries) OrderNames(ctx context.Context) error {
	for _, table := range []string{"place", "item"} {
		for n := keysAtOnce; n == keysAtOnce; {
			var err error
			if n, err = q.orderSome(ctx, table); err != nil {
				return fmt.Errorf("order the names of every %s: %w", table, err)
			}
		}
	}
	return nil
}

func (q *queries) orderSome(ctx context.Context, table string) (int, error) {
	rows, err := q.conn(ctx).Query(ctx, "select id, name from "+table+" where name_key is null limit $1", keysAtOnce)
	if err != nil {
		return 0, err
	}
	type named struct{ ID, Name string }
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[named])
	if err != nil || len(all) == 0 {
		return 0, err
	}
	ids, keys := make([]string, len(all)), make([][]byte, len(all))
	for i, n := range all {
		ids[i], keys[i] = n.ID, naming.OrderKey(n.Name)
	}
	_, err = q.conn(ctx).Exec(ctx, "update "+table+" set name_key = k.key from unnest($1::text[], $2::bytea[]) k (id, key) where "+table+".id = k.id", ids, keys)
	return len(all), err
}

// keyText is a name's key as PostgreSQL reads it out of text.
func keyText(name string) string { return `\x` + hex.EncodeToString(naming.OrderKey(name)) }
