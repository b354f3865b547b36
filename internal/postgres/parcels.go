package postgres

import (
	"context"
	"fmt"
	"strings"
	"time"

	"aftergust/core/expiry"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

const selectParcel = `
	select p.id, p.studio_id, p.title, p.cover_letter, p.door, p.passphrase_hash, p.end_rule, p.contents_rev, p.items, p.weight, p.loose,
	       p.created_by, p.created_at, p.sent_at, p.ends_at, p.stopped_at, p.cleared_at, p.door_since,
	       coalesce(p.letterhead_id, '') as letterhead_id,
	       p.default_rights, p.pins, p.going_at, p.going_waits, p.going_problem, coalesce(p.handed_by, '') as handed_by, p.news_at, p.told_at,
	       p.reminders, p.ends_since, p.look_at, p.closing_for,
	       m.name as sender_name, m.email as sender_email, m.confirmed_at is null as sender_unconfirmed, s.name as studio_name
	from parcel p join member m on m.id = p.created_by join studio s on s.id = p.studio_id `

func (q *queries) parcels(ctx context.Context, where string, args ...any) ([]pack.Parcel, error) {
	rows, err := q.conn(ctx).Query(ctx, selectParcel+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[pack.Parcel])
}

func (q *queries) InsertParcel(ctx context.Context, p pack.Parcel) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into parcel (id, studio_id, title, cover_letter, door, end_rule, default_rights, pins, created_by, created_at, reminders)
		select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, coalesce($11, s.reminders) from studio s where s.id = $2`,
		p.ID, p.StudioID, p.Title, p.CoverLetter, p.Door, p.EndRule, orNone(p.DefaultRights), p.Pins, p.CreatedBy, p.CreatedAt, p.Reminders)
	return err
}

func (q *queries) UpdateParcel(ctx context.Context, p pack.Parcel) error {
	// What goes along in a ZIP tells of title, letter and zone: with others it is another ZIP,
	// and one that was begun is finished as it was.
	_, err := q.conn(ctx).Exec(ctx, `
		update parcel set contents_rev = contents_rev + case when sent_at is not null
		        and (title, cover_letter, end_rule ->> 'zone') is distinct from ($2, $3, $6::jsonb ->> 'zone') then 1 else 0 end,
		    title = $2, cover_letter = $3, door = $4, passphrase_hash = $5, end_rule = $6, sent_at = $7, ends_at = $8,
		    stopped_at = $9, door_since = $10, default_rights = $11, pins = $12, going_at = $13, going_problem = $14, handed_by = $15,
		    created_by = $16, news_at = $17, told_at = $18, going_waits = $19, letterhead_id = $20,
		    reminders = $21, ends_since = $22, look_at = $23, closing_for = $24
		where id = $1`, p.ID, p.Title, p.CoverLetter, p.Door, p.PassphraseHash, p.EndRule, p.SentAt, p.EndsAt, p.StoppedAt, p.DoorSince,
		orNone(p.DefaultRights), p.Pins, p.GoingAt, p.GoingProblem, optional(p.HandedBy), p.CreatedBy, p.NewsAt, p.ToldAt, p.GoingWaits,
		optional(p.LetterheadID), p.Reminders, p.EndsSince, p.LookAt, p.ClosingFor)
	return err
}

func (q *queries) TitleParcel(ctx context.Context, id, before, title string) error {
	_, err := q.conn(ctx).Exec(ctx, "update parcel set title = $3 where id = $1 and title = $2", id, before, title)
	return err
}

func (q *queries) ParcelByID(ctx context.Context, id string) (pack.Parcel, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectParcel+"where p.id = $1 and p.discarded_at is null", id)
	return one(rows, err, pgx.RowToStructByName[pack.Parcel])
}

func (q *queries) LockParcel(ctx context.Context, id string) (pack.Parcel, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectParcel+"where p.id = $1 and p.discarded_at is null for update of p", id)
	return one(rows, err, pgx.RowToStructByName[pack.Parcel])
}

func (q *queries) DiscardParcel(ctx context.Context, id string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update parcel set discarded_at = $2 where id = $1 and sent_at is null", id, at)
	return err
}

// What the table of packages shows, and how it is ordered: p is the package, $2 the
// moment and $3 when what ends soon ends.
var (
	openNow      = "p.sent_at is not null and p.stopped_at is null and p.cleared_at is null and p.ends_at > $2"
	tableFilters = map[follow.Filter]string{
		follow.AllOf:  "true",
		follow.Open:   openNow,
		follow.Soon:   openNow + " and p.ends_at <= $3",
		follow.Drafts: "p.sent_at is null",
		follow.Shut:   "p.sent_at is not null and p.cleared_at is null and (p.stopped_at is not null or p.ends_at <= $2)",
		follow.Lacking: openNow + ` and exists (select from line l join standing s on s.line_id = l.id where l.parcel_id = p.id
			and l.removed_at is null and 'take' = any(l.rights) and s.whole < p.items)`,
		follow.Cleared: "p.cleared_at is not null",
	}
	tableOrders = map[follow.Order]struct{ key, direction string }{
		follow.Newest: {"%[1]s.created_at", "desc"},
		follow.Ends:   {"coalesce(least(%[1]s.ends_at, %[1]s.stopped_at), 'infinity')", ""},
		follow.Titles: {"lower(%[1]s.title)", ""},
		follow.Weight: {"%[1]s.weight", "desc"},
		follow.Seen:   {"coalesce((select max(s.seen_at) from standing s where s.parcel_id = %[1]s.id), '-infinity')", "desc"},
	}
)

func (q *queries) ParcelTable(ctx context.Context, studio string, ask follow.Query, now time.Time, limit int) ([]pack.Parcel, error) {
	order := tableOrders[ask.Order]
	key := func(of string) string { return fmt.Sprintf(order.key, of) }
	where := "where p.studio_id = $1 and p.discarded_at is null and $2::timestamptz < $3 and " + tableFilters[ask.Filter]
	args := []any{studio, now, now.Add(expiry.ClosingWindow), limit}
	if ask.After != "" {
		than := ">"
		if order.direction == "desc" {
			than = "<"
		}
		args = append(args, ask.After)
		after := key("a")
		where += fmt.Sprintf(" and (%s, p.id) %s ((select %s from parcel a where a.id = $5 and a.studio_id = $1), $5)", key("p"), than, after)
	}
	for _, word := range ask.Words {
		args = append(args, "%"+likeless.Replace(word)+"%")
		where += fmt.Sprintf(` and (p.title ilike $%[1]d or exists (select from line l join card c on c.id = l.card_id
			where l.parcel_id = p.id and l.removed_at is null and (c.name ilike $%[1]d or c.email ilike $%[1]d)))`, len(args))
	}
	return q.parcels(ctx, where+fmt.Sprintf(" order by %s %s, p.id %[2]s limit $4", key("p"), order.direction), args...)
}

// likeless takes from words what LIKE would read as more than itself.
var likeless = strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`)

func timeOrNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (q *queries) ClearParcels(ctx context.Context, now, endedBefore time.Time, limit int) ([]pack.Parcel, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		update parcel set cleared_at = $1 where id in (
			select id from parcel where sent_at is not null and cleared_at is null and least(ends_at, stopped_at) < $2
			    limit $3 for update skip locked)
		returning id`, now, endedBefore, limit)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	if _, err := q.conn(ctx).Exec(ctx, "delete from zip_state where parcel_id = any($1)", ids); err != nil {
		return nil, err
	}
	return q.parcels(ctx, "where p.id = any($1)", ids)
}
