package postgres

import (
	"context"
	"fmt"
	"time"

	"aftergust/core/coverage"
	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

func (q *queries) InsertEvent(ctx context.Context, e studio.Event) error {
	_, err := q.db.Exec(ctx, `
		insert into event (studio_id, parcel_id, recipient_id, member_id, version_id, kind) values ($1, $2, $3, $4, $5, $6)`,
		e.StudioID, e.ParcelID, optional(e.RecipientID), optional(e.MemberID), optional(e.VersionID), e.Kind)
	return err
}

func (q *queries) Events(ctx context.Context, parcel string, before int64, limit int) ([]studio.Event, error) {
	rows, err := q.db.Query(ctx, `
		select id, studio_id, parcel_id, coalesce(recipient_id, '') as recipient_id, coalesce(member_id, '') as member_id,
		       coalesce(version_id, '') as version_id, kind, at
		from event where parcel_id = $1 and ($2 = 0 or id < $2) order by id desc limit $3`, parcel, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Event])
}

func (q *queries) Tallies(ctx context.Context, parcels []string) (map[string][]studio.Tally, error) {
	rows, err := q.db.Query(ctx, `
		select parcel_id, recipient_id, coalesce(version_id, ''), kind, min(at), max(at)
		from event where parcel_id = any($1) and recipient_id is not null and kind in ('opened', 'looked', 'took', 'noted')
		group by parcel_id, recipient_id, version_id, kind`, parcels)
	if err != nil {
		return nil, err
	}
	out := map[string][]studio.Tally{}
	var parcel string
	var t studio.Tally
	_, err = pgx.ForEachRow(rows, []any{&parcel, &t.RecipientID, &t.VersionID, &t.Kind, &t.First, &t.Last}, func() error {
		out[parcel] = append(out[parcel], t)
		return nil
	})
	return out, err
}

const selectCover = `select parcel_id, recipient_id, version_id, bytes::text, played::text, completed_at from coverage `

func (q *queries) covers(ctx context.Context, where string, arg any, each func(parcel string, c studio.Cover)) error {
	rows, err := q.db.Query(ctx, selectCover+where, arg)
	if err != nil {
		return err
	}
	var parcel, bytes, played string
	var c studio.Cover
	_, err = pgx.ForEachRow(rows, []any{&parcel, &c.RecipientID, &c.VersionID, &bytes, &played, &c.CompletedAt}, func() error {
		var err error
		if c.Bytes, err = coverage.Parse(bytes); err != nil {
			return err
		}
		if c.Played, err = coverage.Parse(played); err != nil {
			return err
		}
		each(parcel, c)
		return nil
	})
	return err
}

func (q *queries) Covers(ctx context.Context, parcels []string) (map[string][]studio.Cover, error) {
	out := map[string][]studio.Cover{}
	err := q.covers(ctx, "where parcel_id = any($1)", parcels, func(parcel string, c studio.Cover) { out[parcel] = append(out[parcel], c) })
	return out, err
}

func (q *queries) CoversOf(ctx context.Context, recipient string) (map[string]studio.Cover, error) {
	out := map[string]studio.Cover{}
	err := q.covers(ctx, "where recipient_id = $1", recipient, func(_ string, c studio.Cover) { out[c.VersionID] = c })
	return out, err
}

