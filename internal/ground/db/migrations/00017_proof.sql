-- +goose Up

-- Events are chained by hash within their package (core/proof): soon after they are written, since a chain that is
-- held while something else is locked would make people wait for each other in a circle. A link is never changed.
create table chain (
    parcel_id text primary key references parcel,
    seq       bigint not null default 0, -- of the last link
    sum       bytea not null default ''  -- its hash
);
create table link (
    parcel_id text not null,
    seq       bigint not null,
    event_id  bigint not null,
    at        timestamptz not null,
    sum       bytea not null,
    primary key (parcel_id, seq)
);
-- What has no link yet.
create table unlinked (
    event_id  bigint not null,
    parcel_id text not null,
    at        timestamptz not null
);
create index unlinked_parcel on unlinked (parcel_id, at, event_id);
insert into unlinked (event_id, parcel_id, at) select id, parcel_id, at from event;
create trigger link_append_only before update or delete on link for each row execute function event_is_append_only();

-- What stands for somebody in the chain is made with a random salt. Once they are erased, only the sum is left of them.
alter table card
    add column salt bytea default uuid_send(gen_random_uuid()),
    add column sum  bytea; -- set when name, address and salt are erased

-- The key by which a studio signs proofs; the private part is sealed with the server's secret.
create table studio_key (
    studio_id text primary key references studio,
    public    bytea not null unique,
    private   bytea not null,
    made_at   timestamptz not null default now()
);

-- +goose Down
drop table studio_key;
alter table card drop column salt, drop column sum;
drop table unlinked, link, chain;
