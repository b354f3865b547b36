-- +goose Up

-- Closed lists (doors, kinds, states, purposes) are in core alone; the database has no second list of them.
alter table member drop constraint member_role_check;
alter table item drop constraint item_kind_check;
alter table version drop constraint version_kind_check, drop constraint version_media_state_check;
alter table derived drop constraint derived_purpose_check;
alter table parcel drop constraint parcel_door_check;
alter table sign_off drop constraint sign_off_verdict_check;
alter table letter drop constraint letter_state_check;
alter table upload drop constraint upload_state_check;
alter table place drop constraint place_kind_check;

-- Who packages go to. Somebody is known by their mail address.
create table person (
    id         text primary key,
    studio_id  text not null references studio,
    name       text not null,
    email      text not null,
    zone       text not null default '',
    language   text not null default '',
    client_id  text references place,
    created_at timestamptz not null default now()
);
create unique index person_email on person (studio_id, lower(email));

-- How somebody was called when something happened. Events name a card instead of a person, so that a rename does not
-- rewrite what has been, and so that what is personal lies apart from events and can be erased.
create table card (
    id        bigint generated always as identity primary key,
    studio_id text not null references studio,
    name      text not null,
    email     text not null default '',
    at        timestamptz not null default now()
);

insert into person (id, studio_id, name, email, zone, created_at)
select distinct on (p.studio_id, lower(r.email))
       'p' || substr(r.id, 2), p.studio_id, r.name, r.email,
       coalesce((select z.zone from recipient z join parcel zp on zp.id = z.parcel_id
                 where zp.studio_id = p.studio_id and lower(z.email) = lower(r.email) and z.zone <> '' order by z.created_at desc limit 1), ''),
       min(r.created_at) over (partition by p.studio_id, lower(r.email))
from recipient r join parcel p on p.id = r.parcel_id where r.email <> ''
order by p.studio_id, lower(r.email), r.created_at desc;

-- A line of a waybill: a person, or whoever has the link for anyone. What they have hangs on it.
alter table recipient rename to line;
alter index recipient_parcel rename to line_parcel;
alter table line
    add column person_id text references person, -- null: the link for anyone
    add column card_id   bigint references card;
update line l set person_id = r.id from person r, parcel p
where p.id = l.parcel_id and r.studio_id = p.studio_id and lower(r.email) = lower(l.email) and l.email <> '';
alter table card add column line_id text;
insert into card (studio_id, name, email, at, line_id) select p.studio_id, l.name, l.email, l.created_at, l.id from line l join parcel p on p.id = l.parcel_id;
update line l set card_id = c.id from card c where c.line_id = l.id;
alter table card drop column line_id;
alter table line alter column card_id set not null;

alter table member add column card_id bigint references card;
alter table card add column member_id text;
insert into card (studio_id, name, email, at, member_id) select studio_id, name, email, created_at, id from member;
update member m set card_id = c.id from card c where c.member_id = m.id;
alter table card drop column member_id;
alter table member alter column card_id set not null;

-- How somebody gets to a line. Its secret is kept as the nonce it is made of, and a hash.
create table way_in (
    id           text primary key,
    line_id      text not null references line,
    kind         text not null,
    nonce        bytea not null,
    hash         bytea not null unique,
    since        timestamptz not null default now(),
    until        timestamptz,
    withdrawn_at timestamptz
);
create index way_in_line on way_in (line_id, since);
insert into way_in (id, line_id, kind, nonce, hash, since)
select 'w' || substr(id, 2), id, case when person_id is null then 'anyone' else 'personal' end, link_nonce, link_hash, created_at from line;

drop index recipient_email;
alter table line drop column name, drop column email, drop column zone, drop column link_nonce, drop column link_hash;
create unique index line_person on line (parcel_id, person_id) where removed_at is null and person_id is not null;
create index line_of_person on line (person_id, created_at desc);

