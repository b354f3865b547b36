package keep

import (
	"context"
	"fmt"
	"strings"
	"time"

	"aftergust/core/file/damage"
	"aftergust/core/link/throttle"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
)

// Rows are what is known of the bytes of files: how many, whose, whether damaged, who needs them.
type Rows struct{ *db.DB }

func (q Rows) InsertBlob(ctx context.Context, b Blob) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into blob (id, studio_id, size, crc32, xxh3) values ($1, $2, $3, $4, $5)",
		b.ID, b.StudioID, b.Size, int64(b.CRC32), b.XXH3)
	return err
}

// SetSHA256 keeps the digest of a blob that was read whole and found undamaged.
func (q Rows) SetSHA256(ctx context.Context, blob string, sum []byte, now time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update blob set sha256 = $2, read_at = $3, damage = '', damaged_at = null where id = $1", blob, sum, now)
	return err
}

// ShareBlob turns versions that refer to a blob to an older one with the same bytes,
// unless that is about to be cleared.
func (q Rows) ShareBlob(ctx context.Context, id, older string) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		// The older blob is locked, so that it is not marked for clearing meanwhile.
		tag, err := q.Conn(ctx).Exec(ctx, "select from blob where id = $1 and marked_at is null and deleted_at is null for update", older)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		// Plans of ZIPs that name the newer blob are made anew.
		_, err = q.Conn(ctx).Exec(ctx, `
			with turned as (update version set blob_id = $2 where blob_id = $1 returning item_id)
			update parcel set contents_rev = contents_rev + 1 where id in (select parcel_id from parcel_item where item_id in (select item_id
			    from turned))`, id, older)
		return err
	})
}

const selectHeld = `select b.id, b.studio_id, b.size, coalesce(b.crc32, 0)::bigint as crc32, b.xxh3, b.sha256, b.created_at, b.damage from blob b `

func (q Rows) held(ctx context.Context, where string, args ...any) ([]Held, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectHeld+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Held])
}

// HeldBlobs are those with an id after one, of all studios, that nobody is about to clear.
func (q Rows) HeldBlobs(ctx context.Context, after string, limit int) ([]Held, error) {
	return q.held(ctx, "where b.id > $1 and b.deleted_at is null and b.marked_at is null order by b.id limit $2", after, limit)
}

// UnreadBlobs are those that were last read before a moment, the longest ago first.
func (q Rows) UnreadBlobs(ctx context.Context, before time.Time, limit int) ([]Held, error) {
	return q.held(ctx, `where b.deleted_at is null and b.marked_at is null and coalesce(b.read_at, '-infinity') < $1
		order by coalesce(b.read_at, '-infinity'), b.id limit $2`, before, limit)
}

func (q Rows) HeldBlob(ctx context.Context, id string) (Held, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectHeld+"where b.id = $1 and b.deleted_at is null and b.marked_at is null", id)
	return db.One(rows, err, pgx.RowToStructByName[Held])
}

// HeldBytes is how many bytes all studios hold.
func (q Rows) HeldBytes(ctx context.Context) (n int64, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select coalesce(sum(held_bytes), 0)::bigint from studio").Scan(&n)
	return n, err
}

// Twin is the oldest other blob of the same studio with the same SHA-256 and size.
func (q Rows) Twin(ctx context.Context, id string) (Held, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectHeld+`join blob n on n.studio_id = b.studio_id and n.sha256 = b.sha256 and n.size = b.size
		where n.id = $1 and b.id < n.id and b.marked_at is null and b.deleted_at is null order by b.id limit 1`, id)
	return db.One(rows, err, pgx.RowToStructByName[Held])
}

// SetDamage records what a look at a blob found, and tells screens where that is news.
// read says that all of its bytes were compared.
func (q Rows) SetDamage(ctx context.Context, id string, found damage.Damage, read bool, now time.Time) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		var studio string
		var news bool
		err := q.Conn(ctx).QueryRow(ctx, `
			update blob b set damage = $2, read_at = case when $3 then $4 else b.read_at end,
			    damaged_at = case when $2 = '' then null else coalesce(b.damaged_at, $4) end
			from blob was where was.id = b.id and b.id = $1 returning b.studio_id, was.damage <> b.damage`, id, found, read, now).Scan(&studio, &news)
		if err != nil || !news {
			return err
		}
		return q.Announce(ctx, ground.Change{Studio: studio, What: ground.GatherChanged})
	})
}

// Damaged are how many damaged files all studios have.
func (q Rows) Damaged(ctx context.Context) (n int, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select count(*) from blob where damage <> '' and deleted_at is null and marked_at is null").Scan(&n)
	return n, err
}

// DamagedOf are those of some blobs that are known to be damaged.
func (q Rows) DamagedOf(ctx context.Context, ids []string) (map[string]damage.Damage, error) {
	rows, err := q.Conn(ctx).Query(ctx, "select id, damage from blob where damage <> '' and deleted_at is null and id = any($1)", ids)
	if err != nil {
		return nil, err
	}
	out := map[string]damage.Damage{}
	var id string
	var d damage.Damage
	_, err = pgx.ForEachRow(rows, []any{&id, &d}, func() error {
		out[id] = d
		return nil
	})
	return out, err
}

