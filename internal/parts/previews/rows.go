package previews

import (
	"context"

	"aftergust/core/media/preview"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are previews that were made.
type Rows struct{ *db.DB }

func (q Rows) SetMedia(ctx context.Context, version string, o Outcome) error {
	// What was stopped by hand stays stopped, whatever a job that was still running says.
	_, err := q.Conn(ctx).Exec(ctx, `
		update version set media_state = $2, media_error = $3, facts = coalesce($4, facts), body = coalesce($5, body),
		    media_recipe = greatest(media_recipe, $6),
		       media_share = case when $2 in ('working', 'waiting') then 0 else 1 end
		where id = $1 and (media_state <> 'cancelled' or $2 = 'waiting')`,
		version, o.State, o.Problem, o.Facts, o.Body, o.Recipe)
	return err
}

// SetMediaWaiting says why work that is still wanted waits.
func (q Rows) SetMediaWaiting(ctx context.Context, version, why string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update version set media_state = 'waiting', media_error = $2, media_share = 0 where id = $1 and media_state in ('waiting', 'working')`,
		version, why)
	return err
}

// LostMedia are versions whose previews are in work although no job is there for that.
func (q Rows) LostMedia(ctx context.Context, limit int) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
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

func (q Rows) SetMediaShare(ctx context.Context, version string, share float64) (wanted bool, err error) {
	tag, err := q.Conn(ctx).Exec(ctx, "update version set media_share = $2 where id = $1 and media_state <> 'cancelled'", version, share)
	return tag.RowsAffected() == 1, err
}

func (q Rows) VersionsOfOlderRecipe(ctx context.Context, recipe, limit int) ([]string, error) {
	// Marked at once, so that the next look does not find them again.
	rows, err := q.Conn(ctx).Query(ctx, `
		update version set media_recipe = $1 where id in (
			select id from version where media_state = 'ready' and media_recipe < $1 and deleted_at is null and kind not in ('link', 'swatch')
			    limit $2 for update skip locked)
		returning id`, recipe, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) PutDerived(ctx context.Context, r Derived) error {
	// What a newer recipe made takes the place of the older; the old bytes are swept.
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		on conflict (version_id, purpose, page) do update
		set recipe = excluded.recipe, blob_id = excluded.blob_id, mime = excluded.mime, width = excluded.width, height = excluded.height`,
		r.ID, r.VersionID, r.Purpose, r.Page, r.Recipe, r.BlobID, r.Mime, r.Width, r.Height)
	return err
}

func (q Rows) DerivedOf(ctx context.Context, version string, purpose preview.Purpose, page int) (Derived, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select r.id, r.version_id, r.purpose, r.page, r.recipe, r.blob_id, r.mime, r.width, r.height, b.size
		from derived r join blob b on b.id = r.blob_id where r.version_id = $1 and r.purpose = $2 and r.page = $3`, version, purpose, page)
	return db.One(rows, err, pgx.RowToStructByName[Derived])
}
