package review

import (
	"context"
	"time"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// RoundRows are rounds of review and what was decided.
type RoundRows struct{ *db.DB }

func (q RoundRows) InsertSignOff(ctx context.Context, s SignOff) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		insert into sign_off (id, parcel_id, version_id, line_id, way_in_id, verdict, body, sha256, at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		s.ID, s.ParcelID, s.VersionID, s.LineID, db.Optional(s.WayIn), s.Verdict, s.Body, s.SHA256, s.At)
	return err
}

// Decided reports whether the last thing that a line decided of a version is the same.
func (q RoundRows) Decided(ctx context.Context, s SignOff) (same bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		select coalesce((select verdict = $4 and body = $5 from sign_off where parcel_id = $1 and version_id = $2 and line_id = $3
		    order by at desc, id desc limit 1), false)`, s.ParcelID, s.VersionID, s.LineID, s.Verdict, s.Body).Scan(&same)
	return same, err
}

// SignOffs are those of a package, or of one item of it, the last first.
func (q RoundRows) SignOffs(ctx context.Context, parcel, content string) ([]SignOff, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select s.id, s.parcel_id, coalesce(pi.id, '') as content_id, s.version_id, v.number, s.line_id, coalesce(s.way_in_id, '') as way_in,
		       coalesce(c.name, '') as name, s.verdict, s.body, s.sha256, s.at
		from sign_off s join version v on v.id = s.version_id join line l on l.id = s.line_id left join card c on c.id = l.card_id
		left join parcel_item pi on pi.parcel_id = s.parcel_id and pi.item_id = v.item_id
		where s.parcel_id = $1 and ($2 = '' or pi.id = $2) order by s.at desc, s.id desc`, parcel, content)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[SignOff])
}

// ProjectOf is the project in which the first item of a package lies, how many rounds were
// agreed for it, and how many there were; without a project, those of the package.
func (q RoundRows) ProjectOf(ctx context.Context, parcel string) (project string, agreed, used int, err error) {
	err = q.Conn(ctx).QueryRow(ctx, `
		with first as (
			select pi.item_id from parcel_item pi where pi.parcel_id = $1 and pi.withdrawn_at is null order by pi.position, pi.id limit 1),
		home as (
			select p.id, p.rounds from first join item i on i.id = first.item_id join place at on at.id = i.place_id
			join place p on p.id = split_part(at.path, '/', 3))
		select coalesce((select id from home), ''), coalesce((select rounds from home), 0),
		       coalesce((select max(number) from round r where case when exists (select from home) then r.project_id = (select id from home)
		           else r.parcel_id = $1 end), 0)`, parcel).Scan(&project, &agreed, &used)
	return project, agreed, used, err
}

func (q RoundRows) InsertRound(ctx context.Context, r Round, contents []string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		with made as (
			insert into round (id, parcel_id, project_id, number, due_at, message, member_id, created_at) values ($1, $2, $3, $4, $5, $6, $7, $8)
			returning id),
		bundled as (
			insert into round_version (round_id, version_id, content_id, position)
			select made.id, v.version, v.content, v.n from made, unnest($9::text[], $10::text[]) with ordinality v (version, content, n)
			on conflict do nothing)
		insert into round_line (round_id, line_id) select made.id, l from made, unnest($11::text[]) l on conflict do nothing`,
		r.ID, r.ParcelID, db.Optional(r.ProjectID), r.Number, r.DueAt, r.Message, r.MemberID, r.CreatedAt, r.Versions, contents, r.Lines)
	return err
}

func (q RoundRows) RoundsOf(ctx context.Context, parcel string) ([]Round, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select r.id, r.parcel_id, coalesce(r.project_id, '') as project_id, r.number, coalesce(p.rounds, 0) as agreed, r.due_at, r.message,
		       r.member_id, r.created_at, r.closed_at,
		       array(select version_id from round_version v where v.round_id = r.id order by v.position) as versions,
		       array(select line_id from round_line l where l.round_id = r.id order by l.line_id) as lines
		from round r left join place p on p.id = r.project_id where r.parcel_id = $1 order by r.created_at desc, r.number desc`, parcel)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Round])
}

// Bundled is what the rounds of a package bundle, or only the one that is open, in the order of the package.
func (q RoundRows) Bundled(ctx context.Context, parcel string, open bool) ([]Bundled, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select rv.round_id, rv.content_id, rv.version_id, i.name, v.number, b.sha256, pi.withdrawn_at is null as given,
		       pi.withdrawn_at is null and coalesce(pi.pinned_version_id, i.current_version_id) = rv.version_id as now
		from round r join round_version rv on rv.round_id = r.id join parcel_item pi on pi.id = rv.content_id
		join item i on i.id = pi.item_id join version v on v.id = rv.version_id join blob b on b.id = v.blob_id
		where r.parcel_id = $1 and (r.closed_at is null or not $2) order by rv.round_id, rv.position`, parcel, open)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Bundled])
}

func (q RoundRows) CloseRound(ctx context.Context, id string, at *time.Time) error {
	_, err := q.Conn(ctx).Exec(ctx, "update round set closed_at = $2 where id = $1", id, at)
	return err
}

func (q RoundRows) SetRoundsAgreed(ctx context.Context, studio, place string, n int) (bool, error) {
	tag, err := q.Conn(ctx).Exec(ctx, "update place set rounds = $3 where id = $2 and studio_id = $1 and kind = 'project'", studio, place, n)
	return tag.RowsAffected() == 1, err
}
