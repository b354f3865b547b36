package postgres

import (
	"context"
	"time"

	"aftergust/core/ledger"
	"aftergust/core/right"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"

	"github.com/jackc/pgx/v5"
)

// lineOf is what pack.Line is filled from: a line l with its card, the person,
// and the newest of its ways in.
const lineOf = `l.id, l.parcel_id, coalesce(l.person_id, ''), c.name, c.email, coalesce(r.zone, ''), coalesce(l.guest_of, ''), l.rights, l.may_pass_on, l.removed_at, l.quiet_since,
	       w.id, w.kind, w.nonce, w.hash, w.since, w.until, w.withdrawn_at `

const fromLine = `from line l join card c on c.id = l.card_id left join person r on r.id = l.person_id `

// wayOf is the way in of a line l that is shown of it.
const wayOf = `join lateral (select * from way_in w where w.line_id = l.id and w.kind <> 'pickup' order by w.since desc, w.id desc limit 1) w on true `

func scanLine(l *pack.Line) []any {
	return []any{&l.ID, &l.ParcelID, &l.PersonID, &l.Name, &l.Email, &l.Zone, &l.GuestOf, &l.Rights, &l.MayPassOn, &l.RemovedAt, &l.QuietAt,
		&l.WayID, &l.WayKind, &l.LinkNonce, &l.LinkHash, &l.Since, &l.Until, &l.Withdrawn}
}

func toLine(row pgx.CollectableRow) (l pack.Line, err error) { return l, row.Scan(scanLine(&l)...) }

func (q *queries) Lines(ctx context.Context, parcel string) ([]pack.Line, error) {
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+wayOf+"where l.parcel_id = $1 order by l.created_at, l.id", parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, toLine)
}

func (q *queries) LineByID(ctx context.Context, id string) (pack.Line, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+wayOf+"where l.id = $1", id)
	return one(rows, err, toLine)
}

func (q *queries) LineByLink(ctx context.Context, hash []byte) (pack.Line, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+"join way_in w on w.line_id = l.id where w.hash = $1", hash)
	return one(rows, err, toLine)
}

func (q *queries) InsertLine(ctx context.Context, l pack.Line) error {
	_, err := q.conn(ctx).Exec(ctx, `
		with card as (insert into card (studio_id, name, email) select studio_id, $3, $4 from parcel where id = $2 returning id),
		line as (insert into line (id, parcel_id, person_id, card_id, rights, may_pass_on, guest_of, created_at)
		         select $1, $2, $5, card.id, $6, $7, $13, clock_timestamp() from card returning id),
		stood as (insert into standing (line_id, parcel_id) select id, $2 from line)
		insert into way_in (id, line_id, kind, nonce, hash, since) select $8, id, $9, $10, $11, $12 from line`,
		l.ID, l.ParcelID, l.Name, l.Email, optional(l.PersonID), orNone(l.Rights), l.MayPassOn,
		l.WayID, l.WayKind, l.LinkNonce, l.LinkHash, l.Since, optional(l.GuestOf))
	return err
}

// orNone is rights as they are kept: none is an empty list.
func orNone(r right.Rights) right.Rights {
	if r == nil {
		return right.Rights{}
	}
	return r
}

func (q *queries) UpdateLine(ctx context.Context, l pack.Line) error {
	// Somebody who is called otherwise now gets another card; what has been keeps the one it had.
	_, err := q.conn(ctx).Exec(ctx, `
		with card as (
			insert into card (studio_id, name, email) select p.studio_id, $2, c.email from line l join parcel p on p.id = l.parcel_id
			    join card c on c.id = l.card_id
			where l.id = $1 and c.name <> $2 returning id)
		update line set rights = $3, may_pass_on = $4, removed_at = $5, card_id = coalesce((select id from card), card_id) where id = $1`,
		l.ID, l.Name, orNone(l.Rights), l.MayPassOn, l.RemovedAt)
	return err
}

func (q *queries) UpdateGuests(ctx context.Context, of pack.Line) error {
	_, err := q.conn(ctx).Exec(ctx, "update line set rights = $2, removed_at = coalesce(removed_at, $3) where guest_of = $1", of.ID,
		orNone(of.Rights), of.RemovedAt)
	return err
}

func (q *queries) CountGuests(ctx context.Context, of string) (n int, err error) {
	return n, q.conn(ctx).QueryRow(ctx, "select count(*) from line where guest_of = $1", of).Scan(&n)
}

func (q *queries) QuietLine(ctx context.Context, id string, at time.Time) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, "update line set quiet_since = $2 where id = $1 and quiet_since is null", id, at)
	return done.RowsAffected() == 1, err
}

func (q *queries) DeleteLine(ctx context.Context, id string) error {
	for _, sql := range []string{"delete from visit where line_id = $1", "delete from door_code where line_id = $1",
		"delete from way_in where line_id = $1", "delete from line where id = $1"} {
		if _, err := q.conn(ctx).Exec(ctx, sql, id); err != nil {
			return err
		}
	}
	return nil
}

