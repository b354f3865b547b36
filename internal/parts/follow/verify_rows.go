package follow

import (
	"context"

	"aftergust/core/record/event"
	"aftergust/core/record/ledger"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// VerifyRows are what is counted anew and compared with what was kept.
type VerifyRows struct{ *db.DB }

func (q VerifyRows) SetStanding(ctx context.Context, line string, s ledger.Standing) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update standing set delivered = $2, whole = $3, gaps = $4, behind = $5, completed_at = $6, opened_at = $7, seen_at = $8
		    where line_id = $1`,
		line, s.Delivered, s.Whole, s.Gaps, s.Behind, timeOrNil(s.LastCompleted), timeOrNil(s.FirstOpened), timeOrNil(s.LastSeen))
	return err
}

// Snapshot runs do with one unchanging view of the database, or, to mend, in a
// transaction that nobody else changes packages beside.
func (q VerifyRows) Snapshot(ctx context.Context, mend bool, do func(ctx context.Context) error) error {
	options := pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}
	if mend {
		options = pgx.TxOptions{}
	}
	return q.Begin(ctx, options, func(ctx context.Context) error {
		if mend {
			// Whoever changes what packages give, or what somebody got, waits until it is mended.
			if _, err := q.Conn(ctx).Exec(ctx, "lock table standing, studio in share row exclusive mode"); err != nil {
				return err
			}
		}
		return do(ctx)
	})
}

func (q VerifyRows) Parcels(ctx context.Context, after string, limit int) ([]pack.Parcel, error) {
	return pack.Rows{DB: q.DB}.Parcels(ctx, "where p.id > $1 order by p.id limit $2", after, limit)
}

// Weights are the items of a package by id, with the bytes that they were
// counted with and those that lie in no project.
func (q VerifyRows) Weights(ctx context.Context, parcel string) (items int, weight, loose int64, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select count(*), coalesce(sum(b.size), 0)::bigint, coalesce(sum(b.size) filter (where i.place_id is null), 0)::bigint
		from parcel_item pi `+tally.Given+`where pi.parcel_id = $1 and pi.withdrawn_at is null`, parcel).Scan(&items, &weight, &loose)
	return items, weight, loose, err
}

