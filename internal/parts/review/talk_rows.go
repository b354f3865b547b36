package review

import (
	"context"
	"time"

	"aftergust/core/notes/review"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"

	"github.com/jackc/pgx/v5"
)

// TalkRows are which notes concern whom, for letters of them.
type TalkRows struct{ *db.DB }

// Concern puts down that people are to be told of a note: whoever takes part in its thread,
// whoever wrote about the same item before where it begins one, and lines besides. Those
// who are to be told already stay as they are.
func (q TalkRows) Concern(ctx context.Context, n Note, besides []string, due time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, `
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

// TakeTalks are those whose letter is due; they are taken off.
func (q TalkRows) TakeTalks(ctx context.Context, now time.Time, limit int) ([]Talk, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		with due as (
			delete from talk where line_id in (select line_id from talk where due_at <= $1 order by due_at limit $2 for update skip locked)
			returning line_id, parcel_id, since)
		select d.line_id, d.parcel_id, p.studio_id, d.since from due d join parcel p on p.id = d.parcel_id`, now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Talk])
}

// NotesFor are notes of others that concern a line, written since, the oldest first.
func (q TalkRows) NotesFor(ctx context.Context, t Talk, limit int) ([]Note, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectNote+`
		where n.parcel_id = $1 and n.created_at >= $3 and n.removed_at is null and not n.private and n.line_id is distinct from $2
		    and n.source is null and pi.withdrawn_at is null
		order by n.created_at, n.id limit $4`, t.ParcelID, t.LineID, t.Since, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByNameLax[Note])
}

func (q TalkRows) TalkOf(ctx context.Context, l letters.Letter, since time.Time, limit int) ([]letters.Said, error) {
	notes, err := q.NotesFor(ctx, Talk{LineID: l.LineID, ParcelID: l.ParcelID, Since: since}, limit)
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
func (q TalkRows) said(ctx context.Context, ids []string) (map[string]letters.Said, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	rows, err := q.Conn(ctx).Query(ctx, selectNote+"where n.id = any($1)", ids)
	if err != nil {
		return nil, err
	}
	notes, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[Note])
	out := make(map[string]letters.Said, len(notes))
	for _, n := range notes {
		out[n.ID] = inLetter(n)
	}
	return out, err
}

// inLetter is a note as a letter tells of it.
func inLetter(n Note) letters.Said {
	said := letters.Said{Author: n.Author, Text: n.Says(), Place: n.Place.Label, Content: n.ContentID, Note: n.ID, Answer: n.ParentID != ""}
	if n.Anchor.When != review.AnyTime {
		said.Seconds = float64(n.Anchor.At) / 1e6
	}
	if n.ParentID != "" {
		said.Note = n.ParentID
	}
	return said
}

func (q TalkRows) Told(ctx context.Context, batch string) ([]letters.Told, error) {
	all, err := notices.Rows{DB: q.DB}.Notices(ctx, "select * from notice where batch = $1", batch)
	if err != nil {
		return nil, err
	}
	notes := make([]string, 0, len(all))
	for _, n := range all {
		if n.Note != "" {
			notes = append(notes, n.Note)
		}
	}
	said, err := q.said(ctx, notes)
	if err != nil {
		return nil, err
	}
	out := make([]letters.Told, len(all))
	for i, n := range all {
		told := letters.Told{ParcelID: n.ParcelID, Title: n.Title, At: n.At, Says: n.Say()}
		if words, ok := said[n.Note]; ok {
			told.Said = &words
		}
		out[len(all)-1-i] = told
	}
	return out, nil
}