func (q *queries) Strands(ctx context.Context, parcels []string, gone bool) (map[string][]follow.Strand, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select `+lineOf+`, p.items, p.weight, s.whole, s.behind, s.gaps, s.delivered, s.opened_at, s.seen_at, s.completed_at
		`+fromLine+wayOf+`join standing s on s.line_id = l.id join parcel p on p.id = l.parcel_id
		where l.parcel_id = any($1) and ($2 or l.removed_at is null) order by l.parcel_id, l.created_at, l.id`, parcels, gone)
	if err != nil {
		return nil, err
	}
	out := map[string][]follow.Strand{}
	_, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (none struct{}, err error) {
		var s follow.Strand
		var opened, seen, completed moment
		err = row.Scan(append(scanLine(&s.Line), &s.Standing.Files, &s.Standing.Owed, &s.Standing.Whole, &s.Standing.Behind, &s.Standing.Gaps,
			&s.Standing.Delivered,
			&opened, &seen, &completed)...)
		s.Standing.FirstOpened, s.Standing.LastSeen, s.Standing.LastCompleted = opened.time(), seen.time(), completed.time()
		out[s.Line.ParcelID] = append(out[s.Line.ParcelID], s)
		return none, err
	})
	return out, err
}

func (q *queries) LastTo(ctx context.Context, studio, person string, limit int) ([]pack.Parcel, map[string]follow.Strand, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select l.id, l.parcel_id from line l join parcel p on p.id = l.parcel_id
		where l.person_id = $2 and l.removed_at is null and p.studio_id = $1 and p.sent_at is not null order by l.created_at desc limit $3`, studio, person,
		limit)
	if err != nil {
		return nil, nil, err
	}
	var line, parcel string
	var ids []string
	lines := map[string]bool{}
	if _, err = pgx.ForEachRow(rows, []any{&line, &parcel}, func() error {
		ids, lines[line] = append(ids, parcel), true
		return nil
	}); err != nil {
		return nil, nil, err
	}
	all, err := q.Strands(ctx, ids, false)
	if err != nil {
		return nil, nil, err
	}
	theirs := map[string]follow.Strand{}
	for _, strands := range all {
		for _, s := range strands {
			if lines[s.Line.ID] {
				theirs[s.Line.ParcelID] = s
			}
		}
	}
	parcels, err := q.parcels(ctx, "where p.id = any($1) order by p.sent_at desc", ids)
	return parcels, theirs, err
}

func (q *queries) SetStanding(ctx context.Context, line string, s ledger.Standing) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update standing set delivered = $2, whole = $3, gaps = $4, behind = $5, completed_at = $6, opened_at = $7, seen_at = $8
		    where line_id = $1`,
		line, s.Delivered, s.Whole, s.Gaps, s.Behind, timeOrNil(s.LastCompleted), timeOrNil(s.FirstOpened), timeOrNil(s.LastSeen))
	return err
}

func (q *queries) Gates(ctx context.Context, parcels, lines []string) (receive.Gates, error) {
	g := receive.Gates{Parcels: map[string]pack.Parcel{}, Lines: map[string]pack.Line{}, Withdrawn: map[string]bool{}}
	all, err := q.parcels(ctx, "where p.id = any($1) and p.discarded_at is null", parcels)
	if err != nil {
		return g, err
	}
	for _, p := range all {
		g.Parcels[p.ID] = p
	}
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+wayOf+"where l.id = any($1)", lines)
	if err != nil {
		return g, err
	}
	found, err := pgx.CollectRows(rows, toLine)
	if err != nil {
		return g, err
	}
	for _, l := range found {
		g.Lines[l.ID] = l
	}
	rows, err = q.conn(ctx).Query(ctx, "select id from parcel_item where parcel_id = any($1) and withdrawn_at is not null", parcels)
	if err != nil {
		return g, err
	}
	var id string
	_, err = pgx.ForEachRow(rows, []any{&id}, func() error { g.Withdrawn[id] = true; return nil })
	return g, err
}

func (q *queries) Readers(ctx context.Context, parcel, line string) ([]letters.Reader, error) {
	rows, err := q.conn(ctx).Query(ctx, "select "+lineOf+fromLine+wayOf+`
		where l.parcel_id = $1 and ($2 = '' or l.id = $2) and l.removed_at is null and l.person_id is not null order by l.created_at, l.id`,
		parcel, line)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, toLine)
	var out []letters.Reader
	for _, l := range all {
		if l.Reads() {
			out = append(out, letters.Reader{LineID: l.ID, Name: l.Name, Email: l.Email})
		}
	}
	return out, err
}

func (q *queries) Producer(ctx context.Context, parcel string) (letters.Reader, error) {
	var r letters.Reader
	err := q.conn(ctx).QueryRow(ctx, "select m.name, m.email from parcel p join member m on m.id = p.created_by where p.id = $1",
		parcel).Scan(&r.Name, &r.Email)
	return r, err
}
