package review

import (
	"context"
	"time"

	"aftergust/core/notes/review"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

// RoomRows are what else a Room shows: stars, ticks, versions that were given.
type RoomRows struct{ *db.DB }

func (q RoomRows) LockPackage(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "select from parcel where id = $1 for no key update", id)
	return err
}

// Rate keeps how many stars somebody gives a version; 0 takes that back.
func (q RoomRows) Rate(ctx context.Context, parcel, version string, p Party, stars int, at time.Time) error {
	line, member := who(p)
	if stars == 0 {
		_, err := q.Conn(ctx).Exec(ctx, `
			delete from reaction where version_id = $1 and parcel_id = $2 and line_id is not distinct from $3 and member_id is not distinct from $4`,
			version, parcel, line, member)
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into reaction (id, parcel_id, version_id, stars, line_id, member_id, at) values (gen_random_uuid()::text, $1, $2, $3, $4, $5, $6)
		on conflict (note_id, version_id, parcel_id, line_id, member_id, sign) do update set stars = excluded.stars, at = excluded.at`,
		parcel, version, stars, line, member, at)
	return err
}

func (q RoomRows) Ratings(ctx context.Context, parcel, version string) ([]Rating, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select coalesce(r.line_id, r.member_id) as who, coalesce(c.name, m.name, '') as name, r.stars
		from reaction r left join line l on l.id = r.line_id left join card c on c.id = l.card_id left join member m on m.id = r.member_id
		where r.parcel_id = $1 and r.version_id = $2 order by r.at, r.id`, parcel, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Rating])
}

// wasGiven is true of a version v of an item that a package p gave by pi before it gave
// a newer one, and that is kept.
const wasGiven = `pi.pinned_version_id is null and exists (select from version n where n.item_id = v.item_id and n.number > v.number
	and n.created_at > greatest(p.sent_at, pi.added_at))`

// GivenVersions are the versions of an item of a package, the oldest first; all that
// are kept for the studio, those that the package gave for others.
func (q RoomRows) GivenVersions(ctx context.Context, content string, studio bool) ([]Given, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select v.id, v.number, v.label, v.created_at as at, v.id = coalesce(pi.pinned_version_id, i.current_version_id) as now
		from parcel_item pi join parcel p on p.id = pi.parcel_id join item i on i.id = pi.item_id join version v on v.item_id = i.id
		where pi.id = $1 and v.deleted_at is null
		    and ($2 or v.id = coalesce(pi.pinned_version_id, i.current_version_id) or `+wasGiven+`)
		order by v.number`, content, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Given])
}

var selectContentAt = `
	select pi.id, pi.parcel_id, pi.item_id, pi.folder, pi.position, pi.withdrawn_at, pi.heading, i.name as title, '' as lead,
	       '{}'::text[] as older, ` + gather.PieceOf("v.file_name") + `
	from parcel_item pi join parcel p on p.id = pi.parcel_id join item i on i.id = pi.item_id join version v on v.item_id = i.id
	join blob b on b.id = v.blob_id ` + gather.MadeOf

// ContentAt is an item of a package in another version than it gives now: for the
// studio any that is kept, for others one that the package gave before.
func (q RoomRows) ContentAt(ctx context.Context, content, version string, studio bool) (pack.Content, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectContentAt+`
		where pi.id = $1 and v.id = $2 and v.deleted_at is null and b.deleted_at is null and ($3 or `+wasGiven+`)`, content, version, studio)
	return db.One(rows, err, pgx.RowToStructByName[pack.Content])
}

// PiecesOf are all versions that an item of a package ever had, by number.
func (q RoomRows) PiecesOf(ctx context.Context, content string) ([]Piece, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select v.id, v.number, v.facts from parcel_item pi join version v on v.item_id = pi.item_id where pi.id = $1 order by v.number`, content)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Piece])
}

// LaidByHand is where somebody laid notes of a package on a version, by their ids.
func (q RoomRows) LaidByHand(ctx context.Context, parcel, version string) (map[string]review.Anchor, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select p.note_id, p.anchor from note_place p join note n on n.id = p.note_id where p.version_id = $2 and n.parcel_id = $1`, parcel, version)
	if err != nil {
		return nil, err
	}
	out := map[string]review.Anchor{}
	var id string
	var anchor review.Anchor
	_, err = pgx.ForEachRow(rows, []any{&id, &anchor}, func() error {
		out[id] = anchor
		anchor = review.Anchor{}
		return nil
	})
	return out, err
}

func (q RoomRows) LayNotes(ctx context.Context, version string, p Party, at time.Time, all map[string]review.Carried) error {
	line, member := who(p)
	ids, anchors, places := make([]string, 0, len(all)), make([]review.Anchor, 0, len(all)), make([]review.Place, 0, len(all))
	for id, c := range all {
		ids, anchors, places = append(ids, id), append(anchors, c.Anchor), append(places, c.Place)
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into note_place (note_id, version_id, anchor, place, line_id, member_id, at)
		select n.id, $1, n.anchor, n.place, $5, $6, $7 from unnest($2::text[], $3::jsonb[], $4::jsonb[]) n (id, anchor, place)
		on conflict (note_id, version_id) do update set anchor = excluded.anchor, place = excluded.place, line_id = excluded.line_id,
		    member_id = excluded.member_id, at = excluded.at`, version, ids, anchors, places, line, member, at)
	return err
}

// TakePart are those on the waybill who can come, and the members of the studio.
func (q RoomRows) TakePart(ctx context.Context, parcel string) ([]Person, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select m.id, m.name, true as studio from parcel p join member m on m.studio_id = p.studio_id where p.id = $1 and m.removed_at is null
		union all (
		select l.id, c.name, false from line l join card c on c.id = l.card_id
		where l.parcel_id = $1 and l.removed_at is null and c.name <> '' order by c.name, l.id limit 200)`, parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Person])
}

// SetTick writes down a tick, or takes it back; changed is false where it was so already.
func (q RoomRows) SetTick(ctx context.Context, t Tick, done bool) (bool, error) {
	set := "insert into tick (line_id, item_id, task, at) values ($1, $2, $3, $4) on conflict do nothing"
	args := []any{t.LineID, t.ContentID, t.Task, t.At}
	if !done {
		set, args = "delete from tick where line_id = $1 and item_id = $2 and task = $3", args[:3]
	}
	tag, err := q.Conn(ctx).Exec(ctx, set, args...)
	return tag.RowsAffected() > 0, err
}

// TicksOf are the ticks at the sheets of a package, oldest first: of one line, or of all where line is empty.
func (q RoomRows) TicksOf(ctx context.Context, parcel, line string) ([]Tick, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select t.item_id as content_id, t.task, t.line_id, coalesce(c.name, '') as who, t.at
		from parcel_item pi join tick t on t.item_id = pi.id join line l on l.id = t.line_id left join card c on c.id = l.card_id
		where pi.parcel_id = $1 and ($2 = '' or t.line_id = $2) order by t.at, t.task`, parcel, line)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Tick])
}
