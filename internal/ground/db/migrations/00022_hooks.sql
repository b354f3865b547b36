-- +goose Up

-- Where other programs are told of what happens (core/webhook). Secrets are sealed.
create table hook (
    id         text primary key,
    studio_id  text not null references studio,
    address    text not null,
    kinds      text[] not null,
    secret     bytea not null,
    before     bytea,       -- the secret before, for as long as both are good
    both_until timestamptz,
    made_at    timestamptz not null,
    off_at     timestamptz,
    why_off    text not null default '',
    failed_at  timestamptz, -- the last try that failed; null once one went well
    took_at    timestamptz  -- the last one that went well
);
create index hook_of_studio on hook (studio_id);

-- One message to one hook. It is made of its event each time that it is sent.
create table hook_delivery (
    id        text primary key,
    hook_id   text not null references hook on delete cascade,
    kind      text not null,
    parcel_id text references parcel, -- null: a trial
    event_id  bigint,
    at        timestamptz not null,   -- of the event
    state     text not null default 'waiting',
    tries     int not null default 0,
    next_at   timestamptz,
    tried_at  timestamptz,
    status    int not null default 0,
    took_ms   int not null default 0,
    says      text not null default ''
);
create index hook_delivery_log on hook_delivery (hook_id, at desc, id desc);
create index hook_delivery_at on hook_delivery (at);

-- +goose Down
drop table hook_delivery, hook;
