package postgres

import (
	"aftergust/core/expiry"
	"aftergust/core/preview"
	"aftergust/core/throttle"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/previews"
	"aftergust/internal/who/account"
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

func (q *queries) InsertVersion(ctx context.Context, v gather.Version) error {
	_, err := q.conn(ctx).Exec(ctx, `
		insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state, data, added_by) values ($1, $2, $3, $4, $5, $6,
		    $7, $8, $9, $10)`,
		v.VersionID, v.ItemID, v.Number, v.FileName, v.BlobID, v.What, v.Mime, v.MediaState, v.Data, optional(v.AddedBy))
	if err != nil {
		return err
	}
	return q.SetCurrent(ctx, v.ItemID, v.VersionID)
}

func (q *queries) NextVersionNumber(ctx context.Context, item string) (n int, err error) {
	// The row of the item is locked, so that two new versions get two numbers.
	err = q.conn(ctx).QueryRow(ctx, `
		select coalesce((select max(number) from version where item_id = i.id), 0) + 1 from item i where i.id = $1 for update`, item).Scan(&n)
	return n, err
}

var selectVersion = `
	select v.item_id, i.studio_id, v.body, v.label, coalesce(v.added_by, '') as added_by, coalesce(m.name, '') as adder, v.deleted_at,
	       ` + pieceOf("v.file_name") + `
	from version v join item i on i.id = v.item_id join blob b on b.id = v.blob_id left join member m on m.id = v.added_by ` + madeOf

// madeOf is what was made from the version v.
const madeOf = `
	cross join lateral (
		select coalesce(array_agg(distinct d.purpose), '{}') as made, count(*) filter (where d.purpose = 'page')::int as pages
		from derived d where d.version_id = v.id) made `

func (q *queries) VersionByID(ctx context.Context, id string) (gather.Version, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectVersion+"where v.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[gather.Version])
}

func (q *queries) SetMedia(ctx context.Context, version string, o previews.Outcome) error {
	// What was stopped by hand stays stopped, whatever a job that was still running says.
	_, err := q.conn(ctx).Exec(ctx, `
		update version set media_state = $2, media_error = $3, facts = coalesce($4, facts), body = coalesce($5, body),
		    media_recipe = greatest(media_recipe, $6),
		       media_share = case when $2 in ('working', 'waiting') then 0 else 1 end
		where id = $1 and (media_state <> 'cancelled' or $2 = 'waiting')`,
		version, o.State, o.Problem, o.Facts, o.Body, o.Recipe)
	return err
}

func (q *queries) SetMediaWaiting(ctx context.Context, version, why string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update version set media_state = 'waiting', media_error = $2, media_share = 0 where id = $1 and media_state in ('waiting', 'working')`,
		version, why)
	return err
}

// LostMedia are versions whose previews are in work although no job is there for that.
func (q *queries) LostMedia(ctx context.Context, limit int) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select v.id from version v
		where v.media_state in ('waiting', 'working') and v.deleted_at is null and not exists (
			select from river_job j where j.queue = 'media' and j.args @> jsonb_build_object('version_id', v.id) and j.finalized_at is null)
		and exists (
			select from river_job j where j.queue = 'media' and j.args @> jsonb_build_object('version_id', v.id) and j.state = 'discarded')
		limit $1`, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) SetMediaShare(ctx context.Context, version string, share float64) (wanted bool, err error) {
	tag, err := q.conn(ctx).Exec(ctx, "update version set media_share = $2 where id = $1 and media_state <> 'cancelled'", version, share)
	return tag.RowsAffected() == 1, err
}

func (q *queries) VersionsOfOlderRecipe(ctx context.Context, recipe, limit int) ([]string, error) {
	// Marked at once, so that the next look does not find them again.
	rows, err := q.conn(ctx).Query(ctx, `
		update version set media_recipe = $1 where id in (
			select id from version where media_state = 'ready' and media_recipe < $1 and deleted_at is null and kind not in ('link', 'swatch')
			    limit $2 for update skip locked)
		returning id`, recipe, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) PutDerived(ctx context.Context, r previews.Derived) error {
	// What a newer recipe made takes the place of the older; the old bytes are swept.
	_, err := q.conn(ctx).Exec(ctx, `
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		on conflict (version_id, purpose, page) do update
		set recipe = excluded.recipe, blob_id = excluded.blob_id, mime = excluded.mime, width = excluded.width, height = excluded.height`,
		r.ID, r.VersionID, r.Purpose, r.Page, r.Recipe, r.BlobID, r.Mime, r.Width, r.Height)
	return err
}

func (q *queries) DerivedOf(ctx context.Context, version string, purpose preview.Purpose, page int) (previews.Derived, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select r.id, r.version_id, r.purpose, r.page, r.recipe, r.blob_id, r.mime, r.width, r.height, b.size
		from derived r join blob b on b.id = r.blob_id where r.version_id = $1 and r.purpose = $2 and r.page = $3`, version, purpose, page)
	return one(rows, err, pgx.RowToStructByName[previews.Derived])
}

func (q *queries) Usage(ctx context.Context, studioID string) (used, quota int64, err error) {
	err = q.conn(ctx).QueryRow(ctx, `
		select (s.held_bytes + s.arriving_bytes + (select coalesce(sum(held + arriving), 0) from weighed where studio_id = s.id))::bigint,
		    s.quota_bytes
		from studio s where s.id = $1`, studioID).Scan(&used, &quota)
	return used, quota, err
}

// Sweep forgets what is of no use any more, and adds what was weighed to what
// each studio holds.
func (q *queries) Sweep(ctx context.Context, now time.Time) error {
	if err := q.eventMonths(ctx, now); err != nil {
		return err
	}
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{"delete from attempt where at < $1", []any{now.Add(-2 * throttle.Window)}},
		{"delete from sign_in where ended_at < $1 or since < $2", []any{now.Add(-account.SessionIdle), now.Add(-2 * account.SessionLife)}},
		{"delete from challenge where expires_at < $1", []any{now}},
		{"delete from member_device where seen_at < $1", []any{now.Add(-account.DeviceLife)}},
		{"delete from door_code where expires_at < $1", []any{now.Add(-24 * time.Hour)}},
		{"delete from confirm_code where expires_at < $1", []any{now.Add(-24 * time.Hour)}},
		{"delete from notice where at < $1 and (batch is not null or due_at is null)", []any{now.Add(-expiry.NoticeRecord)}},
		{"delete from viewing where began_at < $1", []any{now.Add(-expiry.ViewingRecord)}},
		{"delete from hook_delivery where at < $1", []any{now.Add(-expiry.HookRecord)}},
		{"delete from present where until < $1", []any{now}},
		{"delete from selection where created_at < $1", []any{now.Add(-expiry.ChosenHold)}},
		{"delete from zip_state where begun_at < $1 and parcel_id is null", []any{now.Add(-expiry.ChosenHold)}},
		{"delete from upload where state not in ('arriving', 'part') and touched_at < $1", []any{now.Add(-expiry.UploadRecord)}},
		{`with gone as (delete from weighed returning studio_id, held, arriving),
		  by as (select studio_id, sum(held) as held, sum(arriving) as arriving from gone group by studio_id order by studio_id)
		  update studio s set held_bytes = s.held_bytes + by.held, arriving_bytes = s.arriving_bytes + by.arriving from by
		    where s.id = by.studio_id`, nil},
	} {
		if _, err := q.conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return fmt.Errorf("sweep: %w", err)
		}
	}
	return nil
}

func (q *queries) Strangers(ctx context.Context, ids []string) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select n.id from unnest($1::text[]) n (id) where not exists (select from blob b where b.id = n.id and b.deleted_at is null)`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// letGoHold is how long what was deleted can be had back, for SQL.
var letGoHold = fmt.Sprintf("interval '%d hours'", int(expiry.LetGoHold.Hours()))

// needed is true of a version v of an item i: it lies in a place, or was deleted
// not long ago, or a package that is not cleared gives it.
var needed = `
	((v.deleted_at is null or v.deleted_at > now() - ` + letGoHold + `) and (
		(i.place_id is not null and not exists (select from let_go where let_go.id = i.let_go_id and let_go.at <= now() - ` + letGoHold + `))
		or exists (
			select from parcel_item pi join parcel p on p.id = pi.parcel_id
			where pi.item_id = i.id and p.cleared_at is null and p.discarded_at is null)))`

// A holder is a table that can hold a blob, and when a row of it still needs the
// blob b. What holds a blob and is not in the list would lose it: a test compares
// the list with the schema.
type holder struct{ table, column, needs string }

var holders = []holder{
	{"version", "blob_id", "select from version v join item i on i.id = v.item_id where v.blob_id = b.id and " + needed},
	{"derived", "blob_id", `select from derived d join version v on v.id = d.version_id join item i on i.id = v.item_id
		where d.blob_id = b.id and ` + needed},
	{"attachment", "blob_id", `select from attachment t join parcel p on p.id = t.parcel_id left join note n on n.id = t.note_id
		where t.blob_id = b.id and p.cleared_at is null and p.discarded_at is null and n.removed_at is null
		    and (t.note_id is not null or t.created_at > now() - ` + looseHold + `)`},
}

// looseHold is how long something attached waits for the note that it lies at.
const looseHold = "interval '1 day'"

// referred is true of a blob b that something still needs.
var referred = func() string {
	var any []string
	for _, h := range holders {
		any = append(any, "exists ("+h.needs+")")
	}
	return "(" + strings.Join(any, " or ") + ")"
}()

func (q *queries) MarkUnreferenced(ctx context.Context, before, now time.Time) error {
	if _, err := q.conn(ctx).Exec(ctx, `update blob b set marked_at = null where marked_at is not null and deleted_at is null
		and `+referred); err != nil {
		return err
	}
	if _, err := q.conn(ctx).Exec(ctx, "delete from attachment where note_id is null and created_at < now() - "+looseHold); err != nil {
		return err
	}
	_, err := q.conn(ctx).Exec(ctx, `update blob b set marked_at = $2 where marked_at is null and deleted_at is null and created_at < $1
		and not `+referred, before, now)
	return err
}

func (q *queries) MarkedBlobs(ctx context.Context, before time.Time, limit int) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select id from blob b where marked_at < $1 and deleted_at is null and not `+referred+` order by marked_at limit $2`, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) BlobDeleted(ctx context.Context, id string) error {
	_, err := q.conn(ctx).Exec(ctx, "update blob set deleted_at = now() where id = $1", id)
	return err
}
