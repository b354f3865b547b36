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

-- A page for finished work, to be looked at by whoever has its link, and within other sites.
create table showing (
    id            text primary key,
    studio_id     text not null references studio,
    title         text not null,
    words         text not null default '',
    layout        text not null,
    ground        text not null default '', -- colours of its own; empty for those of its letterhead
    accent        text not null default '',
    letterhead_id text references letterhead on delete set null,
    sites         text[] not null default '{}', -- that may have it within them
    link_nonce    bytea not null,
    link_hash     bytea not null unique,
    name          text unique, -- of its link, where it has one of its own
    open_since    timestamptz, -- null while only the studio sees it
    opened        bigint not null default 0,
    opened_at     timestamptz,
    created_by    text not null references member,
    created_at    timestamptz not null default now()
);
create index showing_studio on showing (studio_id, created_at desc, id desc);
create index showing_letterhead on showing (letterhead_id) where letterhead_id is not null;
create table shown (
    id         text primary key,
    showing_id text not null references showing on delete cascade,
    item_id    text not null references item on delete cascade,
    position   int not null,
    title      text not null default '', -- of its own; empty for the name of the item
    unique (showing_id, item_id)
);
create index shown_order on shown (showing_id, position, id);
create index shown_item on shown (item_id);

-- +goose Down
drop table shown, showing;
drop table confirm_code;
alter table member drop column confirmed_at;
drop table tick;
