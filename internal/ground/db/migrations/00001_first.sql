-- +goose Up

-- Identifiers are text: 24 characters, sortable by time of making, never secret.
-- Secrets (links, tokens, device cookies) are kept only as SHA-256 hashes.

create table studio (
    id          text primary key,
    name        text not null,
    zone        text not null,
    letterhead  jsonb not null default '{}',
    quota_bytes bigint not null default 500000000000,
    created_at  timestamptz not null default now()
);

create table member (
    id            text primary key,
    studio_id     text not null references studio,
    name          text not null,
    email         text not null,
    password_hash text not null,
    role          text not null check (role in ('owner', 'member')),
    created_at    timestamptz not null default now(),
    removed_at    timestamptz
);
create unique index member_email on member (lower(email)) where removed_at is null;

-- Bearer tokens for scripts.
create table token (
    id           text primary key,
    member_id    text not null references member,
    label        text not null,
    hash         bytea not null unique,
    created_at   timestamptz not null default now(),
    last_used_at timestamptz,
    revoked_at   timestamptz
);

-- Browser sessions of members, in the form that scs keeps them.
create table sessions (
    token  text primary key,
    data   bytea not null,
    expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table client (
    id         text primary key,
    studio_id  text not null references studio,
    name       text not null,
    created_at timestamptz not null default now()
);
create index client_studio on client (studio_id, name);

create table project (
    id         text primary key,
    client_id  text not null references client,
    name       text not null,
    created_at timestamptz not null default now()
);
create index project_client on project (client_id, name);

create table folder (
    id         text primary key,
    project_id text not null references project,
    parent_id  text references folder,
    name       text not null,
    created_at timestamptz not null default now()
);
create index folder_parent on folder (project_id, parent_id, name);

-- Bytes. A blob never changes. It is marked before it is deleted, and deleted
-- only when no version and no rendition refers to it.
create table blob (
    id         text primary key,
    studio_id  text not null references studio,
    size       bigint not null check (size >= 0),
    crc32      bigint,
    xxh3       bytea,
    sha256     bytea,
    created_at timestamptz not null default now(),
    marked_at  timestamptz,
    deleted_at timestamptz
);
create index blob_marked on blob (marked_at) where marked_at is not null and deleted_at is null;
create index blob_sha256 on blob (studio_id, sha256) where sha256 is not null;

create table item (
    id                 text primary key,
    studio_id          text not null references studio,
    project_id         text references project,
    folder_id          text references folder,
    kind               text not null check (kind in ('file', 'link', 'swatch', 'sheet')),
    name               text not null,
    current_version_id text,
    created_by         text references member,
    created_at         timestamptz not null default now(),
    deleted_at         timestamptz
);
create index item_place on item (studio_id, project_id, folder_id, name) where deleted_at is null;

create table version (
    id          text primary key,
    item_id     text not null references item,
    number      int not null,
    label       text not null default '',
    file_name   text not null,
    blob_id     text references blob,
    kind        text not null check (kind in ('still', 'artwork', 'film', 'sound', 'document', 'archive', 'other')),
    mime        text not null,
    media_state text not null check (media_state in ('waiting', 'working', 'ready', 'failed', 'none')),
    media_error text not null default '',
    facts       jsonb not null default '{}',
    created_at  timestamptz not null default now(),
    unique (item_id, number)
);
create index version_blob on version (blob_id);
alter table item add constraint item_current foreign key (current_version_id) references version deferrable initially deferred;

-- What was made from a version: poster, proxy, preview of a page.
create table rendition (
    id         text primary key,
    version_id text not null references version,
    purpose    text not null check (purpose in ('poster', 'proxy', 'page')),
    page       int not null default 0,
    recipe     int not null,
    blob_id    text not null references blob,
    mime       text not null,
    width      int not null default 0,
    height     int not null default 0,
    created_at timestamptz not null default now(),
    unique (version_id, purpose, page)
);
create index rendition_blob on rendition (blob_id);

create table parcel (
    id              text primary key,
    studio_id       text not null references studio,
    project_id      text references project,
    title           text not null,
    cover_letter    text not null default '',
    door            text not null check (door in ('open', 'passphrase', 'guest_book', 'named')),
    passphrase_hash text not null default '',
    end_rule        jsonb not null,
    contents_rev    bigint not null default 1,
    created_by      text not null references member,
    created_at      timestamptz not null default now(),
    sent_at         timestamptz,
    ends_at         timestamptz,
    stopped_at      timestamptz,
    cleared_at      timestamptz,
    discarded_at    timestamptz
);
create index parcel_studio on parcel (studio_id, created_at desc, id desc);
create index parcel_ending on parcel (ends_at) where sent_at is not null and cleared_at is null;

create table parcel_item (
    id                text primary key,
    parcel_id         text not null references parcel,
    item_id           text not null references item,
    pinned_version_id text references version, -- null: always the current one
    folder            text not null default '', -- slash-separated, as it was dropped
    position          int not null,
    withdrawn_at      timestamptz,
    unique (parcel_id, item_id)
);
create index parcel_item_item on parcel_item (item_id);

create table recipient (
    id          text primary key,
    parcel_id   text not null references parcel,
    name        text not null,
    email       text not null default '', -- empty for the link that anyone may use
    rights      text[] not null,
    may_pass_on boolean not null default true,
    zone        text not null default '',
    link_nonce  bytea not null,
    link_hash   bytea not null unique,
    created_at  timestamptz not null default now(),
    removed_at  timestamptz
);
create index recipient_parcel on recipient (parcel_id, created_at, id);
create unique index recipient_email on recipient (parcel_id, lower(email)) where removed_at is null and email <> '';

-- One device of one recipient.
create table visit (
    id           text primary key,
    recipient_id text not null references recipient,
    device_hash  bytea not null,
    passed_at    timestamptz,
    first_at     timestamptz not null default now(),
    last_at      timestamptz not null default now(),
    zone         text not null default '',
    unique (recipient_id, device_hash)
);

create table door_code (
    id           text primary key,
    recipient_id text not null references recipient,
    device_hash  bytea not null,
    created_at   timestamptz not null default now(),
    expires_at   timestamptz not null,
    tries        int not null default 0,
    used_at      timestamptz
);
create index door_code_recipient on door_code (recipient_id, created_at desc);

-- Wrong tries, for throttling. Old rows are swept.
create table attempt (
    key text not null,
    at  timestamptz not null default now()
);
create index attempt_key on attempt (key, at);

-- What happened. Only ever appended.
create table event (
    id           bigint generated always as identity primary key,
    studio_id    text not null,
    parcel_id    text not null references parcel,
    recipient_id text references recipient,
    member_id    text references member,
    version_id   text references version,
    kind         text not null,
    data         jsonb not null default '{}',
    at           timestamptz not null default now()
);
create index event_parcel on event (parcel_id, id);
create index event_fold on event (parcel_id, recipient_id, version_id, kind, at);

-- +goose StatementBegin
create function event_is_append_only() returns trigger language plpgsql as $$
begin
    raise exception 'events are only appended';
end $$;
-- +goose StatementEnd
create trigger event_append_only before update or delete on event for each row execute function event_is_append_only();

-- What each recipient got of each version.
create table coverage (
    recipient_id text not null references recipient,
    version_id   text not null references version,
    parcel_id    text not null references parcel,
    bytes        int8multirange not null default '{}',
    played       int8multirange not null default '{}',
    completed_at timestamptz,
    updated_at   timestamptz not null default now(),
    primary key (recipient_id, version_id)
);
create index coverage_parcel on coverage (parcel_id);

create table round (
    id         text primary key,
    parcel_id  text not null references parcel,
    number     int not null,
    due_at     timestamptz,
    created_at timestamptz not null default now(),
    closed_at  timestamptz,
    unique (parcel_id, number)
);

create table sign_off (
    id           text primary key,
    round_id     text not null references round,
    version_id   text references version, -- null: the whole round
    recipient_id text not null references recipient,
    verdict      text not null check (verdict in ('signed_off', 'changes_wanted')),
    body         text not null default '',
    created_at   timestamptz not null default now()
);
create index sign_off_round on sign_off (round_id);

create table note (
    id           text primary key,
    parcel_id    text not null references parcel,
    version_id   text not null references version,
    round_id     text references round,
    parent_id    text references note, -- set for an answer
    recipient_id text references recipient,
    member_id    text references member,
    anchor       jsonb not null,
    place        jsonb not null,
    body         text not null,
    created_at   timestamptz not null default now(),
    done_at      timestamptz,
    removed_at   timestamptz,
    check (num_nonnulls(recipient_id, member_id) = 1)
);
create index note_parcel on note (parcel_id, created_at, id);

-- A letter is composed when it goes, so that no secret is kept here.
create table letter (
    id           text primary key,
    studio_id    text not null references studio,
    parcel_id    text references parcel,
    recipient_id text references recipient,
    kind         text not null,
    to_name      text not null,
    to_email     text not null,
    data         jsonb not null default '{}',
    state        text not null default 'waiting' check (state in ('waiting', 'sent', 'refused')),
    tries        int not null default 0,
    last_error   text not null default '',
    created_at   timestamptz not null default now(),
    sent_at      timestamptz
);
create index letter_parcel on letter (parcel_id, created_at);

create table upload (
    id         text primary key, -- as tus names it
    studio_id  text not null references studio,
    member_id  text not null references member,
    parcel_id  text references parcel,
    name       text not null,
    folder     text not null default '',
    size       bigint not null,
    position   int not null, -- in its package: the order in which things were put in, not in which they arrive
    state      text not null default 'arriving' check (state in ('arriving', 'part', 'arrived', 'failed', 'cancelled')),
    problem    text not null default '',
    item_id    text references item,
    created_at timestamptz not null default now(),
    touched_at timestamptz not null default now()
);
create index upload_parcel on upload (parcel_id) where state = 'arriving';
create index upload_state on upload (state, touched_at);

-- +goose Down
drop table upload, letter, note, sign_off, round, coverage, event, attempt, door_code, visit, recipient, parcel_item, parcel,
    rendition, version, item, blob, folder, project, client, sessions, token, member, studio cascade;
drop function event_is_append_only;
