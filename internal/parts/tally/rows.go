// Package tally keeps in step what is counted where it changes: what packages weigh, and what
// the lines of their waybills have of them (docs/decisions/standings-are-kept.md).
package tally

import (
	"context"
	"fmt"

	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"

	"github.com/jackc/pgx/v5"
)

// GivenAs is the name under which a package gives an item i in a version v.
const GivenAs = "case when i.kind = 'file' and v.id = i.current_version_id then i.name else v.file_name end"

// Given joins an item of a package, pi, with the version that it gives now.
const Given = `join item i on i.id = pi.item_id
	join version v on v.id = coalesce(pi.pinned_version_id, i.current_version_id)
	join blob b on b.id = v.blob_id `

// Enter makes rows of coverage for those that have none, with the role that they
// play now: $1 lines, $2 versions, $3 packages.
const Enter = `
	insert into coverage (line_id, version_id, parcel_id, role)
	select n.line, n.version, n.parcel, case when pi.id is not null and pi.withdrawn_at is null and v.id = coalesce(pi.pinned_version_id,
	    i.current_version_id) then 1 else 0 end
	from unnest($1::text[], $2::text[], $3::text[]) n (line, version, parcel)
	join version v on v.id = n.version join item i on i.id = v.item_id
	left join parcel_item pi on pi.parcel_id = n.parcel and pi.item_id = v.item_id
	order by n.line, n.version -- in one order for all, so that nobody waits in a circle
	on conflict (line_id, version_id) do nothing`

// What the Sentence knows from before, what goes by itself, and what the end of a
// package waits for.

// LookedAt is how many items of a package are looked at for what is said of them all.
const LookedAt = 2000

// FirstItems are the first $2 items of package $1.
const FirstItems = `select id from parcel_item where parcel_id = $1 and withdrawn_at is null order by position, id limit $2`

// Rows keep what packages weigh and what lines have of them.
type Rows struct{ *db.DB }

// What packages weigh and what lines have is kept where it changes. Three
// statements do that, always in this order, so that nobody waits for somebody who
// waits for them: touch locks the packages, settle follows a change of what they
// give, and AddCoverage (coverage.go) a change of what somebody got.

