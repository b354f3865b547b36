-- +goose Up
-- When the bytes of a blob were last read whole and compared with their checksum, and what was found wrong with them.
alter table blob add column read_at timestamptz;
alter table blob add column damage text not null default '';
alter table blob add column damaged_at timestamptz;
create index blob_read on blob (coalesce(read_at, '-infinity'), id) where deleted_at is null and marked_at is null;
create index blob_damaged on blob (studio_id) where damage <> '' and deleted_at is null;
-- Media work that goes on, for whoever looks whether its job is still there.
create index version_busy on version (id) where media_state in ('waiting', 'working');

-- +goose Down
drop index version_busy;
alter table blob drop column damaged_at;
alter table blob drop column damage;
alter table blob drop column read_at;
