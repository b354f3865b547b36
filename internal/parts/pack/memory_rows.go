package pack

import (
	"context"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/words/sentence"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// MemoryRows are what a studio did before, of which a draft reminds it.
type MemoryRows struct{ *db.DB }

// LetterheadOf is the letterhead that a package has as it is now; empty for none.
func (q MemoryRows) LetterheadOf(ctx context.Context, parcel string) (string, error) {
	l, _, err := letterheads.Rows{DB: q.DB}.LetterheadFor(ctx, parcel)
	return l.ID, err
}

// LetterheadIsOf reports whether a letterhead is one of a studio's.
func (q MemoryRows) LetterheadIsOf(ctx context.Context, studio, id string) (is bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from letterhead where id = $2 and studio_id = $1)", studio, id).Scan(&is)
	return is, err
}

// Sounds are the sounds of a package, at most so many.
func (q MemoryRows) Sounds(ctx context.Context, parcel string, limit int) ([]Content, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectContent+`
		where pi.id = any(array(`+tally.FirstItems+`)) and v.kind = 'sound' order by pi.position, pi.id limit $3`, parcel, tally.LookedAt, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Content])
}

// ClientOf is the client whose things are in a package; empty where there are several, or none.
func (q MemoryRows) ClientOf(ctx context.Context, parcel string) (name string, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		with of as (
			select distinct split_part(place.path, '/', 2) as id
			from parcel_item pi join item i on i.id = pi.item_id join place on place.id = i.place_id
			where pi.id = any(array(`+tally.FirstItems+`)))
		select coalesce((select c.name from of join place c on c.id = of.id where (select count(*) from of) = 1), '')`, parcel, tally.LookedAt).Scan(&name)
	return name, err
}

// KnownItems are the items of a package that each of some lines' people has to the
// last byte in the version that it gives now, from whatever package.
func (q MemoryRows) KnownItems(ctx context.Context, parcel string, lines []string) ([]string, error) {
	if len(lines) == 0 {
		return nil, nil
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select pi.id from parcel_item pi `+tally.Given+`
		where pi.id = any(array(`+tally.FirstItems+`)) and not exists (
			select from line l where l.id = any($3) and not exists (
				select from line o join coverage c on c.line_id = o.id and c.version_id = v.id and c.completed_at is not null
				where o.person_id = l.person_id))`, parcel, tally.LookedAt, lines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// Pasts is what is known of the people on a waybill, by line.
func (q MemoryRows) Pasts(ctx context.Context, parcel string) (map[string]sentence.Past, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select l.id, coalesce(last.title, ''), coalesce(last.rights, '{}'), coalesce(client.name, ''), r.bounced, r.rate
		from line l join person r on r.id = l.person_id left join place client on client.id = r.client_id
		left join lateral (
			select p.title, o.rights from line o join parcel p on p.id = o.parcel_id
			where o.person_id = l.person_id and o.parcel_id <> l.parcel_id and o.removed_at is null and p.sent_at is not null
			order by o.created_at desc limit 1) last on true
		where l.parcel_id = $1 and l.removed_at is null`, parcel)
	if err != nil {
		return nil, err
	}
	out := map[string]sentence.Past{}
	var line string
	var past sentence.Past
	_, err = pgx.ForEachRow(rows, []any{&line, &past.Title, &past.Rights, &past.Client, &past.Bounced, &past.Rate}, func() error {
		one := past
		one.Rights = append(right.Rights{}, past.Rights...)
		out[line] = one
		return nil
	})
	return out, err
}

// AddedSince is how many items came into a package after a moment, on the clock of
// the records, and when the last did.
func (q MemoryRows) AddedSince(ctx context.Context, parcel string, after time.Time) (n int, last time.Time, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select count(*), coalesce(max(added_at), now()) from parcel_item where parcel_id = $1 and withdrawn_at is null and added_at > $2`, parcel,
		after).Scan(&n, &last)
	return n, last, err
}

// PinItems keeps items of a package in the versions that they have now.
func (q MemoryRows) PinItems(ctx context.Context, parcel string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update parcel_item pi set pinned_version_id = i.current_version_id from item i
		where pi.parcel_id = $1 and i.id = pi.item_id and pi.pinned_version_id is null and pi.withdrawn_at is null`, parcel)
	return err
}

// LinkNames are names of one's own for links of a package, by line.
func (q MemoryRows) LinkNames(ctx context.Context, parcel string) (map[string]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select n.line_id, n.name from link_name n join line l on l.id = n.line_id where l.parcel_id = $1 and l.removed_at is null",
		parcel)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	var line, name string
	_, err = pgx.ForEachRow(rows, []any{&line, &name}, func() error { out[line] = name; return nil })
	return out, err
}

// SetName gives a line's link a name, or none; ok is false where another has it.
func (q MemoryRows) SetName(ctx context.Context, line, name string) (bool, error) {
	if _, err := q.Conn(ctx).Exec(ctx, "delete from link_name where line_id = $1", line); err != nil || name == "" {
		return true, err
	}
	done, err := q.Conn(ctx).Exec(ctx, "insert into link_name (name, line_id) values ($1, $2) on conflict (name) do nothing", name, line)
	return done.RowsAffected() == 1, err
}
