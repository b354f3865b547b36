package postgres

import (
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"
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
		insert into member (id, studio_id, name, email, password_hash, role, card_id, confirmed_at)
		select $1, $2, $3, $4, $5, $6, card.id, case when not $7 then clock_timestamp() end from card`,
		m.ID, m.StudioID, m.Name, m.Email, m.PasswordHash, m.Role, m.Unconfirmed)
	return err
}

const selectMember = `
	select m.id, m.studio_id, s.name as studio_name, s.zone, m.name, m.email, m.role, m.password_hash,
	       m.confirmed_at is null as unconfirmed
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

// SpendAttempt holds a lock on each key until the try is committed, so that tries
// at once are counted one after the other.
func (q *queries) SpendAttempt(ctx context.Context, limits []tries.Limit, since, at time.Time) (have int, ok bool, err error) {
	keys, most := make([]string, len(limits)), make([]int, len(limits))
	for i, l := range limits {
		keys[i], most[i] = l.Key, l.Most
	}
	err = q.Tx(ctx, func(ctx context.Context) error {
		// In one order for all, so that nobody waits in a circle.
		if _, err := q.conn(ctx).Exec(ctx, `select pg_advisory_xact_lock(hashtextextended(key, 0))
			from (select key from unnest($1::text[]) as key order by hashtextextended(key, 0)) as k`, keys); err != nil {
			return err
		}
		return q.conn(ctx).QueryRow(ctx, `
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

func (q *queries) ForgiveAttempt(ctx context.Context, limits []tries.Limit) error {
	keys := make([]string, len(limits))
	for i, l := range limits {
		keys[i] = l.Key
	}
	_, err := q.conn(ctx).Exec(ctx, `
		delete from attempt where ctid in (
			select newest.ctid from unnest($1::text[]) as key, lateral (
				select ctid from attempt a where a.key = key.key order by at desc limit 1 for update skip locked) as newest)`, keys)
	return err
}

func (q *queries) KnowsDevice(ctx context.Context, member string, device []byte) (known bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select 1 from member_device where member_id = $1 and device_hash = $2)", member, device).Scan(&known)
	return known, err
}

func (q *queries) MeetDevice(ctx context.Context, member string, device []byte, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, `insert into member_device (member_id, device_hash, seen_at) values ($1, $2, $3)
		on conflict (member_id, device_hash) do update set seen_at = $3`, member, device, at)
	return err
}
