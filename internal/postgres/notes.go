package postgres

import (
	"context"
	"slices"
	"time"

	"aftergust/core/review"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/pack"
	reviewing "aftergust/internal/parts/review"

	"github.com/jackc/pgx/v5"
)

const selectNote = `
	select n.id, n.parcel_id, coalesce(pi.id, '') as content_id, n.version_id, v.number, coalesce(n.parent_id, '') as parent_id,
	       coalesce(n.line_id, '') as line_id, coalesce(n.way_in_id, '') as way_in, coalesce(n.member_id, '') as member_id,
	       coalesce(nullif(n.said_by, ''), c.name, m.name, '') as author, n.said_by,
	       case when n.said_by = '' then '' else coalesce(c.name, m.name, '') end as brought_by, coalesce(n.source, '') as source,
	       n.anchor, n.place, n.body, n.edition, n.private, coalesce(n.assigned_id, '') as assigned_id, coalesce(a.name, '') as assigned,
	       n.created_at, n.done_at, pi.withdrawn_at is not null as withdrawn,
	       coalesce((select jsonb_agg(jsonb_build_object('id', t.id, 'kind', t.kind, 'length_us', t.length_us, 'peaks', t.peaks,
	           'width', t.width, 'height', t.height) order by t.created_at, t.id) from attachment t where t.note_id = n.id and t.kind <> 'frame'), '[]') as attached,
	       coalesce((select jsonb_agg(jsonb_build_object('sign', r.sign, 'who', coalesce(r.line_id, r.member_id),
	           'name', coalesce(rc.name, rm.name, '')) order by r.at, r.id)
	           from reaction r left join line rl on rl.id = r.line_id left join card rc on rc.id = rl.card_id
	           left join member rm on rm.id = r.member_id where r.note_id = n.id), '[]') as signs
	from note n left join line l on l.id = n.line_id left join card c on c.id = l.card_id left join member m on m.id = n.member_id
	left join member a on a.id = n.assigned_id
	join version v on v.id = n.version_id left join parcel_item pi on pi.parcel_id = n.parcel_id and pi.item_id = v.item_id `

func (q *queries) InsertNote(ctx context.Context, n reviewing.Note) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into note (id, parcel_id, version_id, parent_id, line_id, way_in_id, member_id, anchor, place, body, private, said_by, source,
		    created_at, done_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
		n.ID, n.ParcelID, n.VersionID, optional(n.ParentID), optional(n.LineID), optional(n.WayIn), optional(n.MemberID), n.Anchor, n.Place,
		n.Body, n.Private, n.SaidBy, optional(n.Source), n.CreatedAt, n.DoneAt)
	return err
}

// notesAtOnce bounds how many notes are written by one statement.
const notesAtOnce = 2000

func (q *queries) InsertNotes(ctx context.Context, all []reviewing.Note) error {
	for some := range slices.Chunk(all, notesAtOnce) {
		n := len(some)
		ids, parents, bodies, says, sources := make([]string, n), make([]string, n), make([]string, n), make([]string, n), make([]string, n)
		anchors, places, created, done := make([]review.Anchor, n), make([]review.Place, n), make([]time.Time, n), make([]*time.Time, n)
		for i, one := range some {
			ids[i], parents[i], bodies[i], says[i], sources[i] = one.ID, one.ParentID, one.Body, one.SaidBy, one.Source
			anchors[i], places[i], created[i], done[i] = one.Anchor, one.Place, one.CreatedAt, one.DoneAt
		}
		first := some[0] // they are all brought by one, for one version
		if _, err := q.conn(ctx).Exec(ctx, `
			insert into note (id, parcel_id, version_id, parent_id, line_id, way_in_id, member_id, anchor, place, body, said_by, source, created_at,
			    done_at)
			select n.id, $1, $2, nullif(n.parent, ''), $3, $4, $5, n.anchor, n.place, n.body, n.said, nullif(n.source, ''), n.created, n.done
			from unnest($6::text[], $7::text[], $8::jsonb[], $9::jsonb[], $10::text[], $11::text[], $12::text[], $13::timestamptz[],
			    $14::timestamptz[]) with ordinality n (id, parent, anchor, place, body, said, source, created, done, at) order by n.at`,
			first.ParcelID, first.VersionID, optional(first.LineID), optional(first.WayIn), optional(first.MemberID), ids, parents, anchors,
			places, bodies, says, sources, created, done); err != nil {
			return err
		}
	}
	return nil
}

