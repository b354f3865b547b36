package hooks

import (
	"context"
	"time"

	"aftergust/core/words/webhook"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/notices"

	"github.com/jackc/pgx/v5"
)

// Rows are webhooks and their deliveries.
type Rows struct{ *db.DB }

func (q Rows) InsertHook(ctx context.Context, h Hook) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into hook (id, studio_id, address, kinds, secret, made_at) values ($1, $2, $3, $4, $5, $6)", h.ID, h.StudioID,
		h.Address, h.Kinds, h.Secret, h.MadeAt)
	return err
}

// UpdateHook writes all of a hook but what its deliveries write.
func (q Rows) UpdateHook(ctx context.Context, h Hook) error {
	_, err := q.Conn(ctx).Exec(ctx, `update hook set address = $2, kinds = $3, secret = $4, before = $5, both_until = $6, off_at = $7, why_off = $8,
		failed_at = $9 where id = $1`, h.ID, h.Address, h.Kinds, h.Secret, h.Before, h.BothUntil, h.OffAt, h.WhyOff, h.FailedAt)
	return err
}

func (q Rows) DeleteHook(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from hook where id = $1", id)
	return err
}

const selectHook = "select id, studio_id, address, kinds, secret, before, both_until, made_at, off_at, why_off, failed_at, took_at from hook "

func (q Rows) Hooks(ctx context.Context, studio string) ([]Hook, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectHook+"where studio_id = $1 order by made_at, id", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Hook])
}

// HookByID is a hook; with lock, it is not changed meanwhile.
func (q Rows) HookByID(ctx context.Context, id string, lock bool) (Hook, bool, error) {
	sql := selectHook + "where id = $1"
	if lock {
		sql += " for update"
	}
	rows, err := q.Conn(ctx).Query(ctx, sql, id)
	return db.One(rows, err, pgx.RowToStructByPos[Hook])
}

// InsertDeliveries makes a message of each event for each hook that wants its kind, and returns their ids.
func (q Rows) InsertDeliveries(ctx context.Context, all []notices.Happened) ([]string, error) {
	n := len(all)
	studios, kinds, parcels, events, at := make([]string, n), make([]string, n), make([]string, n), make([]int64, n), make([]time.Time, n)
	for i, h := range all {
		studios[i], kinds[i], parcels[i], events[i], at[i] = h.StudioID, string(h.Kind), h.ParcelID, h.EventID, h.At
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		insert into hook_delivery (id, hook_id, kind, parcel_id, event_id, at)
		select $1 || '-' || row_number() over (order by n.n, h.id), h.id, n.kind, n.parcel, n.event, n.at
		from unnest($2::text[], $3::text[], $4::text[], $5::bigint[], $6::timestamptz[]) with ordinality n (studio, kind, parcel, event, at, n)
		join hook h on h.studio_id = n.studio and h.off_at is null and n.kind = any(h.kinds)
		returning id`, ground.NewID(), studios, kinds, parcels, events, at)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) InsertTrial(ctx context.Context, d Delivery) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into hook_delivery (id, hook_id, kind, at) values ($1, $2, $3, $4)", d.ID, d.HookID, d.Kind, d.At)
	return err
}

const selectDelivery = `
	select d.id, d.hook_id, d.kind, coalesce(d.parcel_id, ''), coalesce(d.event_id, 0), d.at, d.state, d.tries, d.next_at, d.tried_at,
	       d.status, d.took_ms, d.says, coalesce(p.title, '')
	from hook_delivery d left join parcel p on p.id = d.parcel_id `

func (q Rows) DeliveryByID(ctx context.Context, id string) (Delivery, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectDelivery+"where d.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByPos[Delivery])
}

func (q Rows) Deliveries(ctx context.Context, hook string, after Cursor, limit int) ([]Delivery, error) {
	where, args := "where d.hook_id = $1", []any{hook, limit}
	if after.ID != "" {
		where, args = where+" and (d.at, d.id) < ($3, $4)", append(args, after.At, after.ID)
	}
	rows, err := q.Conn(ctx).Query(ctx, selectDelivery+where+" order by d.at desc, d.id desc limit $2", args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Delivery])
}

// Tried writes down what became of a try, on its hook too.
func (q Rows) Tried(ctx context.Context, d Delivery) error {
	if _, err := q.Conn(ctx).Exec(ctx, `update hook_delivery set state = $2, tries = tries + 1, next_at = $3, tried_at = $4, status = $5, took_ms = $6,
		says = $7 where id = $1`, d.ID, d.State, d.NextAt, d.TriedAt, d.Status, d.TookMS, d.Says); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `update hook set failed_at = case when $2 then null else $3::timestamptz end,
		took_at = case when $2 then $3 else took_at end where id = $1`, d.HookID, webhook.OutcomeOf(d.Status) == webhook.Took, d.TriedAt)
	return err
}

// GiveUp writes down that a message will not go, and why.
func (q Rows) GiveUp(ctx context.Context, id, why string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update hook_delivery set state = $2, next_at = null, says = $3 where id = $1 and state = $4", id, GivenUp, why,
		Waiting)
	return err
}

func (q Rows) EventOf(ctx context.Context, parcel string, at time.Time, id int64) (Event, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select e.kind, e.at, e.parcel_id, coalesce(e.line_id, ''), coalesce(l.email, ''), coalesce(e.version_id, ''), coalesce(l.name, ''),
		       coalesce(m.name, ''), e.facts, p.title
		from event e join parcel p on p.id = e.parcel_id left join card l on l.id = e.line_card left join card m on m.id = e.by_card
		where e.parcel_id = $1 and e.at = $2 and e.id = $3`, parcel, at, id)
	return db.One(rows, err, func(row pgx.CollectableRow) (e Event, err error) {
		return e, row.Scan(&e.Kind, &e.At, &e.ParcelID, &e.LineID, &e.Email, &e.VersionID, &e.Who.Line, &e.Who.Member, &e.Facts, &e.ParcelTitle)
	})
}
