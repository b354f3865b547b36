package notices

import (
	"context"
	"time"

	"aftergust/core/words/notice"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// Rows are notices to members, and how each wants to be told.
type Rows struct{ *db.DB }

// projectOf is the project to which a package p counts: that of its first item. It is
// empty where that lies in none.
const projectOf = `coalesce((
	select split_part(place.path, '/', 3) from (
		select pi.item_id from parcel_item pi where pi.parcel_id = p.id and pi.withdrawn_at is null order by pi.position, pi.id limit 1) first
	join item i on i.id = first.item_id join place on place.id = i.place_id), '')`

func (q Rows) DeskOf(ctx context.Context, parcel, member string, now time.Time) (Desk, error) {
	desk := Desk{Project: notice.Choices{}, All: notice.Choices{}}
	rows, err := q.Conn(ctx).Query(ctx, `
		select m.id, p.created_by, s.zone, (select min(n.due_at) from notice n where n.member_id = m.id and n.batch is null and n.gathers
		           and n.due_at > $2), t.place_id, t.kind, t.cadence
		from parcel p join studio s on s.id = p.studio_id join member m on m.id = coalesce(nullif($3, ''), p.created_by)
		left join told t on t.studio_id = p.studio_id and t.place_id in ('', `+projectOf+`)
		where p.id = $1`, parcel, now, member)
	if err != nil {
		return desk, err
	}
	var waiting db.Moment
	var place, kind, cadence *string
	_, err = pgx.ForEachRow(rows, []any{&desk.MemberID, &desk.Producer, &desk.Zone, &waiting, &place, &kind, &cadence}, func() error {
		desk.Waiting = waiting.Time()
		if kind == nil {
			return nil
		}
		of := desk.All
		if *place != "" {
			of = desk.Project
		}
		of[notice.Kind(*kind)] = notice.Cadence(*cadence)
		return nil
	})
	return desk, err
}

func (q Rows) InsertNotices(ctx context.Context, all []New) (int, error) {
	n := len(all)
	studios, members, parcels, kinds, once := make([]string, n), make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	notes, lines, by := make([]string, n), make([]string, n), make([]string, n)
	events, at, due, gathers := make([]int64, n), make([]time.Time, n), make([]*time.Time, n), make([]bool, n)
	for i, one := range all {
		studios[i], members[i], parcels[i], kinds[i], once[i] = one.StudioID, one.MemberID, one.ParcelID, string(one.Kind), one.Once
		events[i], at[i], due[i], gathers[i] = one.EventID, one.At, one.DueAt, one.Gathers
		notes[i], lines[i], by[i] = one.Note, one.LineID, one.ByID
	}
	done, err := q.Conn(ctx).Exec(ctx, `
		insert into notice (studio_id, member_id, parcel_id, kind, event_id, at, once, due_at, gathers, note_id, by_card, facts)
		select n.studio, n.member, n.parcel, n.kind, nullif(n.event, 0), n.at, nullif(n.once, ''), n.due, n.gathers, o.id,
		       case when n.event = 0 then coalesce(m.card_id, l.card_id) end,
		       case when n.event = 0 then jsonb_strip_nulls(jsonb_build_object('title', p.title, 'name', `+tally.GivenAs+`, 'number', v.number,
		           'at', nullif(o.place ->> 'label', ''))) end
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::bigint[], $6::timestamptz[], $7::text[], $8::timestamptz[], $9::bool[],
		         $10::text[], $11::text[], $12::text[])
		     with ordinality n (studio, member, parcel, kind, event, at, once, due, gathers, note, line, by, n)
		left join note o on o.id = n.note and o.parcel_id = n.parcel
		left join version v on v.id = o.version_id left join item i on i.id = v.item_id
		left join parcel p on p.id = n.parcel left join line l on l.id = n.line left join member m on m.id = n.by order by n.n
		on conflict do nothing`, studios, members, parcels, kinds, events, at, once, due, gathers, notes, lines, by)
	return int(done.RowsAffected()), err
}

func (q Rows) DueMembers(ctx context.Context, now time.Time, limit int) ([]Reader, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select m.id, m.name, case when m.removed_at is null then m.email else '' end, m.studio_id, s.name
		from member m join studio s on s.id = m.studio_id
		where m.id in (select member_id from notice where due_at <= $1 and batch is null order by due_at limit $2) order by m.id`, now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Reader])
}

func (q Rows) Batch(ctx context.Context, member, batch string, now time.Time, limit int) (int, error) {
	done, err := q.Conn(ctx).Exec(ctx, `
		update notice set batch = $2 where id in (
			select id from notice where member_id = $1 and batch is null and due_at is not null and (due_at <= $3 or gathers)
			order by id limit $4 for update skip locked)`, member, batch, now, limit)
	return int(done.RowsAffected()), err
}

const selectNotice = `
	select n.id, n.parcel_id, p.title, n.member_id, n.kind, n.at, n.seen_at is not null, coalesce(l.name, ''), coalesce(m.name, ''),
	       coalesce(n.facts, e.facts), coalesce(o.id, ''),
	       coalesce(o.parent_id, o.id, ''), coalesce(pi.id, '')
	from `

const ofNotice = ` n join parcel p on p.id = n.parcel_id
	left join event e on e.parcel_id = n.parcel_id and e.at = n.at and e.id = n.event_id
	left join card l on l.id = coalesce(n.by_card, e.line_card) left join card m on m.id = e.by_card
	left join note o on o.id = n.note_id and o.removed_at is null
	left join version v on v.id = o.version_id left join parcel_item pi on pi.parcel_id = o.parcel_id and pi.item_id = v.item_id
	order by n.at desc, n.id desc`

func (q Rows) Notices(ctx context.Context, sql string, args ...any) ([]Notice, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectNotice+"("+sql+")"+ofNotice, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (n Notice, err error) {
		err = row.Scan(&n.ID, &n.ParcelID, &n.Title, &n.MemberID, &n.Kind, &n.At, &n.Seen, &n.Who.Line, &n.Who.Member, &n.Facts,
			&n.Note, &n.Thread, &n.Content)
		return n, err
	})
}

func (q Rows) NoticePage(ctx context.Context, studio, member string, after Cursor, limit int) ([]Notice, error) {
	where, args := "member_id = $1", []any{member, limit}
	if member == "" {
		where, args[0] = "studio_id = $1 and event_id is not null", studio // what says "you" is for one
	}
	if after.ID != 0 {
		where, args = where+" and (at, id) < ($3, $4)", append(args, after.At, after.ID)
	}
	return q.Notices(ctx, "select * from notice where "+where+" order by at desc, id desc limit $2", args...)
}

func (q Rows) CountUnseen(ctx context.Context, member string, limit int) (n int, err error) {
	return n, q.Conn(ctx).QueryRow(ctx, `select count(*) from (select from notice where member_id = $1 and seen_at is null limit $2) few`, member,
		limit).Scan(&n)
}

func (q Rows) SeeNotices(ctx context.Context, member string, until int64, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update notice set seen_at = $3 where member_id = $1 and seen_at is null and id <= $2", member, until, at)
	return err
}

func (q Rows) Choices(ctx context.Context, studio string) ([]Choice, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select t.place_id, coalesce(top.name || ' / ' || place.name, ''), t.kind, t.cadence
		from told t left join place on place.id = t.place_id left join place top on top.id = place.parent_id
		where t.studio_id = $1 and (t.place_id = '' or place.let_go_id is null and place.id is not null)
		order by t.place_id <> '', top.name, place.name, t.place_id`, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Choice])
}

func (q Rows) SetChoice(ctx context.Context, studio string, c Choice) error {
	if c.Cadence == "" {
		_, err := q.Conn(ctx).Exec(ctx, "delete from told where studio_id = $1 and place_id = $2 and kind = $3", studio, c.PlaceID, c.Kind)
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into told (studio_id, place_id, kind, cadence) values ($1, $2, $3, $4)
		on conflict (studio_id, place_id, kind) do update set cadence = excluded.cadence`, studio, c.PlaceID, c.Kind, c.Cadence)
	return err
}

func (q Rows) ProjectExists(ctx context.Context, studio, place string) (is bool, err error) {
	return is, q.Conn(ctx).QueryRow(ctx, `
		select exists (select from place where id = $2 and studio_id = $1 and kind = 'project' and let_go_id is null)`, studio, place).Scan(&is)
}
