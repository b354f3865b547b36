package ways

import (
	"context"
	"errors"
	"time"

	"aftergust/internal/ground/db"
	"aftergust/internal/parts/pack"

	"github.com/jackc/pgx/v5"
)

// Rows are pickup codes, link names and text messages.
type Rows struct{ *db.DB }

// lockPickups makes codes come one after the other, so that their number holds.
const lockPickups = "select pg_advisory_xact_lock(hashtext('pickup_code'))"

// KeepPickup keeps the mark of a code for a line in the place of the last one,
// unless most others live; ok is false then.
func (q Rows) KeepPickup(ctx context.Context, p Pickup, most int, now time.Time) (bool, error) {
	for _, sql := range []string{lockPickups, "delete from pickup_code where expires_at <= $1 or line_id = $2"} {
		var args []any
		if sql != lockPickups {
			args = []any{now, p.LineID}
		}
		if _, err := q.Conn(ctx).Exec(ctx, sql, args...); err != nil {
			return false, err
		}
	}
	done, err := q.Conn(ctx).Exec(ctx, `
		insert into pickup_code (id, line_id, mark, made_by, expires_at) select $1, $2, $3, $4, $5 where (select count(*) from pickup_code) < $6`,
		p.ID, p.LineID, p.Mark, p.MadeBy, p.ExpiresAt, most)
	return done.RowsAffected() == 1, err
}

// UsePickup uses a code up.
func (q Rows) UsePickup(ctx context.Context, mark []byte, now time.Time) (line string, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, "delete from pickup_code where mark = $1 and expires_at > $2 returning line_id", mark, now)
	return db.One(rows, err, pgx.RowTo[string])
}

func (q Rows) InsertWay(ctx context.Context, line string, w pack.Way) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into way_in (id, line_id, kind, nonce, hash, since, until) values ($1, $2, $3, $4, $5, $6, $7)",
		w.WayID, line, w.WayKind, w.LinkNonce, w.LinkHash, w.Since, w.Until)
	return err
}

func (q Rows) NameOf(ctx context.Context, line string) (name string, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select name from link_name where line_id = $1", line).Scan(&name)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return name, err
}

func (q Rows) InsertText(ctx context.Context, t Text) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into text_message (id, studio_id, line_id, number, state, created_at) values ($1, $2, $3, $4, $5, $6)",
		t.ID, t.StudioID, t.LineID, t.Number, t.State, t.CreatedAt)
	return err
}

const selectText = "select id, studio_id, line_id, number, state, problem, created_at, sent_at from text_message "

func (q Rows) TextByID(ctx context.Context, id string) (Text, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectText+"where id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Text])
}

// textsShown is how many of somebody's text messages are listed.
const textsShown = 10

func (q Rows) TextsOf(ctx context.Context, line string) ([]Text, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectText+"where line_id = $1 order by created_at desc limit $2", line, textsShown)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Text])
}

func (q Rows) TextTried(ctx context.Context, id, state, problem string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update text_message set state = $2, problem = $3, sent_at = case when $2 = 'sent' then $4::timestamptz end where id = $1",
		id, state, problem, at)
	return err
}