func (q *queries) LockPackage(ctx context.Context, id string) error {
	_, err := q.conn(ctx).Exec(ctx, "select from parcel where id = $1 for no key update", id)
	return err
}

func (q *queries) NoteByID(ctx context.Context, id string) (reviewing.Note, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectNote+"where n.id = $1 and n.removed_at is null", id)
	return one(rows, err, pgx.RowToStructByNameLax[reviewing.Note])
}

func (q *queries) Notes(ctx context.Context, parcel, content string) ([]reviewing.Note, error) {
	rows, err := q.conn(ctx).Query(ctx, selectNote+`
		where n.parcel_id = $1 and n.removed_at is null and ($2 = '' or pi.id = $2) order by n.created_at, n.id`, parcel, content)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByNameLax[reviewing.Note])
}

func (q *queries) EditNote(ctx context.Context, id string, edition int, body string, at time.Time) (bool, error) {
	tag, err := q.conn(ctx).Exec(ctx, `
		with was as (select id, body from note where id = $1 and edition = $2 for update),
		     now as (update note n set body = $3, edition = $2 + 1 from was where n.id = was.id returning n.id)
		insert into note_words (note_id, edition, body, until) select was.id, $2, was.body, $4 from was join now using (id)`, id, edition, body, at)
	return tag.RowsAffected() == 1, err
}

func (q *queries) FormerWords(ctx context.Context, id string) ([]reviewing.Words, error) {
	rows, err := q.conn(ctx).Query(ctx, "select body as text, until from note_words where note_id = $1 order by edition desc", id)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Words])
}

func (q *queries) SetNoteDone(ctx context.Context, id string, at *time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update note set done_at = $2 where id = $1", id, at)
	return err
}

func (q *queries) SetNotePrivate(ctx context.Context, id string, private bool) error {
	_, err := q.conn(ctx).Exec(ctx, "update note set private = $2 where id = $1 or $2 and parent_id = $1 and member_id is not null", id, private)
	return err
}

func (q *queries) AssignNote(ctx context.Context, id, member string) error {
	_, err := q.conn(ctx).Exec(ctx, "update note set assigned_id = $2 where id = $1", id, optional(member))
	return err
}

func (q *queries) RemoveNote(ctx context.Context, id string, at time.Time) (bool, error) {
	tag, err := q.conn(ctx).Exec(ctx, `
		with head as (select id, line_id, member_id from note where id = $1 for update)
		update note n set removed_at = $2 from head
		where (n.id = head.id or n.parent_id = head.id) and n.removed_at is null
		    and not exists (select from note a where a.parent_id = head.id and a.removed_at is null
		        and (a.line_id, a.member_id) is distinct from (head.line_id, head.member_id))`, id, at)
	return tag.RowsAffected() > 0, err
}

