package proofs

import (
	"context"
	"fmt"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/happen"

	"github.com/jackc/pgx/v5"
)

// Rows are the chains of events and the keys of studios.
type Rows struct{ *db.DB }

// A linked is an event with what its link is made of.
type linked struct {
	ID                  int64
	ParcelID            string
	At                  time.Time
	Kind                event.Kind
	LineID, VersionID   string
	LineName, LineEmail string
	LineSalt, LineSum   []byte
	ByName, ByEmail     string
	BySalt, BySum       []byte
	Facts               event.Facts
	LineCard, ByCard    *int64
}

// who are the sums that stand for the people of an event.
func (l linked) who() (line, by proof.Sum) {
	sum := func(card *int64, salt []byte, name, email string, kept []byte) (s proof.Sum) {
		switch {
		case card == nil:
		case kept != nil:
			copy(s[:], kept)
		default:
			s = proof.Who(salt, name, email)
		}
		return s
	}
	return sum(l.LineCard, l.LineSalt, l.LineName, l.LineEmail, l.LineSum), sum(l.ByCard, l.BySalt, l.ByName, l.ByEmail, l.BySum)
}

// selectLinked are events e with their people.
const selectLinked = `
	select e.id, e.parcel_id, e.at, e.kind, coalesce(e.line_id, ''), coalesce(e.version_id, ''), e.line_card,
	       coalesce(l.name, ''), coalesce(l.email, ''), l.salt, l.sum, e.by_card, coalesce(m.name, ''), coalesce(m.email, ''), m.salt, m.sum, e.facts `

// withCards joins the people of events e, each by its key: few events of many.
const withCards = `left join lateral (select * from card where id = e.line_card offset 0) l on true
	left join lateral (select * from card where id = e.by_card offset 0) m on true `

// fields are where the columns of selectLinked go.
func (l *linked) fields() []any {
	return []any{&l.ID, &l.ParcelID, &l.At, &l.Kind, &l.LineID, &l.VersionID, &l.LineCard, &l.LineName, &l.LineEmail, &l.LineSalt, &l.LineSum,
		&l.ByCard, &l.ByName, &l.ByEmail, &l.BySalt, &l.BySum, &l.Facts}
}

func scanLinked(row pgx.CollectableRow) (l linked, err error) {
	return l, row.Scan(l.fields()...)
}

// linksAtOnce is how many events get their links by one statement.
const linksAtOnce = 5000

// Link chains what happened to a package and has no link yet, in the transaction of ctx,
// and returns where its chain ends then; seq is 0 where nothing happened. Others who would
// link events of this package wait until the transaction is over.
func (q Rows) Link(ctx context.Context, parcel string) (seq int64, sum []byte, err error) {
	if db.Tx(ctx) == nil {
		return 0, nil, db.ErrOutsideTx
	}
	if _, err := q.Conn(ctx).Exec(ctx, "insert into chain (parcel_id) values ($1) on conflict do nothing", parcel); err != nil {
		return 0, nil, err
	}
	if err := q.Conn(ctx).QueryRow(ctx, "select seq, sum from chain where parcel_id = $1 for update", parcel).Scan(&seq, &sum); err != nil {
		return 0, nil, fmt.Errorf("lock the chain of events: %w", err)
	}
	for {
		rows, err := q.Conn(ctx).Query(ctx, selectLinked+`
			from (select * from unlinked where parcel_id = $1 order by at, event_id limit $2) u
			join event e on e.parcel_id = u.parcel_id and e.at = u.at and e.id = u.event_id
			`+withCards+`order by e.at, e.id`, parcel, linksAtOnce)
		if err != nil {
			return 0, nil, err
		}
		events, err := pgx.CollectRows(rows, scanLinked)
		if err != nil || len(events) == 0 {
			return seq, sum, err
		}
		if seq, sum, err = q.writeLinks(ctx, events, seq, sum); err != nil {
			return 0, nil, err
		}
	}
}

