package happen

import (
	"context"
	"fmt"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// Rows are events.
type Rows struct{ *db.DB }

// InsertEvents writes down what happens, with the facts as they are at this
// moment, and what follows from it for standings: signs of life and looks.
func (q Rows) InsertEvents(ctx context.Context, all []Happening) ([]notices.Happened, error) {
	n := len(all)
	kinds, parcels, lines, members := make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	versions, ways, places := make([]string, n), make([]string, n), make([]string, n)
	opens, present, counts := make([]bool, n), make([]bool, n), make([]int, n)
	var lookLines, lookVersions, lookParcels []string
	for i, h := range all {
		d := event.All.Get(h.Kind)
		kinds[i], parcels[i], lines[i], members[i] = string(h.Kind), h.ParcelID, h.LineID, h.MemberID
		versions[i], ways[i], places[i] = h.Version, h.WayIn, h.Place
		opens[i], present[i], counts[i] = d.Opens, d.Present, h.Count
		if d.Looks && h.LineID != "" && h.Version != "" {
			lookLines, lookVersions, lookParcels = append(lookLines, h.LineID), append(lookVersions, h.Version), append(lookParcels, h.ParcelID)
		}
	}
	// Coverage before standings, as receipts take them, so that nobody waits in a circle.
	if len(lookLines) > 0 {
		if _, err := q.Conn(ctx).Exec(ctx, tally.Enter, lookLines, lookVersions, lookParcels); err != nil {
			return nil, fmt.Errorf("write down a look: %w", err)
		}
		if _, err := q.Conn(ctx).Exec(ctx, `
			update coverage c set looked_at = clock_timestamp() from unnest($1::text[], $2::text[]) n (line, version)
			where c.line_id = n.line and c.version_id = n.version`, lookLines, lookVersions); err != nil {
			return nil, fmt.Errorf("write down a look: %w", err)
		}
	}
	rows, err := q.Conn(ctx).Query(ctx, insertEvents, kinds, parcels, lines, members, versions, ways, places, opens, present, counts)
	if err != nil {
		return nil, fmt.Errorf("write down what happened: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[notices.Happened])
}

const insertEvents = `
	with new as (
		select n.*, nullif(n.line, '') as line_id, nullif(n.member, '') as member_id, nullif(n.version, '') as version_id, nullif(n.way,
		    '') as way_id
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::bool[], $9::bool[],
		    $10::int[]) with ordinality n (kind, parcel, line, member, version, way, place, opens, present, counted, n)
	), written as (
		insert into event (studio_id, parcel_id, line_id, member_id, version_id, way_in_id, line_card, by_card, kind, facts)
		select p.studio_id, p.id, new.line_id, new.member_id, new.version_id, new.way_id, l.card_id, m.card_id, new.kind,
		       jsonb_strip_nulls(jsonb_build_object('title', p.title, 'door', p.door, 'ends', p.ends_at, 'zone', p.end_rule ->> 'zone',
		           'rights', to_jsonb(l.rights), 'way', w.kind, 'name', ` + tally.GivenAs + `, 'number', v.number, 'size', b.size,
		           'sha256', encode(b.sha256, 'hex'), 'at', nullif(new.place, ''), 'count', nullif(new.counted, 0)))
		from new join parcel p on p.id = new.parcel
		left join line l on l.id = new.line_id left join member m on m.id = new.member_id left join way_in w on w.id = new.way_id
		left join version v on v.id = new.version_id left join item i on i.id = v.item_id left join blob b on b.id = v.blob_id
		order by new.n returning id, at, kind, studio_id, parcel_id, line_id
	), queued as (
		insert into unlinked (event_id, parcel_id, at) select id, parcel_id, at from written
	), signed as (
	update standing s set seen_at = greatest(s.seen_at, by.at), opened_at = case when by.opens then coalesce(s.opened_at, by.at)
	    else s.opened_at end
	from (select line_id, at, opens
	      from (select line_id, bool_or(opens) as opens from new where present and line_id is not null group by line_id) signs
	      join (select line_id, max(at) as at from written group by line_id) moments using (line_id) order by line_id) by
	where s.line_id = by.line_id)
	select w.id, w.at, w.kind, w.studio_id, w.parcel_id, coalesce(w.line_id, ''),
	       coalesce(s.opened_at is null and s.line_id is not null, false)
	from written w left join standing s on s.line_id = w.line_id order by w.id`

func (q Rows) Readers(ctx context.Context, parcel, line string) ([]letters.Reader, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select l.id, c.name, c.email, l.rights from line l join card c on c.id = l.card_id
		where l.parcel_id = $1 and ($2 = '' or l.id = $2) and l.removed_at is null and l.person_id is not null
		    and exists (select from way_in w where w.line_id = l.id and w.kind <> 'pickup')
		order by l.created_at, l.id`, parcel, line)
	if err != nil {
		return nil, err
	}
	var out []letters.Reader
	var reader letters.Reader
	var rights right.Rights
	_, err = pgx.ForEachRow(rows, []any{&reader.LineID, &reader.Name, &reader.Email, &rights}, func() error {
		if access.LetsIn(rights) {
			out = append(out, reader)
		}
		return nil
	})
	return out, err
}

func (q Rows) Producer(ctx context.Context, parcel string) (letters.Reader, error) {
	var r letters.Reader
	err := q.Conn(ctx).QueryRow(ctx, "select m.name, m.email from parcel p join member m on m.id = p.created_by where p.id = $1",
		parcel).Scan(&r.Name, &r.Email)
	return r, err
}