func (q *queries) SetSign(ctx context.Context, n reviewing.Note, p reviewing.Party, sign review.Sign, on bool, at time.Time) error {
	line, member := who(p)
	if !on {
		_, err := q.conn(ctx).Exec(ctx, `
			delete from reaction where note_id = $1 and sign = $2 and line_id is not distinct from $3 and member_id is not distinct from $4`,
			n.ID, sign, line, member)
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
		insert into reaction (id, parcel_id, note_id, sign, line_id, member_id, at) values (gen_random_uuid()::text, $1, $2, $3, $4, $5, $6)
		on conflict do nothing`, n.ParcelID, n.ID, sign, line, member, at)
	return err
}

// who are the columns of whoever takes part in a review.
func who(p reviewing.Party) (line, member *string) {
	if p.InStudio() {
		return nil, new(p.ID())
	}
	return new(p.ID()), nil
}

func (q *queries) Rate(ctx context.Context, parcel, version string, p reviewing.Party, stars int, at time.Time) error {
	line, member := who(p)
	if stars == 0 {
		_, err := q.conn(ctx).Exec(ctx, `
			delete from reaction where version_id = $1 and parcel_id = $2 and line_id is not distinct from $3 and member_id is not distinct from $4`,
			version, parcel, line, member)
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `
		insert into reaction (id, parcel_id, version_id, stars, line_id, member_id, at) values (gen_random_uuid()::text, $1, $2, $3, $4, $5, $6)
		on conflict (note_id, version_id, parcel_id, line_id, member_id, sign) do update set stars = excluded.stars, at = excluded.at`,
		parcel, version, stars, line, member, at)
	return err
}

func (q *queries) Ratings(ctx context.Context, parcel, version string) ([]reviewing.Rating, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select coalesce(r.line_id, r.member_id) as who, coalesce(c.name, m.name, '') as name, r.stars
		from reaction r left join line l on l.id = r.line_id left join card c on c.id = l.card_id left join member m on m.id = r.member_id
		where r.parcel_id = $1 and r.version_id = $2 order by r.at, r.id`, parcel, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Rating])
}

func (q *queries) InsertAttachment(ctx context.Context, a reviewing.Attachment, p reviewing.Party) error {
	line, member := who(p)
	_, err := q.conn(ctx).Exec(ctx, `
		insert into attachment (id, parcel_id, note_id, line_id, member_id, kind, blob_id, mime, length_us, peaks, width, height, created_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) on conflict (note_id) where kind = 'frame' do nothing`,
		a.ID, a.ParcelID, optional(a.NoteID), line, member, a.Kind, a.BlobID, a.Mime, a.LengthUS, append([]int{}, a.Peaks...), a.Width, a.Height,
		a.CreatedAt)
	return err
}

const selectAttachment = `
	select t.id, t.parcel_id, coalesce(t.note_id, '') as note_id, coalesce(t.line_id, t.member_id) as by, t.kind, t.blob_id, t.mime,
	       b.size, t.length_us, t.peaks, t.width, t.height, t.created_at
	from attachment t join blob b on b.id = t.blob_id where b.deleted_at is null and `

func (q *queries) AttachmentByID(ctx context.Context, id string) (reviewing.Attachment, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectAttachment+"t.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[reviewing.Attachment])
}

func (q *queries) CountLoose(ctx context.Context, p reviewing.Party) (n int, err error) {
	line, member := who(p)
	err = q.conn(ctx).QueryRow(ctx, `
		select count(*) from attachment where note_id is null and created_at > now() - `+looseHold+`
		    and line_id is not distinct from $1 and member_id is not distinct from $2`, line, member).Scan(&n)
	return n, err
}

func (q *queries) FrameOf(ctx context.Context, note string) (reviewing.Attachment, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectAttachment+"t.note_id = $1 and t.kind = 'frame'", note)
	return one(rows, err, pgx.RowToStructByName[reviewing.Attachment])
}

func (q *queries) AttachTo(ctx context.Context, n reviewing.Note, ids []string) (int, error) {
	tag, err := q.conn(ctx).Exec(ctx, `
		update attachment set note_id = $1 where id = any($2) and note_id is null and parcel_id = $3
		    and line_id is not distinct from $4 and member_id is not distinct from $5`,
		n.ID, ids, n.ParcelID, optional(n.LineID), optional(n.MemberID))
	return int(tag.RowsAffected()), err
}

