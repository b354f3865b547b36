-- +goose Up
-- Who is in the Room of an item, and what whoever leads shows. It may be lost: everybody says it again within seconds.
create unlogged table sitting (
    content_id text not null,
    who        text not null, -- id of the line or member
    parcel_id  text not null references parcel on delete cascade,
    name       text not null,
    studio     boolean not null,
    leads      boolean not null default false,
    version_id text not null default '',
    at_us      bigint not null default 0,
    plays      boolean not null default false,
    speed      real not null default 1,
    clock_ms   bigint not null default 0, -- of the server, when it was there
    until      timestamptz not null,
    primary key (content_id, who)
);

-- +goose Down
drop table sitting;
