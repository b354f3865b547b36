package postgres

import (
	"context"
	"time"

	"aftergust/core/access"
	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

const selectParcel = `
	select p.id, p.studio_id, p.title, p.cover_letter, p.door, p.passphrase_hash, p.end_rule, p.contents_rev, p.created_by, p.created_at,
	       p.sent_at, p.ends_at, p.stopped_at, p.cleared_at, m.name as sender_name, m.email as sender_email, s.name as studio_name
	from parcel p join member m on m.id = p.created_by join studio s on s.id = p.studio_id `

func (q *queries) InsertParcel(ctx context.Context, p studio.Parcel) error {
	_, err := q.db.Exec(ctx, `insert into parcel (id, studio_id, title, door, end_rule, created_by, created_at) values ($1, $2, $3, $4, $5, $6, $7)`,
		p.ID, p.StudioID, p.Title, p.Door, p.EndRule, p.CreatedBy, p.CreatedAt)
	return err
}

func (q *queries) UpdateParcel(ctx context.Context, p studio.Parcel) error {
	_, err := q.db.Exec(ctx, `
		update parcel set title = $2, cover_letter = $3, door = $4, passphrase_hash = $5, end_rule = $6, sent_at = $7, ends_at = $8, stopped_at = $9
		where id = $1`, p.ID, p.Title, p.CoverLetter, p.Door, p.PassphraseHash, p.EndRule, p.SentAt, p.EndsAt, p.StoppedAt)
	return err
}

func (q *queries) ParcelByID(ctx context.Context, id string) (studio.Parcel, bool, error) {
	rows, err := q.db.Query(ctx, selectParcel+"where p.id = $1 and p.discarded_at is null", id)
	return one(rows, err, pgx.RowToStructByName[studio.Parcel])
}

func (q *queries) LockParcel(ctx context.Context, id string) (studio.Parcel, error) {
	rows, err := q.db.Query(ctx, selectParcel+"where p.id = $1 for update of p", id)
	if err != nil {
		return studio.Parcel{}, err
	}
	return pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[studio.Parcel])
}

func (q *queries) DiscardParcel(ctx context.Context, id string, at time.Time) error {
	_, err := q.db.Exec(ctx, "update parcel set discarded_at = $2 where id = $1 and sent_at is null", id, at)
	return err
}

func (q *queries) BumpContents(ctx context.Context, parcel string) error {
	_, err := q.db.Exec(ctx, "update parcel set contents_rev = contents_rev + 1 where id = $1", parcel)
	return err
}

func (q *queries) ParcelPage(ctx context.Context, studioID string, onlyOut bool, now time.Time, after studio.Cursor, limit int) ([]studio.Parcel, error) {
	rows, err := q.db.Query(ctx, selectParcel+`
		where p.studio_id = $1 and p.discarded_at is null
		and ($2::timestamptz is null or (p.created_at, p.id) < ($2, $3))
		and (not $4 or (p.sent_at is not null and p.stopped_at is null and p.cleared_at is null and p.ends_at > $5))
		order by p.created_at desc, p.id desc limit $6`, studioID, timeOrNil(after.CreatedAt), after.ID, onlyOut, now, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Parcel])
}

func timeOrNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (q *queries) ClearParcels(ctx context.Context, now, endedBefore time.Time) ([]studio.Parcel, error) {
	rows, err := q.db.Query(ctx, `
		with cleared as (
			update parcel set cleared_at = $1
			where sent_at is not null and cleared_at is null and least(ends_at, stopped_at) < $2 returning id)
		`+selectParcel+`join cleared on cleared.id = p.id`, now, endedBefore)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Parcel])
}

func (q *queries) InsertParcelItem(ctx context.Context, i studio.ParcelItem) error {
	_, err := q.db.Exec(ctx, `
		insert into parcel_item (id, parcel_id, item_id, folder, position) values ($1, $2, $3, $4, $5)`, i.ID, i.ParcelID, i.ItemID, i.Folder, i.Position)
	return err
}

func (q *queries) RemoveParcelItem(ctx context.Context, id string) error {
	_, err := q.db.Exec(ctx, "delete from parcel_item where id = $1", id)
	return err
}

func (q *queries) WithdrawParcelItem(ctx context.Context, id string, at *time.Time) error {
	_, err := q.db.Exec(ctx, "update parcel_item set withdrawn_at = $2 where id = $1", id, at)
	return err
}

const selectContent = `
	select pi.id, pi.parcel_id, pi.item_id, pi.folder, pi.position, pi.withdrawn_at, pi.pinned_version_id is not null as pinned,
	       v.id as version_id, v.number, case when i.kind = 'file' and v.id = i.current_version_id then i.name else v.file_name end as file_name,
	       i.name as title, v.data, i.place_id is null as loose, v.kind, v.mime, v.media_state, v.media_error, v.facts, b.id as blob_id, b.size,
	       coalesce(b.crc32, 0)::bigint as crc32, b.xxh3, v.created_at as added_at,
	       made.made, made.pages,
	       case when v.number = 1 then '{}' else
	           array(select o.id from version o where o.item_id = v.item_id and o.number < v.number order by o.number) end as older,
	       case when i.rendition_of is null then '' else
	           coalesce((select l.id from parcel_item l where l.parcel_id = pi.parcel_id and l.item_id = i.rendition_of and l.withdrawn_at is null), '') end as lead
	from parcel_item pi join item i on i.id = pi.item_id
	join version v on v.id = coalesce(pi.pinned_version_id, i.current_version_id)
	join blob b on b.id = v.blob_id ` + madeOf