// wasGiven is true of a version v of an item that a package p gave by pi before it gave
// a newer one, and that is kept.
const wasGiven = `pi.pinned_version_id is null and exists (select from version n where n.item_id = v.item_id and n.number > v.number
	and n.created_at > greatest(p.sent_at, pi.added_at))`

func (q *queries) GivenVersions(ctx context.Context, content string, studio bool) ([]reviewing.Given, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select v.id, v.number, v.label, v.created_at as at, v.id = coalesce(pi.pinned_version_id, i.current_version_id) as now
		from parcel_item pi join parcel p on p.id = pi.parcel_id join item i on i.id = pi.item_id join version v on v.item_id = i.id
		where pi.id = $1 and v.deleted_at is null
		    and ($2 or v.id = coalesce(pi.pinned_version_id, i.current_version_id) or `+wasGiven+`)
		order by v.number`, content, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Given])
}

var selectContentAt = `
	select pi.id, pi.parcel_id, pi.item_id, pi.folder, pi.position, pi.withdrawn_at, pi.heading, i.name as title, '' as lead,
	       '{}'::text[] as older, ` + pieceOf("v.file_name") + `
	from parcel_item pi join parcel p on p.id = pi.parcel_id join item i on i.id = pi.item_id join version v on v.item_id = i.id
	join blob b on b.id = v.blob_id ` + madeOf

func (q *queries) ContentAt(ctx context.Context, content, version string, studio bool) (pack.Content, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectContentAt+`
		where pi.id = $1 and v.id = $2 and v.deleted_at is null and b.deleted_at is null and ($3 or `+wasGiven+`)`, content, version, studio)
	return one(rows, err, pgx.RowToStructByName[pack.Content])
}

func (q *queries) PiecesOf(ctx context.Context, content string) ([]reviewing.Piece, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select v.id, v.number, v.facts from parcel_item pi join version v on v.item_id = pi.item_id where pi.id = $1 order by v.number`, content)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Piece])
}

func (q *queries) LaidByHand(ctx context.Context, parcel, version string) (map[string]review.Anchor, error) {
	rows, err := q.conn(ctx).Query(ctx, `
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

func (q *queries) LayNotes(ctx context.Context, version string, p reviewing.Party, at time.Time, all map[string]review.Carried) error {
	line, member := who(p)
	ids, anchors, places := make([]string, 0, len(all)), make([]review.Anchor, 0, len(all)), make([]review.Place, 0, len(all))
	for id, c := range all {
		ids, anchors, places = append(ids, id), append(anchors, c.Anchor), append(places, c.Place)
	}
	_, err := q.conn(ctx).Exec(ctx, `
		insert into note_place (note_id, version_id, anchor, place, line_id, member_id, at)
		select n.id, $1, n.anchor, n.place, $5, $6, $7 from unnest($2::text[], $3::jsonb[], $4::jsonb[]) n (id, anchor, place)
		on conflict (note_id, version_id) do update set anchor = excluded.anchor, place = excluded.place, line_id = excluded.line_id,
		    member_id = excluded.member_id, at = excluded.at`, version, ids, anchors, places, line, member, at)
	return err
}

func (q *queries) TakePart(ctx context.Context, parcel string) ([]reviewing.Person, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select m.id, m.name, true as studio from parcel p join member m on m.studio_id = p.studio_id where p.id = $1 and m.removed_at is null
		union all (
		select l.id, c.name, false from line l join card c on c.id = l.card_id
		where l.parcel_id = $1 and l.removed_at is null and c.name <> '' order by c.name, l.id limit 200)`, parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Person])
}

func (q *queries) SetTick(ctx context.Context, t reviewing.Tick, done bool) (bool, error) {
	set := "insert into tick (line_id, item_id, task, at) values ($1, $2, $3, $4) on conflict do nothing"
	args := []any{t.LineID, t.ContentID, t.Task, t.At}
	if !done {
		set, args = "delete from tick where line_id = $1 and item_id = $2 and task = $3", args[:3]
	}
	tag, err := q.conn(ctx).Exec(ctx, set, args...)
	return tag.RowsAffected() > 0, err
}

