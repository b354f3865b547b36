package letters

import (
	"context"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are letters.
type Rows struct{ *db.DB }

const selectLetter = `
	select id, studio_id, coalesce(parcel_id, '') as parcel_id, coalesce(line_id, '') as line_id, kind, to_name, to_email, data, state,
	       tries, last_error, created_at, sent_at
	from letter `

func (q Rows) InsertLetter(ctx context.Context, l Letter) error {
	if l.Data == nil {
		l.Data = map[string]string{}
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into letter (id, studio_id, parcel_id, line_id, kind, to_name, to_email, data, created_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		l.ID, l.StudioID, db.Optional(l.ParcelID), db.Optional(l.LineID), l.Kind, l.ToName, l.ToEmail, l.Data, l.CreatedAt)
	return err
}

func (q Rows) LetterByID(ctx context.Context, id string) (Letter, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectLetter+"where id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Letter])
}

// Letters are those that brought links, and those that have not gone.
func (q Rows) Letters(ctx context.Context, parcel string) ([]Letter, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectLetter+`where parcel_id = $1 and (kind = 'delivery' or state <> 'sent') order by created_at,
		id`, parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Letter])
}

func (q Rows) HandLetter(ctx context.Context, id string, at time.Time) (before bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		with old as (select id, handing_at from letter where id = $1 for update)
		update letter l set handing_at = $2 from old where l.id = old.id returning old.handing_at is not null`, id, at).Scan(&before)
	return before, err
}

func (q Rows) LetterTried(ctx context.Context, id string, state letter.State, problem string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update letter set state = $2, last_error = $3, tries = tries + 1, handing_at = null, sent_at = case when $2 = 'sent' then now() end where id = $1`, id,
		state, problem)
	return err
}

func (q Rows) LetterUncertain(ctx context.Context, id, problem string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update letter set last_error = $2, tries = tries + 1 where id = $1", id, problem)
	return err
}

func (q Rows) LetterBounced(ctx context.Context, l Letter, why string) error {
	if _, err := q.Conn(ctx).Exec(ctx, "update letter set state = 'bounced', last_error = $2 where id = $1", l.ID, "It did not arrive: "+why+"."); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, "update person set bounced = $3 where studio_id = $1 and lower(email) = lower($2)", l.StudioID, l.ToEmail, why)
	return err
}

func (q Rows) Subject(ctx context.Context, l Letter) (Subject, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select s.name, m.name, m.email, p.title, p.cover_letter, p.door, p.end_rule, p.sent_at, p.ends_at, p.stopped_at,
		    p.cleared_at, p.items, p.weight,
		       coalesce(c.name, ''), coalesce(r.zone, ''), coalesce(l.rights, '{}'), l.removed_at is not null or w.withdrawn_at is not null,
		    w.nonce, coalesce(h.main, ''), coalesce(h.ground, ''), coalesce(h.band, ''), coalesce(h.sign_off, ''),
		    case when h.logo is null then '' else '/letterheads/' || h.id || '/logo?' || h.edition end
		from parcel p join member m on m.id = p.created_by join studio s on s.id = p.studio_id
		left join line l on l.id = $2 and l.parcel_id = p.id left join card c on c.id = l.card_id left join person r on r.id = l.person_id
		left join lateral (select * from way_in w where w.line_id = l.id and w.kind <> 'pickup' order by w.since desc, w.id desc limit 1) w on true
		left join lateral (select * from letterhead h where h.id = p.letterhead_id
		    or p.letterhead_id is null and h.studio_id = p.studio_id and h.standard limit 1) h on true
		where p.id = $1`, l.ParcelID, l.LineID)
	return db.One(rows, err, func(row pgx.CollectableRow) (about Subject, err error) {
		var sent, ends, stopped, cleared db.Moment
		err = row.Scan(&about.StudioName, &about.SenderName, &about.SenderEmail, &about.Title, &about.CoverLetter, &about.Door, &about.Rule,
			&sent, &ends, &stopped, &cleared,
			&about.Items, &about.Weight, &about.LineName, &about.LineZone, &about.Rights, &about.Removed, &about.LinkNonce,
			&about.Head.Main, &about.Head.Ground, &about.Head.Band, &about.Head.SignOff, &about.Head.Logo)
		about.Moments = expiry.Moments{Sent: sent.Time(), Ends: ends.Time(), Stopped: stopped.Time(), Cleared: cleared.Time()}
		return about, err
	})
}

// Heard is when people of a package were last sent a letter of some kinds, by line.
func (q Rows) Heard(ctx context.Context, parcel string, kinds ...letter.Kind) (map[string]time.Time, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select line_id, max(created_at) from letter where parcel_id = $1 and line_id is not null and kind = any($2) group by line_id`, parcel,
		kinds)
	if err != nil {
		return nil, err
	}
	out := map[string]time.Time{}
	var line string
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{&line, &at}, func() error {
		out[line] = at
		return nil
	})
	return out, err
}
