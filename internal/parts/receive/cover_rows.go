package receive

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// CoverRows are which bytes of what somebody got.
type CoverRows struct{ *db.DB }

const selectCover = `select line_id, version_id, bytes::text, played::text, completed_at, looked_at, proxied, kept_at from coverage `

func (q CoverRows) covers(ctx context.Context, where string, args ...any) ([]Cover, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectCover+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (c Cover, err error) {
		var bytes, played string
		if err = row.Scan(&c.LineID, &c.VersionID, &bytes, &played, &c.CompletedAt, &c.LookedAt, &c.Proxied, &c.KeptAt); err != nil {
			return c, err
		}
		if c.Bytes, err = coverage.Parse(bytes); err != nil {
			return c, err
		}
		c.Played, err = coverage.Parse(played)
		return c, err
	})
}

// Covers are what all lines of a package got of some versions.
func (q CoverRows) Covers(ctx context.Context, parcel string, versions []string) ([]Cover, error) {
	return q.covers(ctx, "where parcel_id = $1 and version_id = any($2)", parcel, versions)
}

func (q CoverRows) CoversOf(ctx context.Context, line string, versions []string) (map[string]Cover, error) {
	all, err := q.covers(ctx, "where line_id = $1 and version_id = any($2)", line, versions)
	out := make(map[string]Cover, len(all))
	for _, c := range all {
		out[c.VersionID] = c
	}
	return out, err
}

// A columns is a batch of receipts as arrays, one for each column.
type columns struct {
	lines, versions, parcels, bytes, played []string
	sizes                                   []int64
	whole, proxied                          []bool
}

func columnsOf(batch []Receipts) (c columns) {
	for _, r := range batch {
		c.lines, c.versions, c.parcels = append(c.lines, r.Line), append(c.versions, r.Version), append(c.parcels, r.Parcel)
		c.bytes, c.played = append(c.bytes, r.Bytes.String()), append(c.played, r.Played.String())
		c.sizes, c.whole, c.proxied = append(c.sizes, r.Size), append(c.whole, r.Whole), append(c.proxied, r.Proxied && !r.Bytes.Empty())
	}
	return c
}

// AddCoverage adds a batch of receipts in a few statements, brings the standings
// of their lines in step, and returns those whose last byte it brought.
func (q CoverRows) AddCoverage(ctx context.Context, batch []Receipts, now time.Time) ([]Delivery, error) {
	c := columnsOf(batch)
	type key struct{ line, version string }
	byKey := make(map[key]Delivery, len(batch))
	for _, r := range batch {
		byKey[key{r.Line, r.Version}] = r.Delivery
	}
	// What the packages give must not change meanwhile, and rows are locked in one
	// order, before the statement that reads what they were begins.
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{"select id from parcel where id = any($1) order by id for share", []any{c.parcels}},
		{tally.Enter, []any{c.lines, c.versions, c.parcels}},
		{`select from coverage where (line_id, version_id) in (select * from unnest($1::text[], $2::text[])) order by line_id,
			version_id for update`, []any{c.lines, c.versions}},
	} {
		if _, err := q.Conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return nil, fmt.Errorf("add coverage: %w", err)
		}
	}
	rows, err := q.Conn(ctx).Query(ctx, addCoverage, c.lines, c.versions, c.bytes, c.played, c.sizes, c.whole, now,
		TakeBeat, int64(smallTake), c.proxied)
	if err != nil {
		return nil, fmt.Errorf("add coverage: %w", err)
	}
	var completed []Delivery
	var k key
	var item string
	var parcels, items, lines []string
	if _, err := pgx.ForEachRow(rows, []any{&k.line, &k.version, &item}, func() error {
		d := byKey[k]
		completed = append(completed, d)
		parcels, items, lines = append(parcels, d.Parcel), append(items, item), append(lines, d.Line)
		return nil
	}); err != nil {
		return nil, fmt.Errorf("add coverage: %w", err)
	}
	if len(completed) == 0 {
		return nil, nil
	}
	return completed, tally.Rows{DB: q.DB}.Roles(ctx, parcels, items, lines) // whoever has the current version is not behind any more
}

// smallTake is up to how many bytes something is here and gone before anybody sees that it is taken.
const smallTake = 1_000_000

