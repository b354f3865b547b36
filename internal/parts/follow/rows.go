package follow

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
)

// Rows are what the Desk, the list of packages, the ledger and the Story read.
type Rows struct{ *db.DB }

func (q Rows) counts(ctx context.Context, sql string, parcels []string) (map[string]int, error) {
	rows, err := q.Conn(ctx).Query(ctx, sql, parcels)
	if err != nil {
		return nil, err
	}
	out := map[string]int{}
	var parcel string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&parcel, &n}, func() error {
		out[parcel] = n
		return nil
	})
	return out, err
}

func (q Rows) OpenNoteCounts(ctx context.Context, parcels []string) (map[string]int, error) {
	return q.counts(ctx, `
		select parcel_id, count(*) from note where parcel_id = any($1) and parent_id is null and done_at is null and removed_at is null
		group by parcel_id`, parcels)
}

func (q Rows) WaitingLetters(ctx context.Context, parcels []string) (map[string]int, error) {
	return q.counts(ctx, `select parcel_id, count(*) from letter where parcel_id = any($1) and state = 'waiting' and tries > 0
		group by parcel_id`, parcels)
}

// needsShown is how many needs the Desk shows.
const needsShown = 50

// selectNeeds are the needs of a studio ($1), the last first, at most $2, as a member ($3) has them.
const selectNeeds = `
		select 'notes' as kind, p.id as parcel_id, p.title, '' as line, '' as knock, n.count, n.at
		from (select parcel_id, count(*)::int as count, max(created_at) as at from note
		      where parent_id is null and done_at is null and removed_at is null and line_id is not null
		      and parcel_id in (select id from parcel where studio_id = $1 and discarded_at is null) group by parcel_id) n
		join parcel p on p.id = n.parcel_id
		union all
		select 'letters', p.id, p.title, '', '', count(*)::int, max(l.created_at)
		from letter l join parcel p on p.id = l.parcel_id
		where l.studio_id = $1 and l.state = 'waiting' and l.tries > 0
		group by p.id
		union all
		select 'room', '', '', '', '', count(*)::int, max(v.created_at)
		from version v join item i on i.id = v.item_id
		where v.media_state = 'waiting' and v.media_error = '` + previews.NoRoom + `' and i.studio_id = $1 having count(*) > 0
		union all
		select 'damaged', '', '', min(i.name), '', count(*)::int, max(b.damaged_at)
		from blob b join version v on v.blob_id = b.id and v.deleted_at is null join item i on i.id = v.item_id
		where b.studio_id = $1 and b.damage <> '' and b.deleted_at is null having count(*) > 0
		union all
		select case when p.going_problem <> '' then 'stays' else 'goes' end, p.id, p.title, '', '',
		       (select count(*) from upload u where u.parcel_id = p.id and u.state = 'arriving')::int, coalesce(p.going_at, p.created_at)
		from parcel p where p.studio_id = $1 and p.sent_at is null and p.discarded_at is null and (p.going_at is not null or p.going_problem <> '')
		union all
		select 'handed', p.id, p.title, by.name, '', 1, p.created_at
		from parcel p join member by on by.id = p.handed_by
		where p.created_by = $3 and p.handed_by is not null and p.sent_at is null and p.discarded_at is null
		union all
		select 'changes', p.id, p.title, string_agg(distinct d.name, ', '), '', count(*)::int, max(d.at)
		from (select distinct on (s.parcel_id, s.version_id, s.line_id) s.parcel_id, s.version_id, s.verdict, s.at, c.name
		      from sign_off s join line l on l.id = s.line_id left join card c on c.id = l.card_id
		      where s.parcel_id in (select id from parcel where studio_id = $1 and cleared_at is null and discarded_at is null)
		      order by s.parcel_id, s.version_id, s.line_id, s.at desc) d
		join parcel p on p.id = d.parcel_id join version v on v.id = d.version_id
		join parcel_item pi on pi.parcel_id = p.id and pi.item_id = v.item_id and pi.withdrawn_at is null join item i on i.id = pi.item_id
		where d.verdict = 'changes_wanted' and v.id = coalesce(pi.pinned_version_id, i.current_version_id)
		group by p.id
		union all
		select 'round', p.id, p.title, case when count(*) > 3 then count(*) || ' people' else string_agg(c.name, ', ' order by c.name) end, '',
		       count(*)::int, max(r.created_at)
		from round r join parcel p on p.id = r.parcel_id join round_line rl on rl.round_id = r.id
		join line l on l.id = rl.line_id and l.removed_at is null left join card c on c.id = l.card_id
		where r.closed_at is null and p.studio_id = $1 and p.cleared_at is null and p.discarded_at is null
		    and exists (select from round_version rv where rv.round_id = r.id and not exists (
		        select from sign_off s where s.parcel_id = r.parcel_id and s.version_id = rv.version_id and s.line_id = rl.line_id))
		group by p.id
		order by at desc limit $2`