func (q VerifyRows) Acts(ctx context.Context, parcel string) ([]Act, error) {
	var kinds []string
	for _, k := range event.All.Names() {
		if event.All.Get(k).Present {
			kinds = append(kinds, string(k))
		}
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select line_id, coalesce(version_id, '') as version_id, kind, min(at) as first, max(at) as last
		from event where parcel_id = $1 and line_id is not null and kind = any($2) group by line_id, version_id, kind`, parcel, kinds)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Act])
}

// Studios are what each studio was counted to hold and what its blobs and
// uploads come to.
func (q VerifyRows) Studios(ctx context.Context) ([]Held, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select s.id as studio, (s.held_bytes + w.held)::bigint as held, (s.arriving_bytes + w.arriving)::bigint as arriving,
		       (select coalesce(sum(size), 0) from blob where studio_id = s.id and deleted_at is null)::bigint as held_sum,
		       (select coalesce(sum(size), 0) from upload where studio_id = s.id and state = 'arriving')::bigint as uploads
		from studio s, lateral (select coalesce(sum(held), 0) as held, coalesce(sum(arriving), 0) as arriving from weighed
		    where studio_id = s.id) w order by s.id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Held])
}

func (q VerifyRows) SetTotals(ctx context.Context, parcel string, items int, weight, loose int64) error {
	if _, err := q.Conn(ctx).Exec(ctx, `
		update parcel_item pi set counted = pi.withdrawn_at is null, weight = case when pi.withdrawn_at is null then b.size else 0 end,
		    loose = i.place_id is null
		from item i, version v, blob b
		where pi.parcel_id = $1 and i.id = pi.item_id and v.id = coalesce(pi.pinned_version_id, i.current_version_id) and b.id = v.blob_id`,
		parcel); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update parcel set items = $2, weight = $3, loose = $4 where id = $1", parcel, items, weight, loose)
	return err
}

func (q VerifyRows) SetHeld(ctx context.Context, studioID string, held, arriving int64) error {
	if _, err := q.Conn(ctx).Exec(ctx, "delete from weighed where studio_id = $1", studioID); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update studio set held_bytes = $2, arriving_bytes = $3 where id = $1", studioID, held, arriving)
	return err
}

// counted is what each row of coverage of a package ($1) should have been counted
// with, and was.
const counted = `
	with got as (
		select c.line_id, c.version_id, c.delivered, c.gaps, c.role, c.completed_at, v.item_id, v.number,
		       (select coalesce(sum(upper(r) - lower(r)), 0) from unnest(c.bytes) r)::bigint as delivered_now,
		       case when isempty(c.bytes) then 0 else (select count(*) from unnest(int8multirange(int8range(0,
		    b.size)) - c.bytes) r) end::int as gaps_now,
		       pi.id is not null and pi.withdrawn_at is null as given, v.id = now.id as current, now.number as now_number
		from coverage c join version v on v.id = c.version_id join blob b on b.id = v.blob_id join item i on i.id = v.item_id
		left join parcel_item pi on pi.parcel_id = c.parcel_id and pi.item_id = v.item_id
		left join version now on now.id = coalesce(pi.pinned_version_id, i.current_version_id)
		where c.parcel_id = $1
	), ` + tally.PartPlayed + `, wrong as (
		select * from wanted where (delivered, gaps, role) is distinct from (delivered_now, gaps_now, role_now)
	)`

// Miscounted is how many receipts of a package were counted with something
// other than they come to; with mend set that is put right.
func (q VerifyRows) Miscounted(ctx context.Context, parcel string, mend bool) (n int, err error) {
	if !mend {
		err = q.Conn(ctx).QueryRow(ctx, counted+" select count(*) from wrong", parcel).Scan(&n)
		return n, err
	}
	tag, err := q.Conn(ctx).Exec(ctx, counted+`
		update coverage c set delivered = delivered_now, gaps = gaps_now, role = role_now from wrong w where c.line_id = w.line_id
		    and c.version_id = w.version_id`, parcel)
	return int(tag.RowsAffected()), err
}

// Contradicted is how many receipts of a package say something other than its events: that a
// version arrived whole, of which no event tells, or that it did not, although one does. Both
// are written in one transaction, and events are chained, so that the events are right.
func (q VerifyRows) Contradicted(ctx context.Context, parcel string, mend bool) (claimed, denied int, err error) {
	const told = `with told as (
			select line_id, version_id, min(at) as at from event
			where parcel_id = $1 and kind = 'took' and line_id is not null and version_id is not null group by line_id, version_id
		), claimed as (
			select c.line_id, c.version_id from coverage c left join told t using (line_id, version_id)
			where c.parcel_id = $1 and c.completed_at is not null and t.at is null
		), denied as (
			select t.line_id, t.version_id, t.at, b.size, case when b.size > 0 then int8multirange(int8range(0, b.size)) else '{}' end as bytes
			from told t join version v on v.id = t.version_id join blob b on b.id = v.blob_id
			left join coverage c on c.line_id = t.line_id and c.version_id = t.version_id
			where c.completed_at is null or b.size > 0 and not c.bytes @> int8range(0, b.size)
		) `
	err = q.Conn(ctx).QueryRow(ctx, told+"select (select count(*) from claimed), (select count(*) from denied)", parcel).Scan(&claimed, &denied)
	if err != nil || !mend || claimed+denied == 0 {
		return claimed, denied, err
	}
	_, err = q.Conn(ctx).Exec(ctx, told+`, withdrawn as (
			update coverage c set bytes = '{}', delivered = 0, gaps = 0, completed_at = null from claimed k
			where c.line_id = k.line_id and c.version_id = k.version_id
		)
		insert into coverage (line_id, version_id, parcel_id, role, bytes, delivered, gaps, completed_at)
		select line_id, version_id, $1, 0, bytes, size, 0, at from denied
		on conflict (line_id, version_id) do update
		set bytes = excluded.bytes, delivered = excluded.delivered, gaps = 0, completed_at = excluded.completed_at`, parcel)
	return claimed, denied, err
}

// Unstood are lines of a package that have no standing; with mend set they get an empty one.
func (q VerifyRows) Unstood(ctx context.Context, parcel string, mend bool) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select l.id from line l where l.parcel_id = $1 and not exists (select from standing s where s.line_id = l.id) order by l.id`, parcel)
	if err != nil {
		return nil, err
	}
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err == nil && mend && len(lines) > 0 {
		_, err = q.Conn(ctx).Exec(ctx, "insert into standing (line_id, parcel_id) select *, $2 from unnest($1::text[])", lines, parcel)
	}
	return lines, err
}