const addCoverage = `
	with had as (
		select c.line_id, c.version_id, c.delivered, c.gaps, c.parcel_id, c.role, c.completed_at, n.size, n.whole, n.proxied,
		       c.bytes + n.bytes::int8multirange as bytes, c.played + n.played::int8multirange as played
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::bigint[], $6::bool[], $10::bool[])
		    n (line, version, bytes, played, size, whole, proxied)
		join coverage c on c.line_id = n.line and c.version_id = n.version
	), has as (
		select *, (select coalesce(sum(upper(r) - lower(r)), 0) from unnest(bytes) r)::bigint as delivered_now,
		       case when isempty(bytes) then 0 else (select count(*) from unnest(int8multirange(int8range(0,
		    size)) - bytes) r) end::int as gaps_now,
		       completed_at is null and (whole and size = 0 or size > 0 and bytes @> int8range(0, size)) as done
		from had
	), kept as (
		update coverage c set bytes = has.bytes, played = has.played, delivered = delivered_now, gaps = gaps_now,
		       completed_at = case when done then $7 else c.completed_at end, updated_at = $7,
		       proxied = c.proxied or has.proxied
		from has where c.line_id = has.line_id and c.version_id = has.version_id
	), by as (
		select line_id, sum(delivered_now - delivered) as delivered, sum(gaps_now - gaps) as gaps, count(*) filter (where done) as whole
		from has where role = 1 group by line_id order by line_id
	), stood as (
		update standing s set delivered = s.delivered + by.delivered, gaps = s.gaps + by.gaps, whole = s.whole + by.whole,
		       completed_at = case when by.whole > 0 then greatest(s.completed_at, $7) else s.completed_at end
		from by where s.line_id = by.line_id and (by.delivered <> 0 or by.gaps <> 0 or by.whole <> 0)
	), here as ( -- who takes what, and how fast: two thirds of the rate before, one of the last second
		insert into present as p (line_id, version_id, takes, parcel_id, studio_id, doing, place, rate, at, until)
		select has.line_id, has.version_id, true, a.id, a.studio_id, 'takes', delivered_now, delivered_now - delivered, $7, $7::timestamptz + $8
		from has join parcel a on a.id = has.parcel_id where delivered_now > delivered and size > $9
		order by 1, 2
		on conflict (line_id, version_id, takes) do update set place = excluded.place, at = excluded.at, until = excluded.until,
		       rate = case when p.until < excluded.at then excluded.rate
		                   else (2 * p.rate + excluded.rate / greatest(extract(epoch from excluded.at - p.at), 0.1)) / 3 end
	)
	select has.line_id, has.version_id, v.item_id from has join version v on v.id = has.version_id where done`

// KeptInPart is what was acknowledged of a version that somebody's page found whole on their
// disk; ok is false where they have not, or where all of it was.
func (q CoverRows) KeptInPart(ctx context.Context, line, version string) (d Delivery, had coverage.Set, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select p.studio_id, c.parcel_id, b.size, c.bytes::text
		from coverage c join parcel p on p.id = c.parcel_id join version v on v.id = c.version_id join blob b on b.id = v.blob_id
		where c.line_id = $1 and c.version_id = $2 and c.kept_at is not null and c.completed_at is null`, line, version)
	if err != nil {
		return d, had, false, err
	}
	d.Line, d.Version = line, version
	var bytes string
	_, err = pgx.ForEachRow(rows, []any{&d.Studio, &d.Parcel, &d.Size, &bytes}, func() error {
		ok = true
		had, err = coverage.Parse(bytes)
		return err
	})
	return d, had, ok, err
}

// KeepWhole notes that somebody's page found a version whole on their disk. It may say so
// before the last receipt is written down.
func (q CoverRows) KeepWhole(ctx context.Context, parcel, line, version string, at time.Time) error {
	if _, err := q.Conn(ctx).Exec(ctx, tally.Enter, []string{line}, []string{version}, []string{parcel}); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update coverage set kept_at = coalesce(kept_at, $3) where line_id = $1 and version_id = $2", line, version, at)
	return err
}

// SetRates moves what is known of how fast people download, in bits a second, some way to a new measure.
func (q CoverRows) SetRates(ctx context.Context, rates map[string]int64) error {
	people := slices.Sorted(maps.Keys(rates)) // in one order, so that two processes seldom wait for each other
	measured := make([]int64, len(people))
	for i, id := range people {
		measured[i] = rates[id]
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		update person set rate = case when person.rate = 0 then m.rate else (3 * person.rate + m.rate) / 4 end
		from unnest($1::text[], $2::bigint[]) as m (id, rate) where person.id = m.id`, people, measured)
	return err
}