alter table visit rename column recipient_id to line_id;
alter table visit add column way_in_id text references way_in;
update visit v set way_in_id = w.id from way_in w where w.line_id = v.line_id;
alter table door_code rename column recipient_id to line_id;
alter table sign_off rename column recipient_id to line_id;
alter table note rename column recipient_id to line_id;
alter table note add column way_in_id text references way_in;
update note n set way_in_id = w.id from way_in w where w.line_id = n.line_id;
create index note_open on note (parcel_id) where parent_id is null and done_at is null and removed_at is null;
alter table letter rename column recipient_id to line_id;
create index letter_line on letter (line_id, kind, created_at desc);
create index letter_waiting on letter (parcel_id) where state = 'waiting' and tries > 0;
create index letter_stuck on letter (studio_id, created_at desc) where state = 'waiting' and tries > 0;

-- Anchors combine a time, a place and strokes.
update note set anchor = (anchor - 'kind')
    || case anchor ->> 'kind' when 'moment' then '{"when":"moment"}' when 'span' then '{"when":"span"}' when 'spot' then '{"where":"spot"}' else '{}' end::jsonb;

-- What each line got of each version. How much that is, and whether it counts for the line's standing, is kept with it:
-- 1 the package gives this version now, 2 the newest older one that they have whole while they have not the current one.
alter table coverage rename column recipient_id to line_id;
alter table coverage
    add column looked_at timestamptz,
    add column delivered bigint not null default 0,
    add column gaps      int not null default 0,
    add column role      smallint not null default 0;
drop index coverage_parcel;
create index coverage_parcel on coverage (parcel_id, version_id);

-- What each line has, in numbers (core/ledger.Standing).
create table standing (
    line_id      text primary key references line on delete cascade,
    parcel_id    text not null,
    delivered    bigint not null default 0,
    whole        int not null default 0,
    gaps         int not null default 0,
    behind       int not null default 0,
    completed_at timestamptz, -- of the last item that became whole
    opened_at    timestamptz,
    seen_at      timestamptz
) with (fillfactor = 70);
create index standing_parcel on standing (parcel_id);
insert into standing (line_id, parcel_id) select id, parcel_id from line;

-- What each package weighs, and what each of its items was counted with.
alter table parcel
    add column items  int not null default 0,
    add column weight bigint not null default 0,
    add column loose  bigint not null default 0; -- of the weight, bytes that lie in no project
alter table parcel_item
    add column counted boolean not null default false,
    add column weight  bigint not null default 0,
    add column loose   boolean not null default false,
    add column added_at timestamptz not null default now();
create index parcel_item_order on parcel_item (parcel_id, position, id) where withdrawn_at is null;
create index parcel_item_withdrawn on parcel_item (parcel_id) where withdrawn_at is not null;
create index parcel_out on parcel (studio_id, created_at desc, id desc) include (ends_at)
    where sent_at is not null and stopped_at is null and cleared_at is null and discarded_at is null;
create index upload_position on upload (parcel_id, position) where parcel_id is not null;

-- What each studio holds: what was counted, and what was weighed since, which is added to it from time to time. Rows are
-- only added by those who change something, so that nobody waits for anybody.
alter table studio
    add column held_bytes     bigint not null default 0,
    add column arriving_bytes bigint not null default 0;
create table weighed (
    id        bigint generated always as identity primary key,
    studio_id text not null,
    held      bigint not null default 0,
    arriving  bigint not null default 0
);
create index weighed_studio on weighed (studio_id) include (held, arriving);

-- +goose StatementBegin
create function weigh_blob() returns trigger language plpgsql as $$
declare
    before bigint := 0;
    after  bigint := 0;
begin
    if tg_op <> 'INSERT' and old.deleted_at is null then before := old.size; end if;
    if tg_op <> 'DELETE' and new.deleted_at is null then after := new.size; end if;
    if before <> after then
        insert into weighed (studio_id, held) values (coalesce(new.studio_id, old.studio_id), after - before);
    end if;
    return null;
