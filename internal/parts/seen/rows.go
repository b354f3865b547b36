package seen

import (
	"context"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are what was seen, second by second.
type Rows struct{ *db.DB }

const viewingColumns = "line_id, version_id, key, parcel_id, began_at, last_at, starts, ends, pages "

func scanViewing(row pgx.CollectableRow) (v Viewing, err error) {
	var starts, ends []int64
	err = row.Scan(&v.LineID, &v.VersionID, &v.Key, &v.ParcelID, &v.Began, &v.LastAt, &starts, &ends, &v.Pages)
	for i := range min(len(starts), len(ends)) {
		v.Runs = append(v.Runs, coverage.Range{Start: starts[i], End: ends[i]})
	}
	return v, err
}

// LockViewing is a viewing, locked; one that is new begins now, unless there are most already: ok is false.
func (q Rows) LockViewing(ctx context.Context, v Viewing, most int) (Viewing, bool, error) {
	find := func() (Viewing, bool, error) {
		rows, err := q.Conn(ctx).Query(ctx, "select "+viewingColumns+"from viewing where line_id = $1 and version_id = $2 and key = $3 for update",
			v.LineID, v.VersionID, v.Key)
		return db.One(rows, err, scanViewing)
	}
	if held, ok, err := find(); ok || err != nil {
		return held, ok, err
	}
	if _, err := q.Conn(ctx).Exec(ctx, `
		insert into viewing (line_id, version_id, key, parcel_id, began_at, last_at)
		select $1, $2, $3, $4, $5, $5 where (select count(*) from viewing where line_id = $1 and version_id = $2) < $6
		on conflict do nothing`, v.LineID, v.VersionID, v.Key, v.ParcelID, v.Began, most); err != nil {
		return v, false, err
	}
	held, ok, err := find()
	if err == nil && !ok {
		held = v
	}
	return held, ok, err
}

func (q Rows) GrowViewing(ctx context.Context, v Viewing) error {
	starts, ends := make([]int64, len(v.Runs)), make([]int64, len(v.Runs))
	for i, r := range v.Runs {
		starts[i], ends[i] = r.Start, r.End
	}
	pages := append([]int64{}, v.Pages...)
	_, err := q.Conn(ctx).Exec(ctx, `
		update viewing set starts = $4, ends = $5, pages = $6, last_at = $7 where line_id = $1 and version_id = $2 and key = $3`,
		v.LineID, v.VersionID, v.Key, starts, ends, pages, v.LastAt)
	return err
}

// Viewings are those of a version in a package, the oldest first.
func (q Rows) Viewings(ctx context.Context, parcel, version string) ([]Viewing, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select "+viewingColumns+"from viewing where parcel_id = $1 and version_id = $2 order by began_at, key",
		parcel, version)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanViewing)
}

func (q Rows) Be(ctx context.Context, p Presence) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into present (line_id, version_id, takes, parcel_id, studio_id, doing, place, at, until)
		values ($1, $2, false, $3, $4, $5, $6, now(), $7)
		on conflict (line_id, version_id, takes) do update set doing = excluded.doing, place = excluded.place, at = excluded.at, until = excluded.until`,
		p.LineID, p.VersionID, p.ParcelID, p.StudioID, p.Doing, p.Place, p.Until)
	return err
}

// PresentIn is who is here in a studio, or in one package of it.
func (q Rows) PresentIn(ctx context.Context, studio, parcel string, now time.Time, limit int) ([]Present, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select n.line_id, n.parcel_id, n.studio_id, n.version_id, n.doing, n.place, n.rate, n.until,
		       c.name, p.title, coalesce(pi.id, ''), coalesce(i.name, ''), coalesce(b.size, 0)
		from present n join line l on l.id = n.line_id join card c on c.id = l.card_id join parcel p on p.id = n.parcel_id
		left join version v on v.id = n.version_id left join item i on i.id = v.item_id left join blob b on b.id = v.blob_id
		left join parcel_item pi on pi.parcel_id = n.parcel_id and pi.item_id = v.item_id
		where n.studio_id = $1 and ($2 = '' or n.parcel_id = $2) and n.until > $3 and l.removed_at is null
		order by n.takes desc, c.name, n.line_id, n.version_id limit $4`, studio, parcel, now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (p Present, err error) {
		return p, row.Scan(&p.LineID, &p.ParcelID, &p.StudioID, &p.VersionID, &p.Doing, &p.Place, &p.Rate, &p.Until,
			&p.Name, &p.Title, &p.Item, &p.What, &p.Size)
	})
}
