package review

import (
	"context"
	"slices"
	"time"

	"aftergust/core/notes/review"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are notes.
type Rows struct{ *db.DB }

const selectNote = `
	select n.id, n.parcel_id, coalesce(pi.id, '') as content_id, n.version_id, v.number, coalesce(n.parent_id, '') as parent_id,
	       coalesce(n.line_id, '') as line_id, coalesce(n.way_in_id, '') as way_in, coalesce(n.member_id, '') as member_id,
	       coalesce(nullif(n.said_by, ''), c.name, m.name, '') as author, n.said_by,
	       case when n.said_by = '' then '' else coalesce(c.name, m.name, '') end as brought_by, coalesce(n.source, '') as source,
	       n.anchor, n.place, n.body, n.edition, n.private, coalesce(n.assigned_id, '') as assigned_id, coalesce(a.name, '') as assigned,
	       n.created_at, n.done_at, pi.withdrawn_at is not null as withdrawn,
	       coalesce((select jsonb_agg(jsonb_build_object('id', t.id, 'kind', t.kind, 'length_us', t.length_us, 'peaks', t.peaks,
	           'width', t.width, 'height', t.height) order by t.created_at,
		t.id) from attachment t where t.note_id = n.id and t.kind <> 'frame'), '[]') as attached,
	       coalesce((select jsonb_agg(jsonb_build_object('sign', r.sign, 'who', coalesce(r.line_id, r.member_id),
	           'name', coalesce(rc.name, rm.name, '')) order by r.at, r.id)
	           from reaction r left join line rl on rl.id = r.line_id left join card rc on rc.id = rl.card_id
	           left join member rm on rm.id = r.member_id where r.note_id = n.id), '[]') as signs
	from note n left join line l on l.id = n.line_id left join card c on c.id = l.card_id left join member m on m.id = n.member_id
	left join member a on a.id = n.assigned_id
	join version v on v.id = n.version_id left join parcel_item pi on pi.parcel_id = n.parcel_id and pi.item_id = v.item_id `

func (q Rows) InsertNote(ctx context.Context, n Note) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into note (id, parcel_id, version_id, parent_id, line_id, way_in_id, member_id, anchor, place, body, private, said_by, source,
		    created_at, done_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
		n.ID, n.ParcelID, n.VersionID, db.Optional(n.ParentID), db.Optional(n.LineID), db.Optional(n.WayIn),
		db.Optional(n.MemberID), n.Anchor, n.Place,
		n.Body, n.Private, n.SaidBy, db.Optional(n.Source), n.CreatedAt, n.DoneAt)
	return err
}

// notesAtOnce bounds how many notes are written by one statement.
const notesAtOnce = 2000

func (q Rows) InsertNotes(ctx context.Context, all []Note) error {
	for some := range slices.Chunk(all, notesAtOnce) {
		n := len(some)
		ids, parents, bodies, says, sources := make([]string, n), make([]string, n), make([]string, n), make([]string, n), make([]string, n)
		anchors, places, created, done := make([]review.Anchor, n), make([]review.Place, n), make([]time.Time, n), make([]*time.Time, n)
		for i, one := range some {
			ids[i], parents[i], bodies[i], says[i], sources[i] = one.ID, one.ParentID, one.Body, one.SaidBy, one.Source
			anchors[i], places[i], created[i], done[i] = one.Anchor, one.Place, one.CreatedAt, one.DoneAt
		}
		first := some[0] // they are all brought by one, for one version
		if _, err := q.Conn(ctx).Exec(ctx, `
			insert into note (id, parcel_id, version_id, parent_id, line_id, way_in_id, member_id, anchor, place, body, said_by, source, created_at,
			    done_at)
			select n.id, $1, $2, nullif(n.parent, ''), $3, $4, $5, n.anchor, n.place, n.body, n.said, nullif(n.source, ''), n.created, n.done
			from unnest($6::text[], $7::text[], $8::jsonb[], $9::jsonb[], $10::text[], $11::text[], $12::text[], $13::timestamptz[],
			    $14::timestamptz[]) with ordinality n (id, parent, anchor, place, body, said, source, created, done, at) order by n.at`,
			first.ParcelID, first.VersionID, db.Optional(first.LineID), db.Optional(first.WayIn), db.Optional(first.MemberID), ids, parents, anchors,
			places, bodies, says, sources, created, done); err != nil {
			return err
		}
	}
	return nil
}

