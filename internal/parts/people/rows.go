package people

import (
	"context"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// Rows are the contact book.
type Rows struct{ *db.DB }

const personOf = `r.id, r.studio_id, r.name, r.email, r.zone, r.language, coalesce(r.client_id, '') as client_id,
	r.rate, r.bounced, r.created_at, r.gone_at `

const selectPerson = "select " + personOf + "from person r "

func (q Rows) PersonByEmail(ctx context.Context, studioID, email string) (Person, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPerson+"where r.studio_id = $1 and lower(r.email) = lower($2)", studioID, email)
	return db.One(rows, err, pgx.RowToStructByName[Person])
}

func (q Rows) PersonByID(ctx context.Context, id string) (Person, bool, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPerson+"where r.id = $1", id)
	return db.One(rows, err, pgx.RowToStructByName[Person])
}

func (q Rows) InsertPerson(ctx context.Context, p Person) error {
	_, err := q.Conn(ctx).Exec(ctx, `insert into person (id, studio_id, name, email, zone, language, client_id, gone_at) values ($1, $2, $3, $4, $5,
		$6, $7, $8) on conflict do nothing`,
		p.ID, p.StudioID, p.Name, p.Email, p.Zone, p.Language, db.Optional(p.ClientID), p.GoneAt)
	return err
}

func (q Rows) NamePerson(ctx context.Context, id, name, zone string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update person set name = coalesce(nullif($2, ''), name), zone = coalesce(nullif($3, ''), zone) where id = $1`, id, name, zone)
	return err
}

// EnterPeople puts all who are on a waybill into the contact book.
func (q Rows) EnterPeople(ctx context.Context, parcel string) error {
	_, err := q.Conn(ctx).Exec(ctx, `
		update person set gone_at = null where gone_at is not null and email not like '%@erased.invalid' and id in (
		    select person_id from line where parcel_id = $1 and removed_at is null and person_id is not null)`, parcel)
	return err
}

func (q Rows) UpdatePerson(ctx context.Context, p Person) error {
	_, err := q.Conn(ctx).Exec(ctx, "update person set name = $2, zone = $3, language = $4, client_id = $5, gone_at = $6 where id = $1", p.ID, p.Name,
		p.Zone, p.Language, db.Optional(p.ClientID), p.GoneAt)
	return err
}

func (q Rows) People(ctx context.Context, query Query) ([]Listed, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select `+personOf+`, coalesce(c.name, '') as client, array(select group_id from group_person g where g.person_id = r.id) as groups,
		       (select count(*) from line l join parcel p on p.id = l.parcel_id
		        where l.person_id = r.id and p.sent_at is not null)::int as packages
		from person r left join place c on c.id = r.client_id
		where r.id = any(array(
			select id from person r where r.studio_id = $1 and r.gone_at is null
			    and ($2 = '' or strpos(lower(r.name), lower($2)) > 0 or strpos(lower(r.email), lower($2)) > 0)
			    and ($3 = '' or r.client_id = $3)
			    and ($4 = '' or exists (select from group_person g where g.group_id = $4 and g.person_id = r.id))
			    and (lower(r.name), r.id) > ($5, $6)
			order by lower(r.name), r.id limit $7))
		order by lower(r.name), r.id`, query.Studio, query.Text, query.Client, query.Group, query.After.Name, query.After.ID, query.Limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Listed])
}

func (q Rows) Recognise(ctx context.Context, studio string, emails, names []string) ([]Person, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPerson+`where r.studio_id = $1 and (lower(r.email) = any($2) or lower(r.name) = any($3))
		and (r.gone_at is null or lower(r.email) = any($2)) order by r.name, r.id`, studio, orNoText(emails), orNoText(names))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Person])
}

func orNoText(all []string) []string {
	if all == nil {
		return []string{}
	}
	return all
}

func (q Rows) Domains(ctx context.Context, studio string, limit int) ([]string, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select lower(split_part(email, '@', 2)) from person where studio_id = $1 and gone_at is null and bounced = ''
		group by 1 order by count(*) desc, 1 limit $2`, studio, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q Rows) IsClient(ctx context.Context, studio, place string) (is bool, err error) {
	err = q.Conn(ctx).QueryRow(ctx, "select exists (select from place where id = $2 and studio_id = $1 and kind = 'client')", studio, place).Scan(&is)
	return is, err
}

func (q Rows) Groups(ctx context.Context, studio string) ([]Group, error) {
	rows, err := q.Conn(ctx).Query(ctx, `
		select g.id, g.studio_id, g.name, (select count(*) from group_person m join person r on r.id = m.person_id
		    where m.group_id = g.id and r.gone_at is null)::int as people
		from people_group g where g.studio_id = $1 order by lower(g.name)`, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Group])
}

func (q Rows) InsertGroup(ctx context.Context, g Group) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into people_group (id, studio_id, name) values ($1, $2, $3)", g.ID, g.StudioID, g.Name)
	return err
}

func (q Rows) DeleteGroup(ctx context.Context, studio, id string) (bool, error) {
	done, err := q.Conn(ctx).Exec(ctx, "delete from people_group where id = $2 and studio_id = $1", studio, id)
	return done.RowsAffected() == 1, err
}

func (q Rows) SetGroups(ctx context.Context, person string, groups []string) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		if _, err := q.Conn(ctx).Exec(ctx, "delete from group_person where person_id = $1 and group_id <> all($2)", person, orNoText(groups)); err != nil {
			return err
		}
		_, err := q.Conn(ctx).Exec(ctx, `
			insert into group_person (group_id, person_id) select g.id, r.id from people_group g, person r
			where r.id = $1 and g.id = any($2) and g.studio_id = r.studio_id on conflict do nothing`, person, orNoText(groups))
		return err
	})
}

func (q Rows) GroupPeople(ctx context.Context, studio, group string, limit int) ([]Person, error) {
	rows, err := q.Conn(ctx).Query(ctx, selectPerson+`join group_person g on g.person_id = r.id
		where r.studio_id = $1 and g.group_id = $2 and r.gone_at is null order by lower(r.name), r.id limit $3`, studio, group, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Person])
}
