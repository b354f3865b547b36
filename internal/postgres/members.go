package postgres

import (
	"aftergust/internal/account"
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

func (q *queries) CreateStudio(ctx context.Context, id, name, zone string) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into studio (id, name, zone) values ($1, $2, $3)", id, name, zone)
	return err
}

func (q *queries) CreateMember(ctx context.Context, m account.Member) error {
	_, err := q.conn(ctx).Exec(ctx, `
		with card as (insert into card (studio_id, name, email) values ($2, $3, $4) returning id)
		insert into member (id, studio_id, name, email, password_hash, role, card_id) select $1, $2, $3, $4, $5, $6, card.id from card`,
		m.ID, m.StudioID, m.Name, m.Email, m.PasswordHash, m.Role)
	return err
}

const selectMember = `
	select m.id, m.studio_id, s.name as studio_name, s.zone, m.name, m.email, m.role, m.password_hash
	from member m join studio s on s.id = m.studio_id `

func (q *queries) member(ctx context.Context, where string, arg any) (account.Member, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectMember+where, arg)
	return one(rows, err, pgx.RowToStructByName[account.Member])
}

func (q *queries) MemberByEmail(ctx context.Context, email string) (account.Member, bool, error) {
	return q.member(ctx, "where lower(m.email) = lower($1) and m.removed_at is null", email)
}

func (q *queries) MemberByID(ctx context.Context, id string) (account.Member, bool, error) {
	return q.member(ctx, "where m.id = $1 and m.removed_at is null", id)
}

func (q *queries) MemberByToken(ctx context.Context, hash []byte) (account.Member, bool, error) {
	return q.member(ctx, "join token t on t.member_id = m.id where t.hash = $1 and t.revoked_at is null and m.removed_at is null", hash)
}

func (q *queries) InsertToken(ctx context.Context, id, member, label string, hash []byte) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into token (id, member_id, label, hash) values ($1, $2, $3, $4)", id, member, label, hash)
	return err
}

func (q *queries) AddAttempt(ctx context.Context, keys ...string) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into attempt (key) select unnest($1::text[])", keys)
	return err
}

func (q *queries) CountAttempts(ctx context.Context, key string, since time.Time) (n int, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select count(*) from attempt where key = $1 and at > $2", key, since).Scan(&n)
	return n, err
}