func (q *queries) TicksOf(ctx context.Context, parcel, line string) ([]reviewing.Tick, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select t.item_id as content_id, t.task, t.line_id, coalesce(c.name, '') as who, t.at
		from parcel_item pi join tick t on t.item_id = pi.id join line l on l.id = t.line_id left join card c on c.id = l.card_id
		where pi.parcel_id = $1 and ($2 = '' or t.line_id = $2) order by t.at, t.task`, parcel, line)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Tick])
}

func (q *queries) Concern(ctx context.Context, n reviewing.Note, besides []string, due time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into talk (line_id, parcel_id, since, due_at)
		select distinct l.id, $1, $2::timestamptz, $3::timestamptz
		from line l where l.parcel_id = $1 and l.removed_at is null and l.person_id is not null and l.id <> $4 and (
		    l.id = any($5) or exists (
		        select from note o where o.parcel_id = $1 and o.line_id = l.id and o.removed_at is null
		            and case when $6 = '' then o.version_id in (
		                select v.id from version v join version t on t.item_id = v.item_id where t.id = $7)
		                else o.id = $6 or o.parent_id = $6 end))
		on conflict (line_id) do nothing`, n.ParcelID, n.CreatedAt, due, n.LineID, append([]string{}, besides...), n.ParentID, n.VersionID)
	return err
}

func (q *queries) TakeTalks(ctx context.Context, now time.Time, limit int) ([]reviewing.Talk, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		with due as (
			delete from talk where line_id in (select line_id from talk where due_at <= $1 order by due_at limit $2 for update skip locked)
			returning line_id, parcel_id, since)
		select d.line_id, d.parcel_id, p.studio_id, d.since from due d join parcel p on p.id = d.parcel_id`, now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[reviewing.Talk])
}

func (q *queries) NotesFor(ctx context.Context, t reviewing.Talk, limit int) ([]reviewing.Note, error) {
	rows, err := q.conn(ctx).Query(ctx, selectNote+`
		where n.parcel_id = $1 and n.created_at >= $3 and n.removed_at is null and not n.private and n.line_id is distinct from $2
		    and n.source is null and pi.withdrawn_at is null
		order by n.created_at, n.id limit $4`, t.ParcelID, t.LineID, t.Since, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByNameLax[reviewing.Note])
}

func (q *queries) TalkOf(ctx context.Context, l letters.Letter, since time.Time, limit int) ([]letters.Said, error) {
	notes, err := q.NotesFor(ctx, reviewing.Talk{LineID: l.LineID, ParcelID: l.ParcelID, Since: since}, limit)
	if err != nil {
		return nil, err
	}
	out := make([]letters.Said, len(notes))
	for i, n := range notes {
		out[i] = inLetter(n)
	}
	return out, nil
}

// said are notes as letters tell of them, by their ids.
func (q *queries) said(ctx context.Context, ids []string) (map[string]letters.Said, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	rows, err := q.conn(ctx).Query(ctx, selectNote+"where n.id = any($1)", ids)
	if err != nil {
		return nil, err
	}
	notes, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[reviewing.Note])
	out := make(map[string]letters.Said, len(notes))
	for _, n := range notes {
		out[n.ID] = inLetter(n)
	}
	return out, err
}

// inLetter is a note as a letter tells of it.
func inLetter(n reviewing.Note) letters.Said {
	said := letters.Said{Author: n.Author, Text: n.Says(), Place: n.Place.Label, Content: n.ContentID, Note: n.ID, Answer: n.ParentID != ""}
	if n.Anchor.When != review.AnyTime {
		said.Seconds = float64(n.Anchor.At) / 1e6
	}
	if n.ParentID != "" {
		said.Note = n.ParentID
	}
	return said
}
