package account

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are members, how they sign in, and their tokens.
type Rows struct{ *db.DB }

const selectSignIn = "select id, member_id, since, seen_at, proved_at, browser, source from sign_in "

func (q Rows) InsertSignIn(ctx context.Context, s SignedIn) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into sign_in (id, member_id, since, seen_at, proved_at, browser, source) values ($1, $2, $3, $4, $5, $6, $7)",
		s.ID, s.MemberID, s.Since, s.SeenAt, s.ProvedAt, s.Browser, s.Source)
	return err
}

func (q Rows) SignInByID(ctx context.Context, id string) (SignedIn, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectSignIn+"where id = $1 and ended_at is null", id)
	return db.One(rows, err, pgx.RowToStructByName[SignedIn])
}

// SeeSignIn keeps when and from where a browser was here last.
// ProveSignIn keeps that they showed who they are there.
func (q Rows) ProveSignIn(ctx context.Context, id string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update sign_in set proved_at = $2 where id = $1", id, at)
	return err
}

func (q Rows) SeeSignIn(ctx context.Context, id, source string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update sign_in set seen_at = $3, source = $2 where id = $1", id, source, at)
	return err
}

func (q Rows) SignIns(ctx context.Context, member string, seenAfter, since time.Time) ([]SignedIn, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectSignIn+`where member_id = $1 and ended_at is null and seen_at > $2 and since > $3
		order by seen_at desc, id`, member, seenAfter, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[SignedIn])
}

// EndSignIns ends those of a member: one, or all but one.
func (q Rows) EndSignIns(ctx context.Context, member, only, but string, at time.Time) ([]SignedIn, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		update sign_in set ended_at = $4 where member_id = $1 and ended_at is null and ($2 = '' and id <> $3 or id = $2)
		returning id, member_id, since, seen_at, proved_at, browser, source`, member, only, but, at)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[SignedIn])
}

// LastingSignIns are those of the ids of members and of sign-ins that are still good.
func (q Rows) LastingSignIns(ctx context.Context, members, signIns []string) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select id from member where id = any($1) and removed_at is null
		union all
		select id from sign_in where id = any($2) and ended_at is null`, members, signIns)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) SetPassword(ctx context.Context, member, hash string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update member set password_hash = $2 where id = $1", member, hash)
	return err
}

func (q Rows) InsertToken(ctx context.Context, t Token, hash []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into token (id, member_id, label, hash, scope, created_at, expires_at) values ($1, $2, $3, $4, $5, $6, $7)",
		t.ID, t.MemberID, t.Label, hash, t.Scope, t.CreatedAt, t.ExpiresAt)
	return err
}

const selectToken = "select id, member_id, label, scope, created_at, expires_at, last_used_at from token "

func (q Rows) Tokens(ctx context.Context, member string, now time.Time) ([]Token, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectToken+`where member_id = $1 and revoked_at is null and (expires_at is null or expires_at > $2)
		order by created_at desc, id desc`, member, now)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Token])
}

func (q Rows) TokenByHash(ctx context.Context, hash []byte, now time.Time) (Token, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectToken+"where hash = $1 and revoked_at is null and (expires_at is null or expires_at > $2)", hash, now)
	return db.One(rows, err, pgx.RowToStructByName[Token])
}

func (q Rows) RevokeToken(ctx context.Context, member, id string, at time.Time) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "update token set revoked_at = $3 where id = $2 and member_id = $1 and revoked_at is null returning label",
		member, id, at)
	return db.One(rows, err, pgx.RowTo[string])
}

func (q Rows) UseToken(ctx context.Context, id string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update token set last_used_at = $2 where id = $1", id, at)
	return err
}

func (q Rows) InsertEntry(ctx context.Context, e Entry) error {
	_, err := q.Conn(ctx).Exec(ctx, `insert into guard_event (studio_id, member_id, at, kind, who, about, source) values ($1, $2, $3, $4, $5, $6, $7)`,
		e.StudioID, db.Optional(e.MemberID), e.At, e.Kind, e.Who, e.About, e.Source)
	return err
}