// NeedsYou is what waits for a member of a studio.
func (q Rows) NeedsYou(ctx context.Context, studioID, memberID string, since time.Time) ([]Need, error) {
	needs, err := q.needs(ctx, selectNeeds, studioID, needsShown, memberID)
	if err != nil {
		return nil, err
	}
	asked, err := q.needs(ctx, `
		select 'asked' as kind, p.id as parcel_id, p.title, case when c.email = '' and k.name <> '' then k.name else c.name end as line, k.id as knock,
		       1 as count, k.asked_at as at
		from knock k join parcel p on p.id = k.parcel_id join line l on l.id = k.line_id join card c on c.id = l.card_id
		where k.studio_id = $1 and k.answered_at is null and k.asked_at > $2
		-- what somebody set right by another way is answered
		and not (k.reason in ('ended', 'stopped') and p.stopped_at is null and p.ends_at > k.asked_at)
		and not (k.reason = 'removed' and l.removed_at is null) order by k.asked_at desc limit $3`, studioID, since, needsShown)
	if err != nil {
		return nil, err
	}
	needs = append(needs, asked...)
	// Mostly nobody has tried too often, and to see that is much cheaper than to see
	// for whom that was set right. The day stands in the statement, so that the months
	// that matter are found once a day and not with each request.
	var blocked bool
	day := since.UTC().Truncate(24 * time.Hour).Format(time.RFC3339)
	if err := q.Conn(ctx).QueryRow(ctx, `select exists (select from event where studio_id = $1 and kind = 'door_blocked'
		and at >= '`+day+`')`, studioID).Scan(&blocked); err != nil {
		return needs, err
	}
	var tried []Need
	if blocked {
		tried, err = q.needs(ctx, `
			select 'blocked' as kind, p.id as parcel_id, p.title, c.name as line, '' as knock, count(*)::int as count, max(e.at) as at
			from event e join parcel p on p.id = e.parcel_id join line l on l.id = e.line_id join card c on c.id = l.card_id
			where e.studio_id = $1 and e.kind = 'door_blocked' and e.at > $2
			and not exists (select from event later where later.parcel_id = e.parcel_id and later.at > e.at and later.at > $2
			    and later.kind in ('extended', 'rights_changed', 'let_in'))
			group by p.id, c.id
			order by at desc limit $3`, studioID, since, needsShown)
	}
	needs = append(needs, tried...)
	slices.SortStableFunc(needs, func(a, b Need) int { return b.At.Compare(a.At) })
	return needs[:min(len(needs), needsShown)], err
}

func (q Rows) needs(ctx context.Context, sql string, args ...any) ([]Need, error) {
	rows, err := q.Conn(ctx).Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Need])
}

