package postgres

import (
	"context"
	"maps"
	"slices"

	"aftergust/internal/parts/people"

	"github.com/jackc/pgx/v5"
)

const personOf = `r.id, r.studio_id, r.name, r.email, r.zone, r.language, coalesce(r.client_id, '') as client_id,
	r.rate, r.bounced, r.created_at, r.gone_at `

const selectPerson = "select " + personOf + "from person r "

func (q *queries) PersonByEmail(ctx context.Context, studioID, email string) (people.Person, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPerson+"where r.studio_id = $1 and lower(r.email) = lower($2)", studioID, email)
	return one(rows, err, pgx.RowToStructByName[people.Person])
}

func (q *queries) PersonByID(ctx context.Context, id string) (people.Person, bool, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPerson+"where r.id = $1", id)
	return one(rows, err, pgx.RowToStructByName[people.Person])
}

func (q *queries) InsertPerson(ctx context.Context, p people.Person) error {
	_, err := q.conn(ctx).Exec(ctx, `insert into person (id, studio_id, name, email, zone, language, client_id, gone_at) values ($1, $2, $3, $4, $5,
		$6, $7, $8) on conflict do nothing`,
		p.ID, p.StudioID, p.Name, p.Email, p.Zone, p.Language, optional(p.ClientID), p.GoneAt)
	return err
}

func (q *queries) NamePerson(ctx context.Context, id, name, zone string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update person set name = coalesce(nullif($2, ''), name), zone = coalesce(nullif($3, ''), zone) where id = $1`, id, name, zone)
	return err
}

func (q *queries) EnterPeople(ctx context.Context, parcel string) error {
	_, err := q.conn(ctx).Exec(ctx, `
		update person set gone_at = null where gone_at is not null and email not like '%@erased.invalid' and id in (
		    select person_id from line where parcel_id = $1 and removed_at is null and person_id is not null)`, parcel)
	return err
}

func (q *queries) UpdatePerson(ctx context.Context, p people.Person) error {
	_, err := q.conn(ctx).Exec(ctx, "update person set name = $2, zone = $3, language = $4, client_id = $5, gone_at = $6 where id = $1", p.ID, p.Name,
		p.Zone, p.Language, optional(p.ClientID), p.GoneAt)
	return err
}

func (q *queries) People(ctx context.Context, query people.Query) ([]people.Listed, error) {
	rows, err := q.conn(ctx).Query(ctx, `
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
	return pgx.CollectRows(rows, pgx.RowToStructByName[people.Listed])
}

func (q *queries) Recognise(ctx context.Context, studio string, emails, names []string) ([]people.Person, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPerson+`where r.studio_id = $1 and (lower(r.email) = any($2) or lower(r.name) = any($3))
		and (r.gone_at is null or lower(r.email) = any($2)) order by r.name, r.id`, studio, orNoText(emails), orNoText(names))
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[people.Person])
}

func orNoText(all []string) []string {
	if all == nil {
		return []string{}
	}
	return all
}

func (q *queries) Domains(ctx context.Context, studio string, limit int) ([]string, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select lower(split_part(email, '@', 2)) from person where studio_id = $1 and gone_at is null and bounced = ''
		group by 1 order by count(*) desc, 1 limit $2`, studio, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

func (q *queries) IsClient(ctx context.Context, studio, place string) (is bool, err error) {
	err = q.conn(ctx).QueryRow(ctx, "select exists (select from place where id = $2 and studio_id = $1 and kind = 'client')", studio, place).Scan(&is)
	return is, err
}

func (q *queries) Groups(ctx context.Context, studio string) ([]people.Group, error) {
	rows, err := q.conn(ctx).Query(ctx, `
		select g.id, g.studio_id, g.name, (select count(*) from group_person m join person r on r.id = m.person_id
		    where m.group_id = g.id and r.gone_at is null)::int as people
		from people_group g where g.studio_id = $1 order by lower(g.name)`, studio)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[people.Group])
}

func (q *queries) InsertGroup(ctx context.Context, g people.Group) error {
	_, err := q.conn(ctx).Exec(ctx, "insert into people_group (id, studio_id, name) values ($1, $2, $3)", g.ID, g.StudioID, g.Name)
	return err
}

func (q *queries) DeleteGroup(ctx context.Context, studio, id string) (bool, error) {
	done, err := q.conn(ctx).Exec(ctx, "delete from people_group where id = $2 and studio_id = $1", studio, id)
	return done.RowsAffected() == 1, err
}

func (q *queries) SetGroups(ctx context.Context, person string, groups []string) error {
	return q.Tx(ctx, func(ctx context.Context) error {
		if _, err := q.conn(ctx).Exec(ctx, "delete from group_person where person_id = $1 and group_id <> all($2)", person, orNoText(groups)); err != nil {
			return err
		}
		_, err := q.conn(ctx).Exec(ctx, `
			insert into group_person (group_id, person_id) select g.id, r.id from people_group g, person r
			where r.id = $1 and g.id = any($2) and g.studio_id = r.studio_id on conflict do nothing`, person, orNoText(groups))
		return err
	})
}

func (q *queries) GroupPeople(ctx context.Context, studio, group string, limit int) ([]people.Person, error) {
	rows, err := q.conn(ctx).Query(ctx, selectPerson+`join group_person g on g.person_id = r.id
		where r.studio_id = $1 and g.group_id = $2 and r.gone_at is null order by lower(r.name), r.id limit $3`, studio, group, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[people.Person])
}

func (q *queries) SetRates(ctx context.Context, rates map[string]int64) error {
	people := slices.Sorted(maps.Keys(rates)) // in one order, so that two processes seldom wait for each other
	measured := make([]int64, len(people))
	for i, id := range people {
		measured[i] = rates[id]
	}
	_, err := q.conn(ctx).Exec(ctx, `
		update person set rate = case when person.rate = 0 then m.rate else (3 * person.rate + m.rate) / 4 end
		from unnest($1::text[], $2::bigint[]) as m (id, rate) where person.id = m.id`, people, measured)
	return err
}