func (q *queries) contents(ctx context.Context, where string, arg any) ([]studio.Content, error) {
	rows, err := q.db.Query(ctx, selectContent+where, arg)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[studio.Content])
}

func (q *queries) Contents(ctx context.Context, parcel string) ([]studio.Content, error) {
	return q.contents(ctx, "where pi.parcel_id = $1 order by pi.position, pi.id", parcel)
}

func (q *queries) ContentsOf(ctx context.Context, parcels []string) (map[string][]studio.Content, error) {
	all, err := q.contents(ctx, "where pi.parcel_id = any($1) order by pi.parcel_id, pi.position, pi.id", parcels)
	return grouped(all, func(c studio.Content) string { return c.ParcelID }), err
}

func (q *queries) ContentByID(ctx context.Context, id string) (studio.Content, bool, error) {
	rows, err := q.db.Query(ctx, selectContent+"where pi.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[studio.Content])
}

func (q *queries) Withdrawn(ctx context.Context, parcel string, among []string) (there bool, err error) {
	// Taken out of a draft counts as well: the row is gone then.
	err = q.db.QueryRow(ctx, `
		select count(*) filter (where withdrawn_at is null) < cardinality($2::text[]) from parcel_item where parcel_id = $1 and id = any($2)`,
		parcel, among).Scan(&there)
	return there, err
}

func grouped[T any](all []T, key func(T) string) map[string][]T {
	out := map[string][]T{}
	for _, one := range all {
		out[key(one)] = append(out[key(one)], one)
	}
	return out
}

const selectRecipient = `select id, parcel_id, name, email, rights, may_pass_on, zone, link_nonce, link_hash, removed_at from recipient `

func (q *queries) recipients(ctx context.Context, where string, args ...any) ([]studio.Recipient, error) {
	rows, err := q.db.Query(ctx, selectRecipient+where, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, toRecipient)
}

func toRecipient(row pgx.CollectableRow) (studio.Recipient, error) {
	var r studio.Recipient
	var rights []string
	err := row.Scan(&r.ID, &r.ParcelID, &r.Name, &r.Email, &rights, &r.MayPassOn, &r.Zone, &r.LinkNonce, &r.LinkHash, &r.RemovedAt)
	for _, v := range rights {
		r.Rights = append(r.Rights, access.Verb(v))
	}
	return r, err
}

func verbs(r access.Rights) []string {
	out := make([]string, len(r))
	for i, v := range r {
		out[i] = string(v)
	}
	return out
}

func (q *queries) Recipients(ctx context.Context, parcel string) ([]studio.Recipient, error) {
	return q.recipients(ctx, "where parcel_id = $1 order by created_at, id", parcel)
}

func (q *queries) RecipientsOf(ctx context.Context, parcels []string) (map[string][]studio.Recipient, error) {
	all, err := q.recipients(ctx, "where parcel_id = any($1) order by parcel_id, created_at, id", parcels)
	return grouped(all, func(r studio.Recipient) string { return r.ParcelID }), err
}

func (q *queries) RecipientByID(ctx context.Context, id string) (studio.Recipient, bool, error) {
	rows, err := q.db.Query(ctx, selectRecipient+"where id = $1", id)
	return one(rows, err, toRecipient)
}

func (q *queries) RecipientByLink(ctx context.Context, hash []byte) (studio.Recipient, bool, error) {
	rows, err := q.db.Query(ctx, selectRecipient+"where link_hash = $1", hash)
	return one(rows, err, toRecipient)
}

func (q *queries) InsertRecipient(ctx context.Context, r studio.Recipient) error {
	_, err := q.db.Exec(ctx, `
		insert into recipient (id, parcel_id, name, email, rights, may_pass_on, zone, link_nonce, link_hash, created_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, clock_timestamp())`,
		r.ID, r.ParcelID, r.Name, r.Email, verbs(r.Rights), r.MayPassOn, r.Zone, r.LinkNonce, r.LinkHash)
	return err
}

func (q *queries) UpdateRecipient(ctx context.Context, r studio.Recipient) error {
	_, err := q.db.Exec(ctx, "update recipient set name = $2, rights = $3, may_pass_on = $4, zone = $5, removed_at = $6 where id = $1",
		r.ID, r.Name, verbs(r.Rights), r.MayPassOn, r.Zone, r.RemovedAt)
	return err
}

func (q *queries) DeleteRecipient(ctx context.Context, id string) error {
	_, err := q.db.Exec(ctx, "delete from recipient where id = $1", id)
	return err
}

func (q *queries) LastZoneOf(ctx context.Context, studioID, email string) (zone string, err error) {
	err = q.db.QueryRow(ctx, `
		select coalesce((
			select r.zone from recipient r join parcel p on p.id = r.parcel_id
			where p.studio_id = $1 and lower(r.email) = lower($2) and r.zone <> '' order by r.created_at desc limit 1), '')`, studioID, email).Scan(&zone)
	return zone, err
}
