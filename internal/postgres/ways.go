package postgres

import (
	"context"
	"errors"
	"time"

	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/ways"

	"github.com/jackc/pgx/v5"
)

func (q *queries) LineByName(ctx context.Context, name string) (pack.Line, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+wayOf+"join link_name n on n.line_id = l.id where n.name = $1", name)
	return one(rows, err, toLine)
}

func (q *queries) LinkNames(ctx context.Context, parcel string) (map[string]string, error) {
	rows, err := q.conn(ctx).Query(ctx, "select n.line_id, n.name from link_name n join line l on l.id = n.line_id where l.parcel_id = $1 and l.removed_at is null",
		parcel)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	var line, name string
	_, err = pgx.ForEachRow(rows, []any{&line, &name}, func() error { out[line] = name; return nil })
	return out, err
}

// lockPickups makes codes come one after the other, so that their number holds.
const lockPickups = "select pg_advisory_xact_lock(hashtext('pickup_code'))"

func (q *queries) KeepPickup(ctx context.Context, p ways.Pickup, most int, now time.Time) (bool, error) {
	for _, sql := range []string{lockPickups, "delete from pickup_code where expires_at <= $1 or line_id = $2"} {
		var args []any
		if sql != lockPickups {
			args = []any{now, p.LineID}
		}
		if _, err := q.conn(ctx).Exec(ctx, sql, args...); err != nil {
			return false, err
		}
	}
	done, err := q.conn(ctx).Exec(ctx, `
		insert into pickup_code (id, line_id, mark, made_by, expires_at) select $1, $2, $3, $4, $5 where (select count(*) from pickup_code) < $6`,
		p.ID, p.LineID, p.Mark, p.MadeBy, p.ExpiresAt, most)
	return done.RowsAffected() == 1, err
}

func (q *queries) UsePickup(ctx context.Context, mark []byte, now time.Time) (line string, ok bool, err error) {
	rows, err := q.conn(ctx).Query(ctx, "delete from pickup_code where mark = $1 and expires_at > $2 returning line_id", mark, now)
	return one(rows, err, pgx.RowTo[string])
}

func (q *queries) InsertWay(ctx context.Context, line string, w pack.Way) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into way_in (id, line_id, kind, nonce, hash, since, until) values ($1, $2, $3, $4, $5, $6, $7)",
		w.WayID, line, w.WayKind, w.LinkNonce, w.LinkHash, w.Since, w.Until)
	return err
}

func (q *queries) NameOf(ctx context.Context, line string) (name string, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select name from link_name where line_id = $1", line).Scan(&name)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return name, err
}

func (q *queries) SetName(ctx context.Context, line, name string) (bool, error) {
	if _, err := q.conn(ctx).Exec(ctx, "delete from link_name where line_id = $1", line); err != nil || name == "" {
		return true, err
	}
	done, err := q.conn(ctx).Exec(ctx, "insert into link_name (name, line_id) values ($1, $2) on conflict (name) do nothing", name, line)
	return done.RowsAffected() == 1, err
}

func (q *queries) InsertText(ctx context.Context, t ways.Text) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into text_message (id, studio_id, line_id, number, state, created_at) values ($1, $2, $3, $4, $5, $6)",
		t.ID, t.StudioID, t.LineID, t.Number, t.State, t.CreatedAt)
	return err
}

const selectText = "select id, studio_id, line_id, number, state, problem, created_at, sent_at from text_message "

func (q *queries) TextByID(ctx context.Context, id string) (ways.Text, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectText+"where id = $1", id)
	return one(rows, err, pgx.RowToStructByName[ways.Text])
}

// textsShown is how many of somebody's text messages are listed.
const textsShown = 10

func (q *queries) TextsOf(ctx context.Context, line string) ([]ways.Text, error) {
	rows, err := q.conn(ctx).Query(ctx, selectText+"where line_id = $1 order by created_at desc limit $2", line, textsShown)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[ways.Text])
}

func (q *queries) TextTried(ctx context.Context, id, state, problem string, at time.Time) error {
	_, err := q.conn(ctx).Exec(ctx, "update text_message set state = $2, problem = $3, sent_at = case when $2 = 'sent' then $4::timestamptz end where id = $1",
		id, state, problem, at)
	return err
}