end $$;
create function weigh_upload() returns trigger language plpgsql as $$
declare
    before bigint := 0;
    after  bigint := 0;
begin
    if tg_op <> 'INSERT' and old.state = 'arriving' then before := old.size; end if;
    if tg_op <> 'DELETE' and new.state = 'arriving' then after := new.size; end if;
    if before <> after then
        insert into weighed (studio_id, arriving) values (coalesce(new.studio_id, old.studio_id), after - before);
    end if;
    return null;
end $$;
-- +goose StatementEnd
create trigger blob_weighs after insert or update of size, deleted_at or delete on blob for each row execute function weigh_blob();
create trigger upload_weighs after insert or update of size, state or delete on upload for each row execute function weigh_upload();
update studio s set
    held_bytes = (select coalesce(sum(size), 0) from blob where studio_id = s.id and deleted_at is null),
    arriving_bytes = (select coalesce(sum(size), 0) from upload where studio_id = s.id and state = 'arriving');

-- Items of a package that were chosen to be taken as one ZIP, beside what members choose in Gather.
alter table selection add column parcel_id text references parcel;
create index selection_age on selection (created_at);
create index attempt_age on attempt (at);

-- What happened, for good: each event keeps the facts as they were. By month, so that old months can be kept elsewhere;
-- two indexes, by package in the order in which things happened, and by studio and kind.
alter table event rename to event_before;
drop trigger event_append_only on event_before;
create sequence event_id as bigint;
create table event (
    id         bigint not null default nextval('event_id'),
    at         timestamptz not null default clock_timestamp(),
    studio_id  text not null,
    parcel_id  text not null,
    line_id    text,
    member_id  text,
    version_id text,
    way_in_id  text,
    line_card  bigint,
    by_card    bigint,
    kind       text not null,
    facts      jsonb not null default '{}'
) partition by range (at);
create index event_story on event (parcel_id, at, id);
create index event_kind on event (studio_id, kind, at);
create table event_other partition of event default; -- takes what no month takes; should stay empty

-- +goose StatementBegin
create function event_month(of timestamptz) returns void language plpgsql as $$
declare
    first timestamptz := date_trunc('month', of at time zone 'UTC') at time zone 'UTC';
    next  timestamptz := (date_trunc('month', of at time zone 'UTC') + interval '1 month') at time zone 'UTC';
    name  text := 'event_' || to_char(first at time zone 'UTC', 'YYYY_MM');
begin
    perform pg_advisory_xact_lock(hashtext('event_month')); -- two processes start at once
    if to_regclass(name) is not null then return; end if;
    if not exists (select from event_other where at >= first and at < next) then
        execute format('create table %I partition of event for values from (%L) to (%L)', name, first, next);
        return;
    end if;
    -- What came while there was no month for it moves there.
    create temporary table moving on commit drop as select * from event_other where at >= first and at < next;
    alter table event_other disable trigger user;
    delete from event_other where at >= first and at < next;
    alter table event_other enable trigger user;
    execute format('create table %I partition of event for values from (%L) to (%L)', name, first, next);
    insert into event select * from moving;
    drop table moving;
end $$;
-- +goose StatementEnd
select event_month(m) from generate_series(
    coalesce((select date_trunc('month', min(at)) from event_before), date_trunc('month', now())),
    date_trunc('month', now()) + interval '2 months', interval '1 month') m;

insert into event (id, at, studio_id, parcel_id, line_id, member_id, version_id, way_in_id, line_card, by_card, kind, facts)
select e.id, e.at, e.studio_id, e.parcel_id, e.recipient_id, e.member_id, e.version_id, w.id, l.card_id, m.card_id, e.kind,
       jsonb_strip_nulls(jsonb_build_object('title', p.title, 'door', p.door, 'ends', p.ends_at, 'zone', p.end_rule ->> 'zone', 'rights', to_jsonb(l.rights),
           'way', w.kind, 'name', case when v.id = i.current_version_id then i.name else v.file_name end, 'number', v.number, 'size', b.size,
           'sha256', encode(b.sha256, 'hex')))
