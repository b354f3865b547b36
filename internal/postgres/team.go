package postgres

import (
	"context"
	"errors"
	"time"

	"aftergust/core/letter"
	"aftergust/core/role"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
)

func (q *queries) Members(ctx context.Context, studio string) ([]account.Member, error) {
	rows, err := q.conn(ctx).Query(ctx, selectMember+`where m.studio_id = $1 and m.removed_at is null
		order by m.role <> 'owner', m.created_at, m.id`, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.Member])
}

func (q *queries) SetRole(ctx context.Context, member string, r role.Role) error {
	_, err := q.conn(ctx).Exec(ctx, "update member set role = $2 where id = $1", member, r)
	return err
}

func (q *queries) RemoveMember(ctx context.Context, member string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update member set removed_at = $2 where id = $1", member, at)
	return err
}

func (q *queries) RenameStudio(ctx context.Context, studio, name, zone string) error {
	if _, err := q.conn(ctx).Exec(ctx, `
		update parcel set contents_rev = contents_rev + 1 where studio_id = $1 and sent_at is not null and cleared_at is null
		    and (select name from studio where id = $1) <> $2`, studio, name); err != nil { // their covers name the studio
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, "update studio set name = $2, zone = $3 where id = $1", studio, name, zone)
	return err
}

func (q *queries) InsertInvitation(ctx context.Context, i account.Invitation, hash []byte) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into invitation (id, studio_id, email, role, invited_by, hash, created_at, expires_at) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		i.ID, i.StudioID, i.Email, i.Role, i.InvitedBy, hash, i.CreatedAt, i.ExpiresAt)
	return err
}

const selectInvitation = `
	select i.id, i.studio_id, s.name as studio_name, i.email, i.role, i.invited_by, m.name as inviter, i.created_at, i.expires_at
	from invitation i join studio s on s.id = i.studio_id join member m on m.id = i.invited_by
	where i.answered_at is null `

func (q *queries) Invitations(ctx context.Context, studio string) ([]account.Invitation, error) {
	rows, err := q.conn(ctx).Query(ctx, selectInvitation+"and i.studio_id = $1 order by i.created_at desc, i.id", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[account.Invitation])
}

func (q *queries) InvitationByHash(ctx context.Context, hash []byte, now time.Time) (account.Invitation, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectInvitation+"and i.hash = $1 and i.expires_at > $2", hash, now)
	return one(rows, err, pgx.RowToStructByName[account.Invitation])
}

func (q *queries) AnswerInvitation(ctx context.Context, id, answer string, at time.Time) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, "update invitation set answered_at = $3, answer = $2 where id = $1 and answered_at is null", id, answer, at)
	return done.RowsAffected() == 1, err
}

func (q *queries) AnyStudio(ctx context.Context) (any bool, err error) {
	if tx(ctx) != nil { // whoever founds one waits for others who do
		if _, err := q.conn(ctx).Exec(ctx, "lock table studio in share row exclusive mode"); err != nil {
			return false, err
		}
	}
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from studio)").Scan(&any)
	return any, err
}

func (q *queries) InsertConfirmCode(ctx context.Context, id, member string, expires time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into confirm_code (id, member_id, expires_at) values ($1, $2, $3)", id, member, expires)
	return err
}

func (q *queries) ConfirmLetter(ctx context.Context, studio, email string) (state letter.State, problem string, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select state, last_error from letter where studio_id = $1 and kind = 'confirm' and to_email = $2
		order by created_at desc, id desc limit 1`,
		studio, email).Scan(&state, &problem)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return state, problem, err
}

func (q *queries) SpendConfirmCode(ctx context.Context, member string, most int, now time.Time) (string, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		update confirm_code c set tries = tries + 1
		where c.id = (select id from confirm_code where member_id = $1 order by created_at desc limit 1) and c.tries < $2 and c.expires_at > $3
		returning c.id`, member, most, now)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) ConfirmMember(ctx context.Context, member, email string, at time.Time) (ok bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		with done as (update member set confirmed_at = $3 where id = $1 and email = $2 and confirmed_at is null returning id),
		     used as (delete from confirm_code where member_id in (select id from done))
		select exists (select from done)`, member, email, at).Scan(&ok)
	return ok, err
}

func (q *queries) MoveMember(ctx context.Context, member, email string) (bool, error) {
	// What happened before keeps how they were called then, so they get another card.
	done, err := q.conn(ctx).Exec(ctx, `
		with card as (
			insert into card (studio_id, name, email) select m.studio_id, m.name, $2 from member m
			where m.id = $1 and not exists (select from member o where lower(o.email) = lower($2) and o.removed_at is null) returning id
		)
		update member m set email = $2, card_id = card.id from card where m.id = $1`, member, email)
	return done.RowsAffected() == 1, err
}