// Usage is what a studio holds, with what is arriving, and may hold.
func (q Rows) Usage(ctx context.Context, studioID string) (used, quota int64, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select (s.held_bytes + s.arriving_bytes + (select coalesce(sum(held + arriving), 0) from weighed where studio_id = s.id))::bigint,
		    s.quota_bytes
		from studio s where s.id = $1`, studioID).Scan(&used, &quota)
	return used, quota, err
}

// Sweep forgets what is of no use any more, and adds what was weighed to what
// each studio holds.
func (q Rows) Sweep(ctx context.Context, now time.Time) error {
	if err := q.EventMonths(ctx, now); err != nil {
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
		if _, err := q.Conn(ctx).Exec(ctx, step.sql, step.args...); err != nil {
			return fmt.Errorf("sweep: %w", err)
		}
	}
	return nil
}

// Strangers are those of some ids that are no blob, or one that was deleted.
func (q Rows) Strangers(ctx context.Context, ids []string) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select n.id from unnest($1::text[]) n (id) where not exists (select from blob b where b.id = n.id and b.deleted_at is null)`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// LetGoHold is how long what was deleted can be had back, for SQL.
var LetGoHold = fmt.Sprintf("interval '%d hours'", int(expiry.LetGoHold.Hours()))

// needed is true of a version v of an item i: it lies in a place, or was deleted
// not long ago, or a package that is not cleared gives it.
var needed = `
	((v.deleted_at is null or v.deleted_at > now() - ` + LetGoHold + `) and (
		(i.place_id is not null and not exists (select from let_go where let_go.id = i.let_go_id and let_go.at <= now() - ` + LetGoHold + `))
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
		    and (t.note_id is not null or t.created_at > now() - ` + LooseHold + `)`},
}

// LooseHold is how long something attached waits for the note that it lies at.
const LooseHold = "interval '1 day'"

// referred is true of a blob b that something still needs.
var referred = func() string {
	var any []string
	for _, h := range holders {
		any = append(any, "exists ("+h.needs+")")
	}
	return "(" + strings.Join(any, " or ") + ")"
}()

// MarkUnreferenced marks, at the moment now, what is older than before and not
// referred to, and takes the mark off what is referred to again.
func (q Rows) MarkUnreferenced(ctx context.Context, before, now time.Time) error {
	if _, err := q.Conn(ctx).Exec(ctx, `update blob b set marked_at = null where marked_at is not null and deleted_at is null
		and `+referred); err != nil {
		return err
	}
	if _, err := q.Conn(ctx).Exec(ctx, "delete from attachment where note_id is null and created_at < now() - "+LooseHold); err != nil {
		return err
	}
	_, err := q.Conn(ctx).Exec(ctx, `update blob b set marked_at = $2 where marked_at is null and deleted_at is null and created_at < $1
		and not `+referred, before, now)
	return err
}

func (q Rows) MarkedBlobs(ctx context.Context, before time.Time, limit int) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select id from blob b where marked_at < $1 and deleted_at is null and not `+referred+` order by marked_at limit $2`, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) BlobDeleted(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "update blob set deleted_at = now() where id = $1", id)
	return err
}

func (q Rows) SpaceOf(ctx context.Context, studioID string) (s Space, err error) {
	// Each blob counts once, for the first reason why it is kept.
	err = q.Conn(ctx).QueryRow(ctx, `
		with why as (
			select v.blob_id, case when i.let_go_id is not null then 4 when i.place_id is null then 3 when v.id = i.current_version_id then 1
			    else 2 end as why
			from version v join item i on i.id = v.item_id where i.studio_id = $1
			union all
			select d.blob_id, 5 from derived d join version v on v.id = d.version_id join item i on i.id = v.item_id where i.studio_id = $1
		), kept as (
			select b.size, w.why from (select blob_id, min(why) as why from why group by blob_id) w join blob b on b.id = w.blob_id
			    where b.deleted_at is null
		)
		select coalesce(sum(size) filter (where why = 1), 0)::bigint, coalesce(sum(size) filter (where why = 2), 0)::bigint,
		    coalesce(sum(size) filter (where why = 3), 0)::bigint,
		       coalesce(sum(size) filter (where why = 4), 0)::bigint, coalesce(sum(size) filter (where why = 5), 0)::bigint,
		       (select coalesce(sum(size), 0)::bigint from upload where studio_id = $1 and state = 'arriving')
		from kept`, studioID).Scan(&s.Current, &s.Older, &s.Packages, &s.LetGo, &s.Made, &s.Arriving)
	if err != nil {
		return s, err
	}
	rows, err := q.Conn(ctx).Query(ctx, `
		select c.name, sum(i.size)::bigint as count from item i join place p on p.id = i.place_id join place c on c.id = split_part(p.path, '/',
		    2)
		where i.studio_id = $1 and i.let_go_id is null group by c.id, c.name order by count desc limit 12`, studioID)
	if err != nil {
		return s, err
	}
	s.Places, err = pgx.CollectRows(rows, pgx.RowToStructByName[ground.Counted])
	return s, err
}