// ClientsOf: a package is for the client in whose place its first item lies, or else for
// the one to whom somebody on its waybill belongs.
func (q Rows) ClientsOf(ctx context.Context, parcels []string) (map[string]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select p.id, coalesce(of_item.name, of_person.name) from parcel p
		left join lateral (
			select c.name from (select pi.item_id from parcel_item pi where pi.parcel_id = p.id and pi.withdrawn_at is null
			    order by pi.position, pi.id limit 1) first
			join item i on i.id = first.item_id join place at on at.id = i.place_id
			join place c on c.id = split_part(at.path, '/', 2)) of_item on true
		left join lateral (
			select c.name from line l join person r on r.id = l.person_id join place c on c.id = r.client_id
			where l.parcel_id = p.id and l.removed_at is null order by l.created_at, l.id limit 1) of_person on of_item.name is null
		where p.id = any($1) and coalesce(of_item.name, of_person.name) is not null`, parcels)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	var id, name string
	_, err = pgx.ForEachRow(rows, []any{&id, &name}, func() error {
		out[id] = name
		return nil
	})
	return out, err
}

// Calendar is of which nonce the address of a member's calendar is made; nil where they have none.
func (q Rows) Calendar(ctx context.Context, member string) (nonce []byte, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select calendar_nonce from member where id = $1", member).Scan(&nonce)
	return nonce, err
}

// SetCalendar gives a member another address, or none.
func (q Rows) SetCalendar(ctx context.Context, member string, nonce, hash []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, "update member set calendar_nonce = $2, calendar_hash = $3 where id = $1", member, nonce, hash)
	return err
}

func (q Rows) MemberByCalendar(ctx context.Context, hash []byte) (account.Member, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, account.SelectMember+"where m.calendar_hash = $1 and m.removed_at is null", hash)
	return db.One(rows, err, pgx.RowToStructByName[account.Member])
}

func (q Rows) Events(ctx context.Context, parcel string, before Moment, limit int) ([]happen.Event, error) {
	where, args := "", []any{parcel, limit}
	if before.ID != 0 {
		where, args = "and (e.at, e.id) < ($3, $4)", append(args, before.At, before.ID)
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select e.id, e.studio_id, e.parcel_id, coalesce(e.line_id, ''), coalesce(e.member_id, ''), coalesce(e.version_id, ''), e.kind, e.at,
		       coalesce(l.name, ''), coalesce(m.name, ''), e.facts
		from (select * from event e where e.parcel_id = $1 `+where+` order by e.at desc, e.id desc limit $2) e
		left join card l on l.id = e.line_card left join card m on m.id = e.by_card order by e.at desc, e.id desc`, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (e happen.Event, err error) {
		err = row.Scan(&e.ID, &e.StudioID, &e.ParcelID, &e.LineID, &e.MemberID, &e.VersionID, &e.Kind, &e.At, &e.Who.Line, &e.Who.Member,
			&e.Facts)
		return e, err
	})
}

