-- +goose Up
-- Rounds of review and sign-offs. The tables of the first day were never filled.
alter table note drop column round_id;
drop table sign_off;
drop table round;

create table round (
    id         text primary key,
    parcel_id  text not null references parcel,
    project_id text references place on delete set null, -- of its first item; rounds count within it
    number     int not null, -- in the project, or in the package where that lies in none
    due_at     timestamptz,
    message    text not null default '',
    member_id  text not null references member,
    created_at timestamptz not null,
    closed_at  timestamptz,
    unique nulls not distinct (parcel_id, number)
);
create index round_project on round (project_id, number desc);
create index round_open on round (parcel_id) where closed_at is null;

create table round_version (
    round_id   text not null references round on delete cascade,
    version_id text not null references version,
    content_id text not null,
    position   int not null,
    primary key (round_id, version_id)
);
create table round_line (
    round_id text not null references round on delete cascade,
    line_id  text not null references line,
    primary key (round_id, line_id)
);
create index round_line_line on round_line (line_id);

-- What somebody decided of a version. Nothing is changed in it: who thinks again decides again.
create table sign_off (
    id         text primary key,
    parcel_id  text not null references parcel,
    version_id text not null references version,
    line_id    text not null references line,
    way_in_id  text references way_in,
    verdict    text not null,
    body       text not null default '',
    sha256     bytea, -- of the version, as far as it was known
    at         timestamptz not null
);
create index sign_off_version on sign_off (parcel_id, version_id, at);
create index sign_off_line on sign_off (line_id, at);

alter table place add column rounds int not null default 0; -- agreed with the client for a project; 0: no number

-- +goose Down
alter table place drop column rounds;
drop table sign_off, round_line, round_version, round;
create table round (id text primary key, parcel_id text not null references parcel, number int not null, due_at timestamptz,
    created_at timestamptz not null default now(), closed_at timestamptz, unique (parcel_id, number));
create table sign_off (id text primary key, round_id text not null references round, version_id text references version,
    line_id text not null references line, verdict text not null, body text not null default '', created_at timestamptz not null default now());
create index sign_off_round on sign_off (round_id);
alter table note add column round_id text references round;