func (q Rows) NoteByID(ctx context.Context, id string) (Note, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectNote+"where n.id = $1 and n.removed_at is null", id)
	return db.One(rows, err, pgx.RowToStructByNameLax[Note])
}

// Notes are those of a package, or of one item of it, oldest first.
func (q Rows) Notes(ctx context.Context, parcel, content string) ([]Note, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectNote+`
		where n.parcel_id = $1 and n.removed_at is null and ($2 = '' or pi.id = $2) order by n.created_at, n.id`, parcel, content)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByNameLax[Note])
}

// EditNote gives the edition of a note other words; ok is false where it has another edition meanwhile.
func (q Rows) EditNote(ctx context.Context, id string, edition int, body string, at time.Time) (bool, error) {
	tag, err := q.Conn(ctx).Exec(ctx, `
		with was as (select id, body from note where id = $1 and edition = $2 for update),
		     now as (update note n set body = $3, edition = $2 + 1 from was where n.id = was.id returning n.id)
		insert into note_words (note_id, edition, body, until) select was.id, $2, was.body, $4 from was join now using (id)`, id, edition, body, at)
	return tag.RowsAffected() == 1, err
}

func (q Rows) FormerWords(ctx context.Context, id string) ([]Words, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select body as text, until from note_words where note_id = $1 order by edition desc", id)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Words])
}

func (q Rows) SetNoteDone(ctx context.Context, id string, at *time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update note set done_at = $2 where id = $1", id, at)
	return err
}

func (q Rows) SetNotePrivate(ctx context.Context, id string, private bool) error {
	_, err := q.Conn(ctx).
		Exec(ctx, "update note set private = $2 where id = $1 or $2 and parent_id = $1 and member_id is not null", id, private)
	return err
}

func (q Rows) AssignNote(ctx context.Context, id, member string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update note set assigned_id = $2 where id = $1", id, db.Optional(member))
	return err
}

// RemoveNote takes a note away that nobody else has answered; ok is false where somebody has.
func (q Rows) RemoveNote(ctx context.Context, id string, at time.Time) (bool, error) {
	tag, err := q.Conn(ctx).Exec(ctx, `
		with head as (select id, line_id, member_id from note where id = $1 for update)
		update note n set removed_at = $2 from head
		where (n.id = head.id or n.parent_id = head.id) and n.removed_at is null
		    and not exists (select from note a where a.parent_id = head.id and a.removed_at is null
		        and (a.line_id, a.member_id) is distinct from (head.line_id, head.member_id))`, id, at)
	return tag.RowsAffected() > 0, err
}

func (q Rows) SetSign(ctx context.Context, n Note, p Party, sign review.Sign, on bool, at time.Time) error {
	line, member := who(p)
	if !on {
		_, err := q.Conn(ctx).Exec(ctx, `
			delete from reaction where note_id = $1 and sign = $2 and line_id is not distinct from $3 and member_id is not distinct from $4`,
			n.ID, sign, line, member)
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into reaction (id, parcel_id, note_id, sign, line_id, member_id, at) values (gen_random_uuid()::text, $1, $2, $3, $4, $5, $6)
		on conflict do nothing`, n.ParcelID, n.ID, sign, line, member, at)
	return err
}

// who are the columns of whoever takes part in a review.
func who(p Party) (line, member *string) {
	if p.InStudio() {
		return nil, new(p.ID())
	}
	return new(p.ID()), nil
}
