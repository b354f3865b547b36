package postgres

import (
	"context"
	"time"

	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
)

const selectSignIn = "select id, member_id, since, seen_at, proved_at, browser, source from sign_in "

func (q *queries) InsertSignIn(ctx context.Context, s account.SignedIn) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into sign_in (id, member_id, since, seen_at, proved_at, browser, source) values ($1, $2, $3, $4, $5, $6, $7)",
		s.ID, s.MemberID, s.Since, s.SeenAt, s.ProvedAt, s.Browser, s.Source)
	return err
}

func (q *queries) SignInByID(ctx context.Context, id string) (account.SignedIn, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectSignIn+"where id = $1 and ended_at is null", id)
	return one(rows, err, pgx.RowToStructByName[account.SignedIn])
}

func (q *queries) ProveSignIn(ctx context.Context, id string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update sign_in set proved_at = $2 where id = $1", id, at)
	return err
}

func (q *queries) SeeSignIn(ctx context.Context, id, source string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update sign_in set seen_at = $3, source = $2 where id = $1", id, source, at)
	return err
}

func (q *queries) SignIns(ctx context.Context, member string, seenAfter, since time.Time) ([]account.SignedIn, error) {
	rows, err := q.conn(ctx).Query(ctx, selectSignIn+`where member_id = $1 and ended_at is null and seen_at > $2 and since > $3
		order by seen_at desc, id`, member, seenAfter, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.SignedIn])
}

func (q *queries) EndSignIns(ctx context.Context, member, only, but string, at time.Time) ([]account.SignedIn, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		update sign_in set ended_at = $4 where member_id = $1 and ended_at is null and ($2 = '' and id <> $3 or id = $2)
		returning id, member_id, since, seen_at, proved_at, browser, source`, member, only, but, at)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.SignedIn])
}

func (q *queries) LastingSignIns(ctx context.Context, members, signIns []string) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select id from member where id = any($1) and removed_at is null
		union all
		select id from sign_in where id = any($2) and ended_at is null`, members, signIns)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) SetPassword(ctx context.Context, member, hash string) error {
	_, err := q.conn(ctx).Exec(ctx, "update member set password_hash = $2 where id = $1", member, hash)
	return err
}

func (q *queries) InsertToken(ctx context.Context, t account.Token, hash []byte) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into token (id, member_id, label, hash, scope, created_at, expires_at) values ($1, $2, $3, $4, $5, $6, $7)",
		t.ID, t.MemberID, t.Label, hash, t.Scope, t.CreatedAt, t.ExpiresAt)
	return err
}

const selectToken = "select id, member_id, label, scope, created_at, expires_at, last_used_at from token "

func (q *queries) Tokens(ctx context.Context, member string, now time.Time) ([]account.Token, error) {
	rows, err := q.conn(ctx).Query(ctx, selectToken+`where member_id = $1 and revoked_at is null and (expires_at is null or expires_at > $2)
		order by created_at desc, id desc`, member, now)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.Token])
}

func (q *queries) TokenByHash(ctx context.Context, hash []byte, now time.Time) (account.Token, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectToken+"where hash = $1 and revoked_at is null and (expires_at is null or expires_at > $2)", hash, now)
	return one(rows, err, pgx.RowToStructByName[account.Token])
}

func (q *queries) RevokeToken(ctx context.Context, member, id string, at time.Time) (string, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "update token set revoked_at = $3 where id = $2 and member_id = $1 and revoked_at is null returning label",
		member, id, at)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) UseToken(ctx context.Context, id string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update token set last_used_at = $2 where id = $1", id, at)
	return err
}

func (q *queries) InsertEntry(ctx context.Context, e account.Entry) error {
	_, err := q.conn(ctx).Exec(ctx, `insert into guard_event (studio_id, member_id, at, kind, who, about, source) values ($1, $2, $3, $4, $5, $6, $7)`,
		e.StudioID, optional(e.MemberID), e.At, e.Kind, e.Who, e.About, e.Source)
	return err
}

func (q *queries) SecurityRecord(ctx context.Context, studio string, before int64, limit int) ([]account.Entry, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select id, studio_id, coalesce(member_id, '') as member_id, at, kind, who, about, source from guard_event
		where studio_id = $1 and ($2 = 0 or id < $2) order by id desc limit $3`, studio, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.Entry])
}

func (q *queries) InsertReset(ctx context.Context, id, member string, hash []byte, expires time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, `
		with old as (delete from password_reset where member_id = $2 and expires_at < now())
		insert into password_reset (id, member_id, hash, expires_at) values ($1, $2, $3, $4)`, id, member, hash, expires)
	return err
}

func (q *queries) ResetOf(ctx context.Context, hash []byte, now time.Time) (string, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select member_id from password_reset where hash = $1 and used_at is null and expires_at > $2", hash, now)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) UseReset(ctx context.Context, hash []byte, now time.Time) (bool, error) {
	var used int
	err := q.conn(ctx).QueryRow(ctx, `
		with mine as (
			update password_reset set used_at = $2 where hash = $1 and used_at is null and expires_at > $2 returning member_id
		), others as (
			update password_reset set used_at = $2 where member_id in (select member_id from mine) and hash <> $1 and used_at is null
		)
		select count(*) from mine`, hash, now).Scan(&used)
	return used == 1, err
}
