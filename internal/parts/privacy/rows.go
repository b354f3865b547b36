package privacy

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are all that is kept of one person.
type Rows struct{ *db.DB }

// theirs is true of the lines l of a person ($1): those on waybills, and entries of theirs in
// guest books, which nobody has put into the contact book and which bear their address.
const theirs = `(l.person_id = $1 or l.guest_of is not null and l.card_id in (
	select c.id from person r join card c on c.studio_id = r.studio_id and c.email <> '' and lower(c.email) = lower(r.email) where r.id = $1))`

// FileOf is what is kept of a person but for their events.
func (q Rows) FileOf(ctx context.Context, person string) (f File, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select r.name, r.email, r.zone, r.language, coalesce(c.name, ''), r.rate, r.created_at,
		       (select count(*) from visit v join line l on l.id = v.line_id where `+theirs+`)
		from person r left join place c on c.id = r.client_id where r.id = $1`, person).Scan(&f.Name, &f.Email, &f.Zone, &f.Language, &f.Client,
		&f.Rate, &f.Since, &f.Devices)
	if err != nil {
		return f, err
	}
	if f.Packages, err = ofPerson[Package](ctx, q.Conn(ctx), person, `
		select p.title, p.sent_at, l.rights, s.delivered, s.opened_at, s.seen_at
		from line l join parcel p on p.id = l.parcel_id join standing s on s.line_id = l.id where `+theirs+` order by l.created_at, l.id`); err != nil {
		return f, err
	}
	if f.Letters, err = ofPerson[Letter](ctx, q.Conn(ctx), person, `
		select t.created_at, t.kind, t.to_email, t.state from line l join letter t on t.line_id = l.id where `+theirs+`
		order by t.created_at, t.id`); err != nil {
		return f, err
	}
	if f.Viewings, err = ofPerson[Viewing](ctx, q.Conn(ctx), person, `
		select w.began_at, w.last_at, p.title, i.name, coalesce((select sum(e - s) from unnest(w.starts, w.ends) r (s, e)), 0)::bigint,
		       coalesce((select sum(n) from unnest(w.pages) n), 0)::bigint
		from line l join viewing w on w.line_id = l.id join parcel p on p.id = w.parcel_id join version v on v.id = w.version_id
		join item i on i.id = v.item_id where `+theirs+` order by w.began_at, w.key`); err != nil {
		return f, err
	}
	if f.Texts, err = ofPerson[Text](ctx, q.Conn(ctx), person, `
		select t.created_at, t.number, t.state from line l join text_message t on t.line_id = l.id where `+theirs+`
		order by t.created_at, t.id`); err != nil {
		return f, err
	}
	if f.Asked, err = ofPerson[Note](ctx, q.Conn(ctx), person, `
		select k.asked_at, k.message from line l join knock k on k.line_id = l.id where `+theirs+` order by k.asked_at, k.id`); err != nil {
		return f, err
	}
	if f.Signed, err = ofPerson[Entry](ctx, q.Conn(ctx), person, `
		select l.created_at, p.title, c.name, c.email from line l join parcel p on p.id = l.parcel_id join card c on c.id = l.card_id
		where l.guest_of is not null and `+theirs+` order by l.created_at, l.id`); err != nil {
		return f, err
	}
	if f.LinkNames, err = ofPerson[LinkName](ctx, q.Conn(ctx), person, `
		select n.name, p.title from line l join link_name n on n.line_id = l.id join parcel p on p.id = l.parcel_id where `+theirs+`
		order by n.name`); err != nil {
		return f, err
	}
	f.Notes, err = ofPerson[Note](ctx, q.Conn(ctx), person, `
		select n.created_at, n.body from line l join note n on n.parcel_id = l.parcel_id and n.line_id = l.id
		where `+theirs+` and n.removed_at is null order by n.created_at, n.id`)
	return f, err
}

// ofPerson are rows of one kind that are kept of a person.
func ofPerson[T any](ctx context.Context, q db.Querier, person, sql string) ([]T, error) {
	rows, err := q.Query(ctx, sql, person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[T])
}

// ActsOf are the events of a person, the oldest first, at most so many.
func (q Rows) ActsOf(ctx context.Context, person string, limit int) ([]Act, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select e.at, p.title, e.kind, coalesce(c.name, ''), e.facts
		from line l join parcel p on p.id = l.parcel_id join event e on e.parcel_id = l.parcel_id and e.line_id = l.id
		left join card c on c.id = e.line_card
		where `+theirs+` order by e.at, e.id limit $2`, person, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (a Act, err error) {
		return a, row.Scan(&a.At, &a.Title, &a.Kind, &a.Who.Line, &a.Facts)
	})
}

