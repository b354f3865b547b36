-- +goose Up

-- Names are compared as people count: 2 before 10 (CLDR collation, numeric ordering, UTS #35).
create collation natural_order (provider = icu, locale = 'en-u-kn-true');

-- A client, a project or a folder: one tree, since all that can be done with one can be done with each.
create table place (
    id         text primary key,
    studio_id  text not null references studio,
    parent_id  text references place,
    kind       text not null check (kind in ('client', 'project', 'folder')),
    name       text not null,
    path       text not null, -- identifiers from the client down to this one: /a/b/c/
    created_at timestamptz not null default now(),
    changed_at timestamptz not null default now(),
    starred_at timestamptz,
    bin_id     text,
    check ((kind = 'client') = (parent_id is null))
);

-- One deletion, of one or many things, so that it can be taken back as one.
create table bin (
    id        text primary key,
    studio_id text not null references studio,
    member_id text not null references member,
    name      text not null,
    at        timestamptz not null default now()
);
create index bin_studio on bin (studio_id, at desc, id desc);
alter table place add foreign key (bin_id) references bin;
create unique index place_name on place (studio_id, coalesce(parent_id, ''), lower(name)) where bin_id is null;
create index place_parent on place (studio_id, parent_id, name collate natural_order, id) where bin_id is null;
create index place_path on place (path text_pattern_ops);
create index place_bin on place (bin_id) where bin_id is not null;

drop index item_place;
alter table item drop column project_id, drop column folder_id, drop column deleted_at;
alter table parcel drop column project_id;
drop table folder, project, client;

alter table item
    add column place_id     text references place, -- null: only in packages
    add column bin_id       text references bin,
    add column rendition_of text references item,  -- the item that stands for it
    add column tags         text[] not null default '{}',
    add column starred_at   timestamptz,
    add column position     float8 not null default extract(epoch from clock_timestamp()), -- order by hand
    add column changed_at   timestamptz not null default now(),
    -- Of the current version, kept here so that lists are sorted and filtered by one index.
    add column what         text not null default 'other',
    add column size         bigint not null default 0,
    add column length_us    bigint not null default 0,
    add column search       text not null default '', -- the words under which it is found
    add column found        tsvector generated always as (array_to_tsvector(string_to_array(search, ' '))) stored; -- core/find has split and folded

-- Each order of a list is one index, so that a page of a large folder costs what one of a small folder costs.
create index item_by_name on item (place_id, name collate natural_order, id) where bin_id is null and rendition_of is null;
create index item_by_hand on item (place_id, position, id) where bin_id is null and rendition_of is null;
create index item_by_size on item (place_id, size, id) where bin_id is null and rendition_of is null;
create index item_by_length on item (place_id, length_us, id) where bin_id is null and rendition_of is null;
create index item_by_added on item (place_id, created_at, id) where bin_id is null and rendition_of is null;
create index item_by_changed on item (place_id, changed_at, id) where bin_id is null and rendition_of is null;
create index item_recent on item (studio_id, changed_at desc, id desc) where bin_id is null and rendition_of is null;
create index item_all on item (studio_id, name collate natural_order, id) where bin_id is null and rendition_of is null;
create index item_starred on item (studio_id, starred_at desc) where starred_at is not null and bin_id is null;
create index item_bin on item (bin_id) where bin_id is not null;
create index item_rendition on item (rendition_of) where rendition_of is not null;
create index item_tags on item using gin (tags) where bin_id is null;
alter table item alter column found set statistics 1000; -- how common words are decides how they are looked for
create index item_found on item using gin (found) with (fastupdate = off) where bin_id is null;

alter table version
    add column data         jsonb not null default '{}', -- what a link, swatch or sheet says
    add column body         text not null default '',    -- text to be found by
    add column added_by     text references member,
    add column deleted_at   timestamptz,
    add column media_recipe int not null default 0,
    add column media_share  real not null default 0,     -- how much of the media work is done, 0 to 1
    drop constraint version_kind_check,
    add constraint version_kind_check check (kind in ('still', 'artwork', 'film', 'sound', 'document', 'archive', 'other', 'link', 'swatch', 'sheet')),
    drop constraint version_media_state_check,
    add constraint version_media_state_check check (media_state in ('waiting', 'working', 'ready', 'failed', 'none', 'cancelled'));
create index version_recipe on version (media_recipe) where media_state = 'ready';

-- What is made from a version: poster, proxy, pages, filmstrip, peaks, text. ("Rendition" is what the studio itself
-- delivers in several formats.)
alter table rendition rename to derived;
alter index rendition_blob rename to derived_blob;
alter table derived
    drop constraint rendition_purpose_check,
    add constraint derived_purpose_check check (purpose in ('poster', 'proxy', 'proxy-small', 'page', 'strip', 'strip-index', 'peaks', 'text'));

alter table upload
    add column place_id text references place,
    add column tags     text[] not null default '{}',
    add column picture  boolean not null default false; -- it becomes the picture of its item, not a version
create index upload_place on upload (studio_id) where state = 'arriving';

-- What somebody chose to take as one ZIP; the address of the ZIP names it.
create table selection (
    id         text primary key,
    studio_id  text not null references studio,
    items      text[] not null,
    places     text[] not null,
    created_at timestamptz not null default now()
);

update item i set what = v.kind, size = coalesce(b.size, 0), length_us = coalesce((v.facts ->> 'length_us')::bigint, 0), search = trim(regexp_replace(lower(i.name), '[^[:alnum:]]+', ' ', 'g'))
from version v left join blob b on b.id = v.blob_id where v.id = i.current_version_id;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'there is no way back before Gather; restore a backup'; end $$;
-- +goose StatementEnd