// writeLinks writes the links of events of one package, in order, behind the end of its chain.
func (q Rows) writeLinks(ctx context.Context, events []linked, seq int64, sum []byte) (int64, []byte, error) {
	n := len(events)
	seqs, ids, ats, sums := make([]int64, n), make([]int64, n), make([]time.Time, n), make([][]byte, n)
	for i, e := range events {
		made := e.link(seq+1, sum).Sum()
		seq, sum = seq+1, made[:]
		seqs[i], ids[i], ats[i], sums[i] = seq, e.ID, e.At, sum
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		with new as (
			insert into link (parcel_id, seq, event_id, at, sum)
			select $1, * from unnest($2::bigint[], $3::bigint[], $4::timestamptz[], $5::bytea[]) returning event_id
		), done as (
			delete from unlinked where parcel_id = $1 and event_id = any($3)
		)
		update chain set seq = $6, sum = $7 where parcel_id = $1`, events[0].ParcelID, seqs, ids, ats, sums, seq, sum)
	if err != nil {
		return 0, nil, fmt.Errorf("chain events: %w", err)
	}
	return seq, sum, nil
}

// Unlinked are packages behind another of which something happened that has no link yet.
func (q Rows) Unlinked(ctx context.Context, after string, limit int) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		with recursive p as (
			(select parcel_id, 1 as n from unlinked where parcel_id > $1 order by parcel_id limit 1)
			union all
			select next.parcel_id, n + 1 from p, lateral (
				select parcel_id from unlinked u where u.parcel_id > p.parcel_id order by parcel_id limit 1) next where n < $2
		) select parcel_id from p`, after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// link is an event in its place in the chain.
func (l linked) link(seq int64, prev []byte) proof.Link {
	line, by := l.who()
	out := proof.Link{Parcel: l.ParcelID, Seq: seq, At: l.At, Kind: string(l.Kind), LineID: l.LineID, Version: l.VersionID, Line: line, By: by,
		Facts: l.Facts.Text()}
	copy(out.Prev[:], prev)
	return out
}

// Chained are events of a package in the order of their chain, after a place in it.
func (q Rows) Chained(ctx context.Context, parcel string, after int64, limit int) ([]happen.Chained, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectLinked+`, k.seq, k.sum
		from (select * from link where parcel_id = $1 and seq > $2 order by seq limit $3) k
		join event e on e.parcel_id = k.parcel_id and e.at = k.at and e.id = k.event_id
		`+withCards+`order by k.seq`, parcel, after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (c happen.Chained, err error) {
		var l linked
		var sum []byte
		err = row.Scan(append(l.fields(), &c.Link.Seq, &sum)...)
		c.Link = l.link(c.Link.Seq, nil)
		copy(c.Sum[:], sum)
		c.Line = happen.Card{Salt: l.LineSalt, Name: l.LineName, Email: l.LineEmail}
		c.By = happen.Card{Salt: l.BySalt, Name: l.ByName, Email: l.ByEmail}
		c.Facts = l.Facts
		return c, err
	})
}

// Chains are the chains behind a package, and how long each is kept to be.
func (q Rows) Chains(ctx context.Context, after string, limit int) ([]Chain, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select parcel_id, seq, sum from chain where parcel_id > $1 order by parcel_id limit $2", after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Chain])
}

// StudioKey is the key of a studio, its private part sealed.
func (q Rows) StudioKey(ctx context.Context, studio string) (public, private []byte, ok bool, err error) {
	rows, err := q.Conn(ctx).Query(ctx, "select public, private from studio_key where studio_id = $1", studio)
	if err != nil {
		return nil, nil, false, err
	}
	_, err = pgx.ForEachRow(rows, []any{&public, &private}, func() error { ok = true; return nil })
	return public, private, ok, err
}

// InsertStudioKey keeps a key unless there is one already.
func (q Rows) InsertStudioKey(ctx context.Context, studio string, public, private []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into studio_key (studio_id, public, private) values ($1, $2, $3) on conflict do nothing", studio,
		public, private)
	return err
}

// StudioKeys are the public keys of all studios.
func (q Rows) StudioKeys(ctx context.Context) ([]StudioKey, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select s.name as studio, k.public from studio_key k join studio s on s.id = k.studio_id order by s.name, k.public")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[StudioKey])
}

// StudioOfKey is which studio of this server signs with a key.
func (q Rows) StudioOfKey(ctx context.Context, public []byte) (string, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select s.name from studio_key k join studio s on s.id = k.studio_id where k.public = $1", public)
	return db.One(rows, err, pgx.RowTo[string])
}
