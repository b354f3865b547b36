-- +goose Up

-- Who came in by a door before it changed is outside again.
alter table parcel add column door_since timestamptz;
update visit v set passed_at = v.last_at from line l join parcel p on p.id = l.parcel_id
where l.id = v.line_id and v.passed_at is null and p.door = 'open';

-- The cookie of a device is made anew with each door that it passes.
create index visit_device on visit (device_hash);
create index door_code_device on door_code (device_hash);

-- Browsers that a member has signed in with.
create table member_device (
    member_id   text not null references member on delete cascade,
    device_hash bytea not null,
    seen_at     timestamptz not null,
    primary key (member_id, device_hash)
);

-- Words of many things at once are put into the index together.
alter index item_found set (fastupdate = on, gin_pending_list_limit = 128);

-- +goose Down
alter index item_found set (fastupdate = off);
alter index item_found reset (gin_pending_list_limit);
drop table member_device;
drop index door_code_device, visit_device;
alter table parcel drop column door_since;
