-- +goose Up

-- What a package is to be, before it goes: what new people may do, whether it keeps the versions that it was sent with,
-- when it goes by itself and what spoke against that, who it was handed to.
alter table parcel
    add column default_rights text[] not null default '{see,note,take}',
    add column pins           boolean not null default false,
    add column going_at       timestamptz,
    add column going_waits    boolean not null default false, -- for files that a browser has not announced yet
    add column going_problem  text not null default '',
    add column handed_by      text references member,
    add column news_at        timestamptz, -- when they are told of what was added since it went
    add column told_at        timestamptz; -- what was added before has been told of
create index parcel_going on parcel (going_at) where going_at is not null and sent_at is null and discarded_at is null;
create index parcel_draft_going on parcel (studio_id) where sent_at is null and discarded_at is null and (going_at is not null or going_problem <> '');
create index parcel_news on parcel (news_at) where news_at is not null;
create index parcel_handed on parcel (created_by) where handed_by is not null and sent_at is null and discarded_at is null;

-- Somebody who left their address in the guest book of a link for anyone has a line of their own.
alter table line add column guest_of text references line;
create index line_guest on line (guest_of) where guest_of is not null;
alter table visit add column guest_id text references line;

-- A heading over an item and those that follow it.
alter table parcel_item add column heading text not null default '';

-- What was seen of people: how fast they download, and that a letter did not reach them.
alter table person
    add column rate    bigint not null default 0, -- bits a second; 0 while not known
    add column bounced text not null default '',  -- why the last letter did not arrive; empty if it did
    add column gone_at timestamptz;               -- taken out of the contact book
create index person_name on person (studio_id, lower(name), id) where gone_at is null;
create index person_client on person (client_id) where client_id is not null;

create table people_group (
    id         text primary key,
    studio_id  text not null references studio,
    name       text not null,
    created_at timestamptz not null default now()
);
create unique index people_group_name on people_group (studio_id, lower(name));
create table group_person (
    group_id  text not null references people_group on delete cascade,
    person_id text not null references person on delete cascade,
    primary key (group_id, person_id)
);
create index group_person_person on group_person (person_id);

-- Door, rights, end and letter kept for the next package.
create table preset (
    id           text primary key,
    studio_id    text not null references studio,
    name         text not null,
    door         text not null,
    rights       text[] not null,
    end_rule     jsonb not null,
    cover_letter text not null default '',
    pins         boolean not null default false,
    created_at   timestamptz not null default now()
);
create unique index preset_name on preset (studio_id, lower(name));

-- Somebody stands before a package and asks to be let in; until somebody of the studio answers.
create table knock (
    id          text primary key,
    studio_id   text not null references studio,
    parcel_id   text not null references parcel,
    line_id     text not null references line on delete cascade,
    device_hash bytea not null,
    reason      text not null,
    name        text not null default '',
    message     text not null default '',
    asked_at    timestamptz not null,
    answered_at timestamptz,
    answered_by text references member,
    let_in      boolean not null default false
);
create index knock_open on knock (studio_id, asked_at) where answered_at is null;
create index knock_line on knock (line_id, device_hash, asked_at);
create index knock_parcel on knock (parcel_id);

-- Codes to read out on the phone. The code itself is nowhere; its mark is made with the secret.
create table pickup_code (
    id         text primary key,
    line_id    text not null references line on delete cascade,
    mark       bytea not null unique,
    made_by    text not null references member,
    expires_at timestamptz not null
);
create index pickup_code_line on pickup_code (line_id);
create index pickup_code_expires on pickup_code (expires_at);

-- Names of one's own for links. Whoever has one comes by the line's own way in.
create table link_name (
    name       text primary key,
    line_id    text not null unique references line on delete cascade,
    created_at timestamptz not null default now()
);

-- Text messages that bring somebody their link. What they say is made when they go.
create table text_message (
    id         text primary key,
    studio_id  text not null references studio,
    line_id    text not null references line on delete cascade,
    number     text not null,
    state      text not null default 'waiting',
    problem    text not null default '',
    created_at timestamptz not null,
    sent_at    timestamptz
);
create index text_message_line on text_message (line_id, created_at);

-- What is written into a ZIP itself, by entry; null where nothing is.
alter table zip_state add column texts text[];

-- How a studio shows itself: several, one of them for whatever has none of its own, and one for each client.
create table letterhead (
    id         text primary key,
    studio_id  text not null references studio,
    name       text not null,
    client_id  text unique references place on delete set null,
    standard   boolean not null default false,
    main       text not null,
    ground     text not null,
    band       text not null,
    typeface   text not null,
    sign_off   text not null default '',
    logo       bytea,
    banner     bytea,
    wide_x     int not null default 50, -- which point of the banner is kept in sight, in percent
    wide_y     int not null default 50,
    phone_x    int not null default 50,
    phone_y    int not null default 50,
    edition    int not null default 1,  -- changes with its pictures
    created_at timestamptz not null default now()
);
create unique index letterhead_standard on letterhead (studio_id) where standard;
create unique index letterhead_name on letterhead (studio_id, lower(name));
alter table parcel add column letterhead_id text references letterhead on delete set null;
create index parcel_letterhead on parcel (letterhead_id) where letterhead_id is not null;

-- +goose Down
alter table parcel drop column letterhead_id;
drop table letterhead;
alter table zip_state drop column texts;
drop table text_message, link_name, pickup_code;
drop table knock;
drop table preset, group_person, people_group;
drop index person_name;
alter table person drop column rate, drop column bounced, drop column gone_at;
alter table parcel_item drop column heading;
alter table visit drop column guest_id;
alter table line drop column guest_of;
alter table parcel drop column default_rights, drop column pins, drop column going_at, drop column going_waits, drop column going_problem, drop column handed_by,
    drop column news_at, drop column told_at;