from event_before e join parcel p on p.id = e.parcel_id
left join line l on l.id = e.recipient_id left join way_in w on w.line_id = l.id
left join member m on m.id = e.member_id
left join version v on v.id = e.version_id left join item i on i.id = v.item_id left join blob b on b.id = v.blob_id;
select setval('event_id', greatest((select coalesce(max(id), 0) from event_before), 1));
drop table event_before;
create trigger event_append_only before update or delete on event for each row execute function event_is_append_only();

-- Everything that is kept where it changes is counted once, from what there is.
update parcel_item pi set added_at = v.created_at, counted = pi.withdrawn_at is null, weight = case when pi.withdrawn_at is null then b.size else 0 end, loose = i.place_id is null
from item i, version v, blob b
where i.id = pi.item_id and v.id = coalesce(pi.pinned_version_id, i.current_version_id) and b.id = v.blob_id;
update parcel p set items = t.items, weight = t.weight, loose = t.loose
from (select parcel_id, count(*) filter (where counted) as items, coalesce(sum(weight), 0) as weight, coalesce(sum(weight) filter (where loose), 0) as loose
      from parcel_item group by parcel_id) t
where t.parcel_id = p.id;

update coverage c set
    delivered = (select coalesce(sum(upper(r) - lower(r)), 0) from unnest(c.bytes) r),
    gaps = case when isempty(c.bytes) then 0 else (select count(*) from unnest(int8multirange(int8range(0, b.size)) - c.bytes) r) end,
    looked_at = (select max(e.at) from event e where e.parcel_id = c.parcel_id and e.line_id = c.line_id and e.version_id = c.version_id and e.kind = 'looked')
from version v join blob b on b.id = v.blob_id where v.id = c.version_id;
insert into coverage (line_id, version_id, parcel_id, looked_at)
select e.line_id, e.version_id, e.parcel_id, max(e.at) from event e
where e.kind = 'looked' and e.line_id is not null and e.version_id is not null and not exists (select from coverage c where c.line_id = e.line_id and c.version_id = e.version_id)
group by 1, 2, 3;
with of as (
    select c.line_id, c.version_id, v.item_id, v.number, c.completed_at, pi.id is not null and pi.withdrawn_at is null as given,
           now.number as now_number, v.id = now.id as current
    from coverage c join version v on v.id = c.version_id join item i on i.id = v.item_id
    left join parcel_item pi on pi.parcel_id = c.parcel_id and pi.item_id = v.item_id
    left join version now on now.id = coalesce(pi.pinned_version_id, i.current_version_id)
), best as (
    select *, bool_or(current and completed_at is not null) over w as have,
           max(number) filter (where completed_at is not null and number < now_number) over w as newest
    from of window w as (partition by line_id, item_id)
)
update coverage c set role = case when not b.given then 0 when b.current then 1 when not b.have and b.number = b.newest and b.completed_at is not null then 2 else 0 end
from best b where b.line_id = c.line_id and b.version_id = c.version_id;
update standing s set delivered = t.delivered, whole = t.whole, gaps = t.gaps, behind = t.behind, completed_at = t.completed_at
from (select line_id, coalesce(sum(delivered) filter (where role = 1), 0) as delivered, count(*) filter (where role = 1 and completed_at is not null) as whole,
             coalesce(sum(gaps) filter (where role = 1), 0) as gaps, count(*) filter (where role = 2) as behind,
             max(completed_at) filter (where role = 1) as completed_at
      from coverage group by line_id) t
where t.line_id = s.line_id;
update standing s set opened_at = t.opened_at, seen_at = t.seen_at
from (select line_id, min(at) filter (where kind = 'opened') as opened_at, max(at) as seen_at from event
      where kind in ('opened', 'looked', 'took', 'noted') and line_id is not null group by line_id) t
where t.line_id = s.line_id;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'there is no way back before lines and ways in; restore a backup'; end $$;
-- +goose StatementEnd