// AddCoverage adds a batch of receipts in one statement and returns those whose
// last byte it brought.
func (q *queries) AddCoverage(ctx context.Context, batch []studio.Receipts, now time.Time) ([]studio.Delivery, error) {
	n := len(batch)
	recipients, versions, parcels, bytes, played := make([]string, n), make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	sizes, whole := make([]int64, n), make([]bool, n)
	type key struct{ recipient, version string }
	byKey := make(map[key]studio.Delivery, n)
	for i, r := range batch {
		recipients[i], versions[i], parcels[i] = r.Recipient, r.Version, r.Parcel
		bytes[i], played[i], sizes[i], whole[i] = r.Bytes.String(), r.Played.String(), r.Size, r.Whole
		byKey[key{r.Recipient, r.Version}] = r.Delivery
	}
	rows, err := q.db.Query(ctx, `
		with added as (
			insert into coverage as c (recipient_id, version_id, parcel_id, bytes, played, updated_at)
			select recipient, version, parcel, bytes::int8multirange, played::int8multirange, $8
			from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[]) as new (recipient, version, parcel, bytes, played)
			on conflict (recipient_id, version_id) do update
			set bytes = c.bytes + excluded.bytes, played = c.played + excluded.played, updated_at = excluded.updated_at
			returning recipient_id, version_id, bytes, completed_at)
		select added.recipient_id, added.version_id
		from added join unnest($1::text[], $2::text[], $6::bigint[], $7::bool[]) as new (recipient, version, size, whole)
		on new.recipient = added.recipient_id and new.version = added.version_id
		where added.completed_at is null and (new.whole and new.size = 0 or new.size > 0 and added.bytes @> int8range(0, new.size))`,
		recipients, versions, parcels, bytes, played, sizes, whole, now)
	if err != nil {
		return nil, fmt.Errorf("add coverage: %w", err)
	}
	var completed []studio.Delivery
	var k key
	if _, err := pgx.ForEachRow(rows, []any{&k.recipient, &k.version}, func() error {
		completed = append(completed, byKey[k])
		return nil
	}); err != nil {
		return nil, fmt.Errorf("add coverage: %w", err)
	}
	for _, d := range completed {
		if _, err := q.db.Exec(ctx, "update coverage set completed_at = $3 where recipient_id = $1 and version_id = $2", d.Recipient, d.Version, now); err != nil {
			return nil, fmt.Errorf("complete coverage: %w", err)
		}
	}
	return completed, nil
}

func (q *queries) counts(ctx context.Context, sql string, parcels []string) (map[string]int, error) {
	rows, err := q.db.Query(ctx, sql, parcels)
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

func (q *queries) OpenNoteCounts(ctx context.Context, parcels []string) (map[string]int, error) {
	return q.counts(ctx, `
		select parcel_id, count(*) from note where parcel_id = any($1) and parent_id is null and done_at is null and removed_at is null
		group by parcel_id`, parcels)
}

func (q *queries) WaitingLetters(ctx context.Context, parcels []string) (map[string]int, error) {
	return q.counts(ctx, "select parcel_id, count(*) from letter where parcel_id = any($1) and state = 'waiting' and tries > 0 group by parcel_id", parcels)
}

func (q *queries) NeedsYou(ctx context.Context, studioID string, since time.Time) ([]studio.Need, error) {
	rows, err := q.db.Query(ctx, `
		select 'notes' as kind, p.id as parcel_id, p.title, '' as recipient, count(*)::int as count, max(n.created_at) as at
		from note n join parcel p on p.id = n.parcel_id
		where p.studio_id = $1 and p.discarded_at is null and n.parent_id is null and n.done_at is null and n.removed_at is null and n.recipient_id is not null
		group by p.id
		union all
		select case e.kind when 'asked' then 'asked' else 'blocked' end, p.id, p.title, r.name, count(*)::int, max(e.at)
		from event e join parcel p on p.id = e.parcel_id join recipient r on r.id = e.recipient_id
		where e.studio_id = $1 and e.kind in ('asked', 'door_blocked') and e.at > $2
		and not exists (select from event later where later.parcel_id = e.parcel_id and later.kind in ('extended', 'rights_changed') and later.at > e.at)
		group by 1, p.id, r.id
		union all
		select 'letters', p.id, p.title, '', count(*)::int, max(l.created_at)
		from letter l join parcel p on p.id = l.parcel_id
		where l.studio_id = $1 and l.state = 'waiting' and l.tries > 0
		group by p.id
		order by at desc limit 50`, studioID, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Need])
}
