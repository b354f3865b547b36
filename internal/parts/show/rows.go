package show

import (
	"context"
	"time"

	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"

	"github.com/jackc/pgx/v5"
)

// Rows are showings.
type Rows struct{ *db.DB }

const selectShowing = `
	select h.id, h.studio_id, s.name as studio_name, h.title, h.words, h.layout, h.ground, h.accent,
	       coalesce(h.letterhead_id, '') as letterhead_id, h.sites,
	       h.link_nonce, coalesce(h.name, '') as name, h.open_since, h.opened, h.opened_at, h.created_by, h.created_at,
	       (select count(*)::int from shown w where w.showing_id = h.id) as pieces,
	       coalesce((select i.current_version_id from shown w join item i on i.id = w.item_id
	           where w.showing_id = h.id and i.let_go_id is null
	               and exists (select from derived d where d.version_id = i.current_version_id and d.purpose = 'poster')
	           order by w.position, w.id limit 1), '') as cover
	from showing h join studio s on s.id = h.studio_id `

func (q Rows) showing(ctx context.Context, where string, arg any) (Showing, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectShowing+where, arg)
	return db.One(rows, err, pgx.RowToStructByName[Showing])
}

func (q Rows) Showings(ctx context.Context, studio string) ([]Showing, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectShowing+"where h.studio_id = $1 order by h.created_at desc, h.id desc", studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Showing])
}

func (q Rows) ShowingByID(ctx context.Context, id string) (Showing, bool, error) {
	return q.showing(ctx, "where h.id = $1", id)
}

func (q Rows) ShowingByLink(ctx context.Context, hash []byte) (Showing, bool, error) {
	return q.showing(ctx, "where h.link_hash = $1", hash)
}

func (q Rows) ShowingByName(ctx context.Context, name string) (Showing, bool, error) {
	return q.showing(ctx, "where h.name = $1", name)
}

func (q Rows) InsertShowing(ctx context.Context, s Showing, hash []byte) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into showing (id, studio_id, title, layout, link_nonce, link_hash, created_by, created_at) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		s.ID, s.StudioID, s.Title, s.Layout, s.LinkNonce, hash, s.CreatedBy, s.CreatedAt)
	return err
}

// LockShowing makes others who change what is on a showing wait.
func (q Rows) LockShowing(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "select 1 from showing where id = $1 for update", id)
	return err
}

// UpdateShowing reports whether the name of the link was free.
func (q Rows) UpdateShowing(ctx context.Context, s Showing) (bool, error) {
	return db.UnlessTwin(q.Conn(ctx).Exec(ctx, `
		update showing set title = $2, words = $3, layout = $4, ground = $5, accent = $6, letterhead_id = $7, sites = $8, name = $9,
		    open_since = $10 where id = $1`, s.ID, s.Title, s.Words, s.Layout, s.Ground, s.Accent, db.Optional(s.LetterheadID), s.Sites, db.Optional(s.Name), s.OpenSince))
}

func (q Rows) DeleteShowing(ctx context.Context, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from showing where id = $1", id)
	return err
}

func (q Rows) CountOpening(ctx context.Context, id string, at time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update showing set opened = opened + 1, opened_at = $2 where id = $1", id, at)
	return err
}

var selectShown = `
	select w.id, w.showing_id, w.item_id, w.title, i.name, ` + gather.PieceOf("v.file_name") + `
	from shown w join item i on i.id = w.item_id join version v on v.id = i.current_version_id join blob b on b.id = v.blob_id ` + gather.MadeOf

// Pieces are what is on a showing, in order, but what was let go of.
func (q Rows) Pieces(ctx context.Context, showing string) ([]Piece, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectShown+"where w.showing_id = $1 and i.let_go_id is null order by w.position, w.id", showing)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Piece])
}

func (q Rows) PieceByID(ctx context.Context, id string) (Piece, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectShown+"where w.id = $1 and i.let_go_id is null", id)
	return db.One(rows, err, pgx.RowToStructByName[Piece])
}

// AddPieces puts items behind those that are on it; what is on it already stays where it is.
func (q Rows) AddPieces(ctx context.Context, showing string, ids, items []string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into shown (id, showing_id, item_id, position)
		select new.id, $1, item, had.last + n
		from unnest($2::text[], $3::text[]) with ordinality new (id, item, n),
		     (select coalesce(max(position), 0) as last from shown where showing_id = $1) had
		on conflict (showing_id, item_id) do nothing`, showing, ids, items)
	return err
}

// ArrangePieces gives pieces the order of ids; those that are not named come behind.
func (q Rows) ArrangePieces(ctx context.Context, showing string, ids []string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update shown w set position = o.n from (
		    select s.id, row_number() over (order by n.n nulls last, s.position, s.id) as n
		    from shown s left join unnest($2::text[]) with ordinality n (id, n) on n.id = s.id where s.showing_id = $1
		) o where o.id = w.id`, showing, ids)
	return err
}

// TitlePiece gives a piece a title of its own, or none; ok is false where it is not there.
func (q Rows) TitlePiece(ctx context.Context, showing, id, title string) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "update shown set title = $3 where showing_id = $1 and id = $2", showing, id, title)
	return done.RowsAffected() == 1, err
}

func (q Rows) RemovePiece(ctx context.Context, showing, id string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from shown where showing_id = $1 and id = $2", showing, id)
	return err
}

// StillShown are those of some pieces that stand on a showing that is open.
func (q Rows) StillShown(ctx context.Context, pieces []string) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select w.id from shown w join showing h on h.id = w.showing_id join item i on i.id = w.item_id
		where w.id = any($1) and h.open_since is not null and i.let_go_id is null`, pieces)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