// Touch makes packages wait for their turn, and their plans stale.
func (q Rows) Touch(ctx context.Context, parcels []string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update parcel set contents_rev = contents_rev + 1 from (select id from parcel where id = any($1) order by id for no key update) mine
		    where parcel.id = mine.id`, parcels)
	return err
}

// Settle brings the weight of packages and the standing of their lines in step
// with what they give of some items now.
func (q Rows) Settle(ctx context.Context, parcels, items []string) error {
	if _, err := q.Conn(ctx).Exec(ctx, `
		with now as (
			select pi.id, pi.parcel_id, pi.counted, pi.weight, pi.loose, pi.withdrawn_at is null as counts,
			       case when pi.withdrawn_at is null then b.size else 0 end as weighs, i.place_id is null as alone
			from parcel_item pi `+Given+`
			where pi.parcel_id = any($1) and pi.item_id = any($2)
		), changed as (
			update parcel_item pi set counted = counts, weight = weighs, loose = alone from now
			where now.id = pi.id and (pi.counted, pi.weight, pi.loose) is distinct from (counts, weighs, alone)
		), by as (
			select parcel_id, sum(counts::int - counted::int) as items, sum(weighs - weight) as weight,
			       sum(case when alone then weighs else 0 end - case when loose then weight else 0 end) as loose
			from now group by parcel_id
		)
		update parcel p set items = p.items + by.items, weight = p.weight + by.weight, loose = p.loose + by.loose from by
		where p.id = by.parcel_id and (by.items <> 0 or by.weight <> 0 or by.loose <> 0)`, parcels, items); err != nil {
		return fmt.Errorf("weigh packages: %w", err)
	}
	return q.Roles(ctx, parcels, items, nil)
}

// Roles says anew which of the receipts for some items count for the standing of
// their lines: of all lines, or of some.
func (q Rows) Roles(ctx context.Context, parcels, items, lines []string) error {
	rows, err := q.Conn(ctx).Query(ctx, `
		with got as (
			select c.line_id, c.version_id, v.item_id, v.number, c.completed_at, c.delivered, c.gaps, c.role,
			       pi.id is not null and pi.withdrawn_at is null as given, v.id = now.id as current, now.number as now_number
			from version v join coverage c on c.version_id = v.id and c.parcel_id = any($1)
			join item i on i.id = v.item_id
			left join parcel_item pi on pi.parcel_id = c.parcel_id and pi.item_id = v.item_id
			left join version now on now.id = coalesce(pi.pinned_version_id, i.current_version_id)
			where v.item_id = any($2) and ($3::text[] is null or c.line_id = any($3))
		), `+PartPlayed+`, changed as (
			update coverage c set role = w.role_now from wanted w where w.role_now <> w.role and c.line_id = w.line_id
			    and c.version_id = w.version_id
		), by as (
			select line_id, sum(case when role_now = 1 then delivered else 0 end - case when role = 1 then delivered else 0 end) as delivered,
			       sum(case when role_now = 1 then gaps else 0 end - case when role = 1 then gaps else 0 end) as gaps,
			       sum(case when role_now = 1 and completed_at is not null then 1 else 0 end - case when role = 1 and completed_at is not null
			    then 1 else 0 end) as whole,
			       sum(case when role_now = 2 then 1 else 0 end - case when role = 2 then 1 else 0 end) as behind
			from wanted where role_now <> role group by line_id order by line_id
		)
		update standing s set delivered = s.delivered + by.delivered, gaps = s.gaps + by.gaps, whole = s.whole + by.whole,
		    behind = s.behind + by.behind from by
		where s.line_id = by.line_id returning s.line_id`, parcels, items, lines)
	if err != nil {
		return fmt.Errorf("settle standings: %w", err)
	}
	changed, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(changed) == 0 {
		return err
	}
	// When the last item became whole is a maximum, which no difference tells.
	_, err = q.Conn(ctx).Exec(ctx, `
		update standing s set completed_at = (select max(c.completed_at) from coverage c where c.line_id = s.line_id and c.role = 1)
		    where s.line_id = any($1)`, changed)
	return err
}

// PartPlayed says of each row of got which part it plays: the current version, the
// newest older one of whoever is behind, or none. What is kept and what verify
// counts anew follow this one rule; the ledger in core is the other witness.
const PartPlayed = `best as (
		select *, bool_or(current and completed_at is not null) over w as have,
		       max(number) filter (where completed_at is not null and number < now_number) over w as newest
		from got window w as (partition by line_id, item_id)
	), wanted as (
		select *, case when not given then 0 when current then 1 when not have and number = newest and completed_at is not null then 2
		    else 0 end as role_now from best
	)`

func (q Rows) Missing(ctx context.Context, line string, named int) (m letters.Missing, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select greatest(p.items - s.whole, 0), greatest(p.weight - s.delivered, 0), coalesce(r.rate, 0)
		from line l join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id left join person r on r.id = l.person_id
		where l.id = $1`, line).Scan(&m.Items, &m.Bytes, &m.Rate)
	if err != nil || m.Items == 0 {
		return m, err
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select i.name from line l join parcel_item pi on pi.parcel_id = l.parcel_id `+Given+`
		where l.id = $1 and pi.withdrawn_at is null
		    and not exists (select from coverage c where c.line_id = l.id and c.version_id = v.id and c.completed_at is not null)
		order by pi.position, pi.id limit $2`, line, named)
	if err != nil {
		return m, err
	}
	m.Names, err = pgx.CollectRows(rows, pgx.RowTo[string])
	return m, err
}
