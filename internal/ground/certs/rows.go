package certs

import (
	"context"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are certificates that an authority gave us, where all processes find them.
type Rows struct{ *db.DB }

// Certificate is what an authority gave us, as it was sealed.
func (q Rows) Certificate(ctx context.Context, name string) ([]byte, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select sealed from certificate where name = $1", name)
	return db.One(rows, err, pgx.RowTo[[]byte])
}

// KeepCertificate keeps it, in place of what was there.
func (q Rows) KeepCertificate(ctx context.Context, name string, sealed []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into certificate (name, sealed) values ($1, $2) on conflict (name) do update set sealed = excluded.sealed, at = now()`, name, sealed)
	return err
}

// ForgetCertificate throws it away.
func (q Rows) ForgetCertificate(ctx context.Context, name string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from certificate where name = $1", name)
	return err
}
