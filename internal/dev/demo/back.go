package demo

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// How long after each other things happen in the sample studio.
const (
	lookAfter   = 2 * time.Minute  // after the page was opened
	noteAfter   = 7 * time.Minute  // after that, and between notes
	answerAfter = 40 * time.Minute // after a note, by the studio
	doneAfter   = 70 * time.Minute
	justNow     = time.Minute // nothing of it lies in the future
)

// setBack moves what the demo has just done into the days before, in an order in
// which it could have happened.
func setBack(ctx context.Context, pool *pgxpool.Pool, s sample) error {
	now := time.Now()
	return pgx.BeginFunc(ctx, pool, func(tx pgx.Tx) error {
		var err error
		set := func(sql string, args ...any) {
			if err == nil {
				_, err = tx.Exec(ctx, sql, args...)
			}
		}
		sent := now.Add(-s.sent)
		set("select event_month($1)", sent)
		set("select event_month(m) from generate_series($1::timestamptz, $2, interval '20 days') m", sent, now)
		set("alter table event disable trigger event_append_only")
		set("update parcel set created_at = $2, sent_at = $2, ends_since = $2, ends_at = $3, look_at = $4 where id = $1", s.id, sent, now.Add(s.ends), now)
		set("update event set at = $2 where parcel_id = $1 and kind = 'sent'", s.id, sent)
		set("update letter set created_at = $2, sent_at = $2 where parcel_id = $1", s.id, sent)
		for _, g := range s.guests {
			if g.opened == 0 {
				continue
			}
			opened, took := now.Add(-g.opened), now.Add(-max(g.tookAt, justNow))
			if g.took == "" {
				took = opened
			}
			set(`update event set at = case when kind in ('took', 'has_all') then $3::timestamptz when kind = 'looked' then $2::timestamptz + $4::interval else $2 end
			     where line_id = $1 and kind in ('opened', 'looked', 'took', 'has_all')`, g.id, opened, took, lookAfter)
			set(`update coverage set completed_at = case when completed_at is not null then $3::timestamptz end, updated_at = $2,
			     looked_at = case when looked_at is not null then $2::timestamptz + $4::interval end where line_id = $1`, g.id, opened, took,
				lookAfter)
			// What they saw took them its time, which the demo has not.
			starts, ends := g.runs()
			set(`insert into viewing (line_id, version_id, key, parcel_id, began_at, last_at, starts, ends)
			     select line_id, version_id, 'sample', parcel_id, looked_at, looked_at + interval '4 minutes', $2, $3 from coverage
			     where line_id = $1 and looked_at is not null and cardinality($2::bigint[]) > 0`, g.id, starts, ends)
			set(`update coverage set played = (select range_agg(int8range(r.s, r.e)) from unnest($2::bigint[], $3::bigint[]) r (s, e))
			     where line_id = $1 and looked_at is not null and cardinality($2::bigint[]) > 0`, g.id, starts, ends)
			set(`update event e set at = least($2::timestamptz + n * $3::interval, $4)
			     from (select id, row_number() over (order by id) as n from event where line_id = $1 and kind = 'noted') n where e.id = n.id
			    and e.line_id = $1`,
				g.id, opened, noteAfter, now.Add(-justNow))
			set(`update note o set created_at = least($2::timestamptz + n * $3::interval, $4)
			     from (select id, row_number() over (order by id) as n from note where line_id = $1) n where o.id = n.id`, g.id, opened, noteAfter,
				now.Add(-justNow))
		}
		// What the studio did about a note comes after it.
		set(`update event e set at = least((select max(p.at) from event p where p.parcel_id = $1 and p.kind = 'noted' and p.line_id is not null
			and p.id < e.id)
		         + case kind when 'noted' then $2::interval else $3::interval end, $4)
		     where e.parcel_id = $1 and e.member_id is not null and e.kind in ('noted', 'note_done')`, s.id, answerAfter, doneAfter,
			now.Add(-justNow))
		set(`update note a set created_at = least(n.created_at + $2::interval, $3) from note n where a.parcel_id = $1 and n.id = a.parent_id
			and a.member_id is not null`,
			s.id, answerAfter, now.Add(-justNow))
		set(`update note set done_at = least(created_at + $2::interval, $3) where parcel_id = $1 and done_at is not null`, s.id, doneAfter,
			now.Add(-justNow))
		// Notices follow their events; those of before yesterday were seen, and no letter tells of any.
		set(`update notice n set at = e.at, due_at = null, seen_at = case when e.at < $2 then e.at end from event e
		     where n.parcel_id = $1 and e.parcel_id = $1 and e.id = n.event_id`, s.id, now.Add(-24*time.Hour))
		set("update hook_delivery d set at = e.at from event e where d.parcel_id = $1 and e.parcel_id = $1 and e.id = d.event_id", s.id)
		// What happened is chained anew, in the order that it has now.
		set("alter table link disable trigger link_append_only")
		for _, table := range []string{"link", "unlinked", "chain"} {
			set("delete from "+table+" where parcel_id = $1", s.id)
		}
		set("insert into unlinked (event_id, parcel_id, at) select id, parcel_id, at from event where parcel_id = $1", s.id)
		set("alter table link enable trigger link_append_only")
		set("alter table event enable trigger event_append_only")
		return err
	})
}

// runs are the stretches that played for a guest, in milliseconds.
func (g guest) runs() (starts, ends []int64) {
	starts, ends = []int64{}, []int64{}
	for _, p := range g.played {
		starts, ends = append(starts, 1000*p[0]), append(ends, 1000*p[1])
	}
	return starts, ends
}