func (q Rows) SecurityRecord(ctx context.Context, studio string, before int64, limit int) ([]Entry, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select id, studio_id, coalesce(member_id, '') as member_id, at, kind, who, about, source from guard_event
		where studio_id = $1 and ($2 = 0 or id < $2) order by id desc limit $3`, studio, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Entry])
}

// InsertReset keeps a way back in beside those before it, so that nobody can make
// another's worthless by asking for one.
func (q Rows) InsertReset(ctx context.Context, id, member string, hash []byte, expires time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		with old as (delete from password_reset where member_id = $2 and expires_at < now())
		insert into password_reset (id, member_id, hash, expires_at) values ($1, $2, $3, $4)`, id, member, hash, expires)
	return err
}

// ResetOf is whose way back in a secret is; ok is false where it is used, too old or none.
func (q Rows) ResetOf(ctx context.Context, hash []byte, now time.Time) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select member_id from password_reset where hash = $1 and used_at is null and expires_at > $2", hash, now)
	return db.One(rows, err, pgx.RowTo[string])
}

// UseReset uses up a way back in, and all others of the same member; ok is false where
// somebody did before.
func (q Rows) UseReset(ctx context.Context, hash []byte, now time.Time) (bool, error) {
	var used int
	err := q.Conn(ctx).QueryRow(ctx, `
		with mine as (
			update password_reset set used_at = $2 where hash = $1 and used_at is null and expires_at > $2 returning member_id
		), others as (
			update password_reset set used_at = $2 where member_id in (select member_id from mine) and hash <> $1 and used_at is null
		)
		select count(*) from mine`, hash, now).Scan(&used)
	return used == 1, err
}

func (q Rows) CreateStudio(ctx context.Context, id, name, zone string) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into studio (id, name, zone) values ($1, $2, $3)", id, name, zone)
	return err
}

func (q Rows) CreateMember(ctx context.Context, m Member) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		with card as (insert into card (studio_id, name, email) values ($2, $3, $4) returning id)
		insert into member (id, studio_id, name, email, password_hash, role, card_id, confirmed_at)
		select $1, $2, $3, $4, $5, $6, card.id, case when not $7 then clock_timestamp() end from card`,
		m.ID, m.StudioID, m.Name, m.Email, m.PasswordHash, m.Role, m.Unconfirmed)
	return err
}

// SelectMember selects members with their studio.
const SelectMember = `
	select m.id, m.studio_id, s.name as studio_name, s.zone, m.name, m.email, m.role, m.password_hash,
	       m.confirmed_at is null as unconfirmed
	from member m join studio s on s.id = m.studio_id `

func (q Rows) member(ctx context.Context, where string, arg any) (Member, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, SelectMember+where, arg)
	return db.One(rows, err, pgx.RowToStructByName[Member])
}

func (q Rows) MemberByEmail(ctx context.Context, email string) (Member, bool, error) {
	return q.member(ctx, "where lower(m.email) = lower($1) and m.removed_at is null", email)
}

func (q Rows) MemberByID(ctx context.Context, id string) (Member, bool, error) {
	return q.member(ctx, "where m.id = $1 and m.removed_at is null", id)
}

// KnowsDevice reports whether a member has signed in with a device before.
func (q Rows) KnowsDevice(ctx context.Context, member string, device []byte) (known bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select 1 from member_device where member_id = $1 and device_hash = $2)", member, device).Scan(&known)
	return known, err
}

func (q Rows) MeetDevice(ctx context.Context, member string, device []byte, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, `insert into member_device (member_id, device_hash, seen_at) values ($1, $2, $3)
		on conflict (member_id, device_hash) do update set seen_at = $3`, member, device, at)
	return err
}
