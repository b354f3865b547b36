package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Certificate is what an authority gave us, as it was sealed.
func (q *queries) Certificate(ctx context.Context, name string) ([]byte, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select sealed from certificate where name = $1", name)
	return one(rows, err, pgx.RowTo[[]byte])
}

// KeepCertificate keeps it, in place of what was there.
func (q *queries) KeepCertificate(ctx context.Context, name string, sealed []byte) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into certificate (name, sealed) values ($1, $2) on conflict (name) do update set sealed = excluded.sealed, at = now()`, name, sealed)
	return err
}

// ForgetCertificate throws it away.
func (q *queries) ForgetCertificate(ctx context.Context, name string) error {
	_, err := q.conn(ctx).Exec(ctx, "delete from certificate where name = $1", name)
	return err
}
