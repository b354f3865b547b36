package pack

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/tally"

	"github.com/jackc/pgx/v5"
)

// ContentRows are the items of packages.
type ContentRows struct{ *db.DB }

var selectContent = `
	select pi.id, pi.parcel_id, pi.item_id, pi.folder, pi.position, pi.withdrawn_at, pi.heading, i.name as title,
	       case when i.rendition_of is null then '' else
	           coalesce((select l.id from parcel_item l where l.parcel_id = pi.parcel_id and l.item_id = i.rendition_of
	    and l.withdrawn_at is null), '') end as lead,
	       case when v.number = 1 then '{}' else
	           array(select o.id from version o where o.item_id = v.item_id and o.number < v.number order by o.number) end as older,
	       ` + gather.PieceOf(tally.GivenAs) + `
	from parcel_item pi ` + tally.Given + gather.MadeOf

func (q ContentRows) Contents(ctx context.Context, parcel string, after Place, limit int) ([]Content, error) {
	// The page is found by its index before anything is joined to it.
	rows, err := q.Conn(ctx).Query(ctx, selectContent+`
		where pi.id = any(array(
			select id from parcel_item where parcel_id = $1 and withdrawn_at is null and (position, id) > ($2, $3) order by position, id limit $4))
		order by pi.position, pi.id`, parcel, after.Position, after.ID, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Content])
}

func (q ContentRows) ContentByID(ctx context.Context, id string) (Content, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectContent+"where pi.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Content])
}

// Gives reports whether a package holds an item.
func (q ContentRows) Gives(ctx context.Context, parcel, item string) (there bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from parcel_item where parcel_id = $1 and item_id = $2)", parcel, item).Scan(&there)
	return there, err
}

// PutItems adds items that are not in a package yet, in order behind those
// that are, and folders with nothing in them; it returns how many items it added.
func (q ContentRows) PutItems(ctx context.Context, parcel string, items []Put, empty []string) (int, error) {
	ids, things, folders, positions := make([]string, len(items)), make([]string, len(items)), make([]string, len(items)),
		make([]int, len(items))
	for i, put := range items {
		ids[i], things[i], folders[i], positions[i] = ground.NewID(), put.ItemID, put.Folder, put.Position
	}
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, []string{parcel}); err != nil {
		return 0, err
	}
	if len(empty) > 0 {
		if _, err := q.Conn(ctx).Exec(ctx, `
			update parcel set empty_folders = array(select distinct f from unnest(empty_folders || $2::text[]) f order by f) where id = $1`, parcel,
			empty); err != nil {
			return 0, err
		}
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		insert into parcel_item (id, parcel_id, item_id, folder, position, added_at)
		select n.id, $1, n.item, n.folder, case when n.position > 0 then n.position else last.position + n.n::int end, clock_timestamp()
		from unnest($2::text[], $3::text[], $4::text[], $5::int[]) with ordinality n (id, item, folder, position, n),
		     (select greatest(coalesce((select max(position) from parcel_item where parcel_id = $1), 0), coalesce((select max(position)
		    from upload where parcel_id = $1), 0)) as position) last
		order by n.n on conflict (parcel_id, item_id) do nothing returning item_id`, parcel, ids, things, folders, positions)
	if err != nil {
		return 0, err
	}
	added, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, err
	}
	return len(added), tally.Rows{DB: q.DB}.Settle(ctx, []string{parcel}, added)
}

func (q ContentRows) RemoveItem(ctx context.Context, parcel, id string) error {
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, []string{parcel}); err != nil {
		return err
	}
	if err := q.passHeading(ctx, parcel, id); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `
		with gone as (delete from parcel_item where id = $2 and parcel_id = $1 returning counted, weight, loose)
		update parcel p set items = p.items - gone.counted::int, weight = p.weight - gone.weight, loose = p.loose - case when gone.loose
		    then gone.weight else 0 end
		from gone where p.id = $1`, parcel, id)
	return err
}

func (q ContentRows) WithdrawItem(ctx context.Context, parcel, id string, at time.Time) error {
	if err := (tally.Rows{DB: q.DB}).Touch(ctx, []string{parcel}); err != nil {
		return err
	}
	if err := q.passHeading(ctx, parcel, id); err != nil {
		return err
	}
	var item string
	if err := q.Conn(ctx).QueryRow(ctx, "update parcel_item set withdrawn_at = $3 where id = $2 and parcel_id = $1 returning item_id", parcel,
		id, at).Scan(&item); err != nil {
		return err
	}
	return tally.Rows{DB: q.DB}.Settle(ctx, []string{parcel}, []string{item})
}

// passHeading gives the heading of an item that goes to the one after it.
func (q ContentRows) passHeading(ctx context.Context, parcel, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update parcel_item n set heading = o.heading from parcel_item o, lateral (
			select id from parcel_item a where a.parcel_id = $1 and a.withdrawn_at is null and (a.position, a.id) > (o.position, o.id)
			order by a.position, a.id limit 1) next
		where o.id = $2 and o.parcel_id = $1 and o.heading <> '' and n.id = next.id and n.heading = ''`, parcel, id)
	return err
}
