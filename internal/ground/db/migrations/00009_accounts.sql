-- +goose Up

-- Where members are signed in. The session itself lies with the sessions; this says whose it is, and can end it.
create table sign_in (
    id        text primary key,
    member_id text not null references member on delete cascade,
    since     timestamptz not null,
    seen_at   timestamptz not null,
    browser   text not null,
    source    text not null,
    ended_at  timestamptz
);
create index sign_in_member on sign_in (member_id) where ended_at is null;

-- How far tokens reach, and until when.
alter table token add column scope text not null default 'all', add column expires_at timestamptz;

-- The security record: who came in, who tried to, what changed of the locks.
create table guard_event (
    id        bigint generated always as identity primary key,
    studio_id text not null references studio on delete cascade,
    member_id text references member on delete set null,
    at        timestamptz not null,
    kind      text not null,
    who       text not null,
    about     text not null default '',
    source    text not null default ''
);
create index guard_event_studio on guard_event (studio_id, id desc);

-- Sessions of before end: nobody knows whose they were.
delete from sessions;

-- +goose Down
drop table guard_event;
alter table token drop column expires_at, drop column scope;
drop table sign_in;
