package account

import (
	"context"
	"errors"
	"time"

	"aftergust/core/link/role"
	"aftergust/core/words/letter"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// TeamRows are who works in a studio, and who is asked to.
type TeamRows struct{ *db.DB }

// LockStudio makes others who change who works in a studio wait.
func (q TeamRows) LockStudio(ctx context.Context, studioID string) error {
	_, err := q.Conn(ctx).Exec(ctx, "select pg_advisory_xact_lock(hashtextextended($1, 0))", studioID)
	return err
}

func (q TeamRows) Members(ctx context.Context, studio string) ([]Member, error) {
	rows, err := q.Conn(ctx).Query(ctx, SelectMember+`where m.studio_id = $1 and m.removed_at is null
		order by m.role <> 'owner', m.created_at, m.id`, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Member])
}

func (q TeamRows) SetRole(ctx context.Context, member string, r role.Role) error {
	_, err := q.Conn(ctx).Exec(ctx, "update member set role = $2 where id = $1", member, r)
	return err
}

func (q TeamRows) RemoveMember(ctx context.Context, member string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update member set removed_at = $2 where id = $1", member, at)
	return err
}

func (q TeamRows) RenameStudio(ctx context.Context, studio, name, zone string) error {
	if _, err := q.Conn(ctx).Exec(ctx, `
		update parcel set contents_rev = contents_rev + 1 where studio_id = $1 and sent_at is not null and cleared_at is null
		    and (select name from studio where id = $1) <> $2`, studio, name); err != nil { // their covers name the studio
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update studio set name = $2, zone = $3 where id = $1", studio, name, zone)
	return err
}

func (q TeamRows) InsertInvitation(ctx context.Context, i Invitation, hash []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into invitation (id, studio_id, email, role, invited_by, hash, created_at, expires_at) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		i.ID, i.StudioID, i.Email, i.Role, i.InvitedBy, hash, i.CreatedAt, i.ExpiresAt)
	return err
}

const selectInvitation = `
	select i.id, i.studio_id, s.name as studio_name, i.email, i.role, i.invited_by, m.name as inviter, i.created_at, i.expires_at
	from invitation i join studio s on s.id = i.studio_id join member m on m.id = i.invited_by
	where i.answered_at is null `

// Invitations are those of a studio that wait for an answer.
func (q TeamRows) Invitations(ctx context.Context, studio string) ([]Invitation, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectInvitation+"and i.studio_id = $1 order by i.created_at desc, i.id", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Invitation])
}

// InvitationByHash is one that waits for an answer.
func (q TeamRows) InvitationByHash(ctx context.Context, hash []byte, now time.Time) (Invitation, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectInvitation+"and i.hash = $1 and i.expires_at > $2", hash, now)
	return db.One(rows, err, pgx.RowToStructByName[Invitation])
}

// AnswerInvitation writes down an answer; ok is false where it had one.
func (q TeamRows) AnswerInvitation(ctx context.Context, id, answer string, at time.Time) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update invitation set answered_at = $3, answer = $2 where id = $1 and answered_at is null", id, answer, at)
	return done.RowsAffected() == 1, err
}

// AnyStudio reports whether there is a studio, and makes others who found one wait.
func (q TeamRows) AnyStudio(ctx context.Context) (any bool, err error) {
	if db.Tx(ctx) != nil { // whoever founds one waits for others who do
		if _, err := q.Conn(ctx).Exec(ctx, "lock table studio in share row exclusive mode"); err != nil {
			return false, err
		}
	}
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from studio)").Scan(&any)
	return any, err
}

// InsertConfirmCode keeps a code for a member; the six digits are derived from its id
// and are nowhere written down.
func (q TeamRows) InsertConfirmCode(ctx context.Context, id, member string, expires time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into confirm_code (id, member_id, expires_at) values ($1, $2, $3)", id, member, expires)
	return err
}

// ConfirmLetter is what became of the last letter with a code to an address; state is empty
// where there was none.
func (q TeamRows) ConfirmLetter(ctx context.Context, studio, email string) (state letter.State, problem string, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select state, last_error from letter where studio_id = $1 and kind = 'confirm' and to_email = $2
		order by created_at desc, id desc limit 1`,
		studio, email).Scan(&state, &problem)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return state, problem, err
}

// SpendConfirmCode counts one try of the newest code of a member; ok is false where
// there is none, or it has had most, is too old or was used.
func (q TeamRows) SpendConfirmCode(ctx context.Context, member string, most int, now time.Time) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		update confirm_code c set tries = tries + 1
		where c.id = (select id from confirm_code where member_id = $1 order by created_at desc limit 1) and c.tries < $2 and c.expires_at > $3
		returning c.id`, member, most, now)
	return db.One(rows, err, pgx.RowTo[string])
}

// ConfirmMember writes down that an address of a member is theirs, and uses their codes
// up; ok is false where they have another address by now.
func (q TeamRows) ConfirmMember(ctx context.Context, member, email string, at time.Time) (ok bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		with done as (update member set confirmed_at = $3 where id = $1 and email = $2 and confirmed_at is null returning id),
		     used as (delete from confirm_code where member_id in (select id from done))
		select exists (select from done)`, member, email, at).Scan(&ok)
	return ok, err
}

// MoveMember gives a member another mail address; ok is false where somebody has it.
func (q TeamRows) MoveMember(ctx context.Context, member, email string) (bool, error) {
	// What happened before keeps how they were called then, so they get another card.
	done, err := q.Conn(ctx).Exec(ctx, `
		with card as (
			insert into card (studio_id, name, email) select m.studio_id, m.name, $2 from member m
			where m.id = $1 and not exists (select from member o where lower(o.email) = lower($2) and o.removed_at is null) returning id
		)
		update member m set email = $2, card_id = card.id from card where m.id = $1`, member, email)
	return done.RowsAffected() == 1, err
}
