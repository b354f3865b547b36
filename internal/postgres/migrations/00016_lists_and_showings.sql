-- +goose Up

-- What somebody has ticked in the list of a sheet. A task is known by its words.
create table tick (
    line_id text not null references line,
    item_id text not null references parcel_item on delete cascade,
    task    text not null,
    at      timestamptz not null,
    primary key (item_id, line_id, task)
);
create index tick_line on tick (line_id);

-- Whoever founds a studio in a browser shows that the mail address is theirs before they send anything.
alter table member add column confirmed_at timestamptz;
update member set confirmed_at = now();
create table confirm_code (
    id         text primary key,
    member_id  text not null references member,
    created_at timestamptz not null default clock_timestamp(),
    expires_at timestamptz not null,
    tries      int not null default 0
);
create index confirm_code_member on confirm_code (member_id, created_at desc);

-- +goose Down
drop table confirm_code;
alter table member drop column confirmed_at;
drop table tick;