// LockLines locks the packages that somebody is on the waybill of, and returns them with their lines.
func (q Rows) LockLines(ctx context.Context, person string) (parcels, lines []string, err error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select p.id, l.id from line l join parcel p on p.id = l.parcel_id where `+theirs+` order by p.id, l.id for update of p`, person)
	if err != nil {
		return nil, nil, err
	}
	var parcel, line string
	_, err = pgx.ForEachRow(rows, []any{&parcel, &line}, func() error {
		parcels, lines = append(parcels, parcel), append(lines, line)
		return nil
	})
	return parcels, lines, err
}

// CardsOf are all cards of a person that are not erased yet.
func (q Rows) CardsOf(ctx context.Context, person string) ([]Card, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		with theirs as (
			select c.id from person r join card c on c.studio_id = r.studio_id and c.email <> '' and lower(c.email) = lower(r.email)
			where r.id = $1
			union select l.card_id from line l where `+theirs+`
			union select e.line_card from line l join event e on e.parcel_id = l.parcel_id and e.line_id = l.id where `+theirs+`
		)
		select c.id, c.name, c.email, c.salt from theirs join card c on c.id = theirs.id
		where c.sum is null and not exists (select from member m where m.card_id = c.id) order by c.id for update of c`, person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Card])
}

func (q Rows) EraseCard(ctx context.Context, id int64, sum []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, "update card set name = '', email = '', salt = null, sum = $2 where id = $1", id, sum)
	return err
}

// ErasePerson takes away all else that tells who somebody is, and them from every waybill.
func (q Rows) ErasePerson(ctx context.Context, person string, lines []string, at time.Time) error {
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{"update line set removed_at = coalesce(removed_at, $2), quiet_since = coalesce(quiet_since, $2) where id = any($1)", []any{lines, at}},
		{"delete from door_code where line_id = any($1)", []any{lines}},
		{"delete from visit where line_id = any($1)", []any{lines}},
		{"delete from present where line_id = any($1)", []any{lines}},
		{"update way_in set withdrawn_at = coalesce(withdrawn_at, $2) where line_id = any($1)", []any{lines, at}},
		{"update knock set name = '', message = '', answered_at = coalesce(answered_at, $2) where line_id = any($1)", []any{lines, at}},
		{"update text_message set number = '' where line_id = any($1)", []any{lines}},
		{`update letter set to_name = '', to_email = '', data = '{}', last_error = '', state = case when state = 'waiting' then 'refused' else state end
			where line_id = any($1)`, []any{lines}},
		{"update note set body = 'What was said here was erased.' where line_id = any($1) and body = ''", []any{lines}},
		{"delete from attachment where line_id = any($1) or note_id in (select id from note where line_id = any($1))", []any{lines}},
		{"delete from link_name where line_id = any($1)", []any{lines}},
		{"delete from note_words w using note n where w.note_id = n.id and n.line_id = any($1)", []any{lines}},
		{"delete from group_person where person_id = $1", []any{person}},
		// Of no host that there is (RFC 2606), since an address names one person of a book.
		{`update person set name = 'Erased', email = id || '@erased.invalid', zone = '', language = '', client_id = null, rate = 0, bounced = '',
			gone_at = coalesce(gone_at, $2) where id = $1`, []any{person, at}},
	} {
		if _, err := q.Conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return err
		}
	}
	return nil
}
