package review

import (
	"context"

	"aftergust/internal/files/keep"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// AttachmentRows are files attached to notes.
type AttachmentRows struct{ *db.DB }

func (q AttachmentRows) InsertAttachment(ctx context.Context, a Attachment, p Party) error {
	line, member := who(p)
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into attachment (id, parcel_id, note_id, line_id, member_id, kind, blob_id, mime, length_us, peaks, width, height, created_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) on conflict (note_id) where kind = 'frame' do nothing`,
		a.ID, a.ParcelID, db.Optional(a.NoteID), line, member, a.Kind, a.BlobID, a.Mime, a.LengthUS, append([]int{}, a.Peaks...),
		a.Width, a.Height,
		a.CreatedAt)
	return err
}

const selectAttachment = `
	select t.id, t.parcel_id, coalesce(t.note_id, '') as note_id, coalesce(t.line_id, t.member_id) as by, t.kind, t.blob_id, t.mime,
	       b.size, t.length_us, t.peaks, t.width, t.height, t.created_at
	from attachment t join blob b on b.id = t.blob_id where b.deleted_at is null and `

func (q AttachmentRows) AttachmentByID(ctx context.Context, id string) (Attachment, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectAttachment+"t.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Attachment])
}

// CountLoose is how much somebody attached that lies at no note yet.
func (q AttachmentRows) CountLoose(ctx context.Context, p Party) (n int, err error) {
	line, member := who(p)
	err = q.Conn(ctx).QueryRow(ctx, `
		select count(*) from attachment where note_id is null and created_at > now() - `+keep.LooseHold+`
		    and line_id is not distinct from $1 and member_id is not distinct from $2`, line, member).Scan(&n)
	return n, err
}

// FrameOf is the picture of the frame that a note lies on, if it was made.
func (q AttachmentRows) FrameOf(ctx context.Context, note string) (Attachment, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectAttachment+"t.note_id = $1 and t.kind = 'frame'", note)
	return db.One(rows, err, pgx.RowToStructByName[Attachment])
}

// AttachTo hangs what somebody attached in a package on a note, and says how many of the ids that were.
func (q AttachmentRows) AttachTo(ctx context.Context, n Note, ids []string) (int, error) {
	tag, err := q.Conn(ctx).Exec(ctx, `
		update attachment set note_id = $1 where id = any($2) and note_id is null and parcel_id = $3
		    and line_id is not distinct from $4 and member_id is not distinct from $5`,
		n.ID, ids, n.ParcelID, db.Optional(n.LineID), db.Optional(n.MemberID))
	return int(tag.RowsAffected()), err
}
