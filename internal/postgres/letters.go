package postgres

import (
	"context"
	"time"

	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

const selectLetter = `
	select id, studio_id, coalesce(parcel_id, '') as parcel_id, coalesce(recipient_id, '') as recipient_id, kind, to_name, to_email, data, state,
	       tries, last_error, created_at, sent_at
	from letter `

func (q *queries) InsertLetter(ctx context.Context, l studio.Letter) error {
	if l.Data == nil {
		l.Data = map[string]string{}
	}
	_, err := q.db.Exec(ctx, `
		insert into letter (id, studio_id, parcel_id, recipient_id, kind, to_name, to_email, data) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		l.ID, l.StudioID, optional(l.ParcelID), optional(l.RecipientID), l.Kind, l.ToName, l.ToEmail, l.Data)
	return err
}

func (q *queries) LetterByID(ctx context.Context, id string) (studio.Letter, bool, error) {
	rows, err := q.db.Query(ctx, selectLetter+"where id = $1", id)
	return one(rows, err, pgx.RowToStructByName[studio.Letter])
}

func (q *queries) Letters(ctx context.Context, parcel string) ([]studio.Letter, error) {
	rows, err := q.db.Query(ctx, selectLetter+"where parcel_id = $1 order by created_at, id", parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Letter])
}

func (q *queries) LastLetter(ctx context.Context, recipient, kind string) (time.Time, error) {
	var at *time.Time
	if err := q.db.QueryRow(ctx, "select max(created_at) from letter where recipient_id = $1 and kind = $2", recipient, kind).Scan(&at); err != nil || at == nil {
		return time.Time{}, err
	}
	return *at, nil
}

func (q *queries) LetterTried(ctx context.Context, id, state, problem string) error {
	_, err := q.db.Exec(ctx, `
		update letter set state = $2, last_error = $3, tries = tries + 1, sent_at = case when $2 = 'sent' then now() end where id = $1`, id, state, problem)
	return err
}
