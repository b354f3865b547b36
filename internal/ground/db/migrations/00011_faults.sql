-- +goose Up

-- ZIPs as they were when somebody began them, so that they can be finished as they
-- were begun. The key names a state: of a package, with its revision and what was
-- chosen; or a selection of a member. Sizes, sums and bytes lie with the versions.
create table zip_state (
    key       text primary key,
    parcel_id text references parcel on delete cascade,
    items     text[] not null,
    versions  text[] not null,
    paths     text[] not null,
    begun_at  timestamptz not null default now()
);
create index zip_state_parcel on zip_state (parcel_id);
create index zip_state_begun on zip_state (begun_at) where parcel_id is null;

-- Folders that were packed with nothing in them.
alter table parcel add column empty_folders text[] not null default '{}';

-- Names with numbers sort otherwise than they did; the keys are made anew at the start.
update item set name_key = null where name ~ '\d';
update place set name_key = null where name ~ '\d';

create index version_stuck on version (item_id) where media_state = 'waiting' and media_error <> '';

-- +goose Down
drop index version_stuck;
alter table parcel drop column empty_folders;
drop table zip_state;