// Strands are the lines of packages with what they have, those that were
// removed left out unless gone is set.
func (q Rows) Strands(ctx context.Context, parcels []string, gone bool) (map[string][]Strand, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select `+pack.LineOf+`, p.items, p.weight, s.whole, s.behind, s.gaps, s.delivered, s.opened_at, s.seen_at, s.completed_at
		`+pack.FromLine+pack.WayOf+`join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.parcel_id = any($1) and ($2 or l.removed_at is null) order by l.parcel_id, l.created_at, l.id`, parcels, gone)
	if err != nil {
		return nil, err
	}
	out := map[string][]Strand{}
	_, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (none struct{}, err error) {
		var s Strand
		var opened, seen, completed db.Moment
		err = row.Scan(
			append(pack.ScanLine(&s.Line), &s.Standing.Files, &s.Standing.Owed, &s.Standing.Whole, &s.Standing.Behind, &s.Standing.Gaps,
				&s.Standing.Delivered,
				&opened, &seen, &completed)...)
		s.Standing.FirstOpened, s.Standing.LastSeen, s.Standing.LastCompleted = opened.Time(), seen.Time(), completed.Time()
		out[s.Line.ParcelID] = append(out[s.Line.ParcelID], s)
		return none, err
	})
	return out, err
}

// LastTo are the packages that went to somebody last, with their line in each.
func (q Rows) LastTo(ctx context.Context, studio, person string, limit int) ([]pack.Parcel, map[string]Strand, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select l.id, l.parcel_id from line l join parcel p on p.id = l.parcel_id
		where l.person_id = $2 and l.removed_at is null and p.studio_id = $1 and p.sent_at is not null order by l.created_at desc limit $3`, studio, person,
		limit)
	if err != nil {
		return nil, nil, err
	}
	var line, parcel string
	var ids []string
	lines := map[string]bool{}
	if _, err = pgx.ForEachRow(rows, []any{&line, &parcel}, func() error {
		ids, lines[line] = append(ids, parcel), true
		return nil
	}); err != nil {
		return nil, nil, err
	}
	all, err := q.Strands(ctx, ids, false)
	if err != nil {
		return nil, nil, err
	}
	theirs := map[string]Strand{}
	for _, strands := range all {
		for _, s := range strands {
			if lines[s.Line.ID] {
				theirs[s.Line.ParcelID] = s
			}
		}
	}
	parcels, err := pack.Rows{DB: q.DB}.Parcels(ctx, "where p.id = any($1) order by p.sent_at desc", ids)
	return parcels, theirs, err
}

// What the table of packages shows, and how it is ordered: p is the package, $2 the
// moment and $3 when what ends soon ends.
var (
	openNow      = "p.sent_at is not null and p.stopped_at is null and p.cleared_at is null and p.ends_at > $2"
	tableFilters = map[Filter]string{
		AllOf:  "true",
		Open:   openNow,
		Soon:   openNow + " and p.ends_at <= $3",
		Drafts: "p.sent_at is null",
		Shut:   "p.sent_at is not null and p.cleared_at is null and (p.stopped_at is not null or p.ends_at <= $2)",
		Lacking: openNow + ` and exists (select from line l join standing s on s.line_id = l.id where l.parcel_id = p.id
			and l.removed_at is null and 'take' = any(l.rights) and s.whole < p.items)`,
		Cleared: "p.cleared_at is not null",
	}
	tableOrders = map[Order]struct{ key, direction string }{
		Newest: {"%[1]s.created_at", "desc"},
		Ends:   {"coalesce(least(%[1]s.ends_at, %[1]s.stopped_at), 'infinity')", ""},
		Titles: {"lower(%[1]s.title)", ""},
		Weight: {"%[1]s.weight", "desc"},
		Seen:   {"coalesce((select max(s.seen_at) from standing s where s.parcel_id = %[1]s.id), '-infinity')", "desc"},
	}
)

// ParcelTable is a page of the packages of a studio.
func (q Rows) ParcelTable(ctx context.Context, studio string, ask Query, now time.Time, limit int) ([]pack.Parcel, error) {
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
		where += fmt.Sprintf(
			" and (%s, p.id) %s ((select %s from parcel a where a.id = $5 and a.studio_id = $1), $5)",
			key("p"),
			than,
			after,
		)
	}
	for _, word := range ask.Words {
		args = append(args, "%"+likeless.Replace(word)+"%")
		where += fmt.Sprintf(` and (p.title ilike $%[1]d or exists (select from line l join card c on c.id = l.card_id
			where l.parcel_id = p.id and l.removed_at is null and (c.name ilike $%[1]d or c.email ilike $%[1]d)))`, len(args))
	}
	return pack.Rows{DB: q.DB}.Parcels(ctx, where+fmt.Sprintf(" order by %s %s, p.id %[2]s limit $4", key("p"), order.direction), args...)
}

// likeless takes from words what LIKE would read as more than itself.
var likeless = strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`)

func timeOrNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
