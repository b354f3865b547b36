package postgres

import (
	"context"
	"fmt"
	"time"

	"aftergust/core/event"
	"aftergust/core/proof"
	"aftergust/internal/happen"

	"github.com/jackc/pgx/v5"
)

// A head is the end of the chain of a package.
type head struct {
	ParcelID string
	Seq      int64
	Sum      []byte
	Fresh    bool // there was no chain
}

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

// fields are where the columns of selectLinked go.
func (l *linked) fields() []any {
	return []any{&l.ID, &l.ParcelID, &l.At, &l.Kind, &l.LineID, &l.VersionID, &l.LineCard, &l.LineName, &l.LineEmail, &l.LineSalt, &l.LineSum,
		&l.ByCard, &l.ByName, &l.ByEmail, &l.BySalt, &l.BySum, &l.Facts}
}

func scanLinked(row pgx.CollectableRow) (l linked, err error) {
	return l, row.Scan(l.fields()...)
}

// lockChains makes others who write events of some packages wait, and returns where
// their chains end. A package whose events were written before there were chains gets
// its chain now.
func (q *queries) lockChains(ctx context.Context, parcels []string) (map[string]*head, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		insert into chain (parcel_id) select distinct p from unnest($1::text[]) p order by p
		on conflict (parcel_id) do update set seq = chain.seq returning parcel_id, seq, sum, xmax = 0 as fresh`, parcels)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByName[head])
	if err != nil {
		return nil, fmt.Errorf("lock the chain of events: %w", err)
	}
	heads, fresh := map[string]*head{}, []string{}
	for i, h := range all {
		heads[h.ParcelID] = &all[i]
		if h.Fresh {
			fresh = append(fresh, h.ParcelID)
		}
	}
	if len(fresh) == 0 {
		return heads, nil
	}
	rows, err = q.conn(ctx).Query(ctx, selectLinked+`
		from event e left join lateral (select * from card where id = e.line_card offset 0) l on true -- each by its key
		left join lateral (select * from card where id = e.by_card offset 0) m on true
		where e.parcel_id = any($1) order by e.parcel_id, e.at, e.id`, fresh)
	if err != nil {
		return nil, err
	}
	before, err := pgx.CollectRows(rows, scanLinked)
	if err != nil || len(before) == 0 {
		return heads, err
	}
	return heads, q.chain(ctx, heads, before)
}

// chain writes the links of events, in order, behind the ends of their chains.
func (q *queries) chain(ctx context.Context, heads map[string]*head, events []linked) error {
	n := len(events)
	parcels, seqs, ids, ats, sums := make([]string, n), make([]int64, n), make([]int64, n), make([]time.Time, n), make([][]byte, n)
	for i, e := range events {
		h := heads[e.ParcelID]
		sum := e.link(h.Seq+1, h.Sum).Sum()
		h.Seq, h.Sum = h.Seq+1, sum[:]
		parcels[i], seqs[i], ids[i], ats[i], sums[i] = e.ParcelID, h.Seq, e.ID, e.At, sum[:]
	}
	_, err := q.conn(ctx).Exec(ctx, `
		with new as (
			insert into link (parcel_id, seq, event_id, at, sum)
			select * from unnest($1::text[], $2::bigint[], $3::bigint[], $4::timestamptz[], $5::bytea[])
			returning parcel_id, seq, sum
		)
		update chain c set seq = new.seq, sum = new.sum from new
		where c.parcel_id = new.parcel_id and new.seq = (select max(seq) from new last where last.parcel_id = new.parcel_id)`,
		parcels, seqs, ids, ats, sums)
	if err != nil {
		return fmt.Errorf("chain events: %w", err)
	}
	return nil
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
func (q *queries) Chained(ctx context.Context, parcel string, after int64, limit int) ([]happen.Chained, error) {
	rows, err := q.conn(ctx).Query(ctx, selectLinked+`, k.seq, k.sum
		from (select * from link where parcel_id = $1 and seq > $2 order by seq limit $3) k
		join event e on e.parcel_id = k.parcel_id and e.at = k.at and e.id = k.event_id
		left join card l on l.id = e.line_card left join card m on m.id = e.by_card order by k.seq`, parcel, after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (c happen.Chained, err error) {
		var l linked
		var sum []byte
		err = row.Scan(append(l.fields(), &c.Link.Seq, &sum)...)
		seq := c.Link.Seq
		c.Link = l.link(seq, nil)
		copy(c.Sum[:], sum)
		c.Line = happen.Card{Salt: l.LineSalt, Name: l.LineName, Email: l.LineEmail}
		c.By = happen.Card{Salt: l.BySalt, Name: l.ByName, Email: l.ByEmail}
		c.Facts = l.Facts
		return c, err
	})
}

// ChainHead is where the chain of a package ends; seq 0 where nothing happened. A package
// whose events were written before there were chains gets its chain now.
func (q *queries) ChainHead(ctx context.Context, parcel string) (seq int64, sum []byte, err error) {
	err = q.Tx(ctx, func(ctx context.Context) error {
		heads, err := q.lockChains(ctx, []string{parcel})
		if err == nil {
			seq, sum = heads[parcel].Seq, heads[parcel].Sum
		}
		return err
	})
	return seq, sum, err
}

func (q *queries) StudioKey(ctx context.Context, studio string) (public, private []byte, ok bool, err error) {
	rows, err := q.conn(ctx).Query(ctx, "select public, private from studio_key where studio_id = $1", studio)
	if err != nil {
		return nil, nil, false, err
	}
	_, err = pgx.ForEachRow(rows, []any{&public, &private}, func() error { ok = true; return nil })
	return public, private, ok, err
}

func (q *queries) InsertStudioKey(ctx context.Context, studio string, public, private []byte) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into studio_key (studio_id, public, private) values ($1, $2, $3) on conflict do nothing", studio,
		public, private)
	return err
}

func (q *queries) StudioOfKey(ctx context.Context, public []byte) (string, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, "select s.name from studio_key k join studio s on s.id = k.studio_id where k.public = $1", public)
	return one(rows, err, pgx.RowTo[string])
}
