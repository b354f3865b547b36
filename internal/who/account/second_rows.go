package account

import (
	"context"
	"errors"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// SecondRows are second factors: apps, passkeys and recovery codes.
type SecondRows struct{ *db.DB }

const selectPasskey = "select id, member_id, label, data as credential, created_at, last_used_at from passkey "

func (q SecondRows) FactorsOf(ctx context.Context, member string) (f Factors, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select exists (select from member where id = $1 and totp_sealed is not null), (select count(*) from recovery_code where member_id = $1)`,
		member).Scan(&f.App, &f.Recovery)
	if err != nil {
		return f, err
	}
	rows, err := q.Conn(ctx).Query(ctx, selectPasskey+"where member_id = $1 order by created_at, id", member)
	if err != nil {
		return f, err
	}
	f.Passkeys, err = pgx.CollectRows(rows, pgx.RowToStructByName[Passkey])
	return f, err
}

// AppSecret is the sealed secret of a member's app; empty where there is none.
func (q SecondRows) AppSecret(ctx context.Context, member string) (sealed []byte, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select totp_sealed from member where id = $1", member).Scan(&sealed)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return sealed, err
}

// SetAppSecret keeps one, or none where it is nil.
func (q SecondRows) SetAppSecret(ctx context.Context, member string, sealed []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, "update member set totp_sealed = $2, totp_step = 0 where id = $1", member, sealed)
	return err
}

// UseStep uses the code of a step up; ok is false where it or a later one was used.
func (q SecondRows) UseStep(ctx context.Context, member string, step int64) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update member set totp_step = $2 where id = $1 and totp_step < $2", member, step)
	return done.RowsAffected() == 1, err
}

// PutRecoveryCodes keeps codes in place of those that there are.
func (q SecondRows) PutRecoveryCodes(ctx context.Context, member string, hashes [][]byte) error {
	if _, err := q.Conn(ctx).Exec(ctx, "delete from recovery_code where member_id = $1", member); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "insert into recovery_code (member_id, hash) select $1, unnest($2::bytea[])", member, hashes)
	return err
}

func (q SecondRows) UseRecoveryCode(ctx context.Context, member string, hash []byte) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "delete from recovery_code where member_id = $1 and hash = $2", member, hash)
	return done.RowsAffected() == 1, err
}

func (q SecondRows) InsertPasskey(ctx context.Context, p Passkey) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into passkey (id, member_id, credential_id, label, data, created_at) values ($1, $2, $3, $4, $5, $6)",
		p.ID, p.MemberID, p.Credential.ID, p.Label, p.Credential, p.CreatedAt)
	return err
}

func (q SecondRows) PasskeyByCredential(ctx context.Context, credential []byte) (Passkey, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPasskey+"where credential_id = $1", credential)
	return db.One(rows, err, pgx.RowToStructByName[Passkey])
}

func (q SecondRows) UsePasskey(ctx context.Context, p Passkey, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update passkey set data = $2, last_used_at = $3 where id = $1", p.ID, p.Credential, at)
	return err
}

func (q SecondRows) DeletePasskey(ctx context.Context, member, id string) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "delete from passkey where id = $2 and member_id = $1 returning label", member, id)
	return db.One(rows, err, pgx.RowTo[string])
}

func (q SecondRows) KeepChallenge(ctx context.Context, id, member string, data []byte, expires time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into challenge (id, member_id, data, expires_at) values ($1, $2, $3, $4)", id, db.Optional(member), data, expires)
	return err
}

// TakeChallenge is what was asked, once; ok is false where that was somebody
// else, is answered, or too old.
func (q SecondRows) TakeChallenge(ctx context.Context, id, member string, now time.Time) ([]byte, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		delete from challenge where id = $1 and member_id is not distinct from $2 and expires_at > $3 returning data`, id, db.Optional(member), now)
	return db.One(rows, err, pgx.RowTo[[]byte])
}
