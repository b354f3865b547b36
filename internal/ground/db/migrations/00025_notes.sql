-- +goose Up
-- What a note is besides its words, and what becomes of it.
alter table note
    add column edition     int not null default 1, -- one more with each edit, so that two who edit at once find out
    add column private     boolean not null default false, -- for the studio alone
    add column assigned_id text references member,
    add column said_by     text not null default '', -- as another program named its author, where it was read in
    add column source      text; -- the id that it had there
create unique index note_source on note (parcel_id, source) where source is not null;
create index note_thread on note (parent_id) where parent_id is not null;

-- Former words of a note.
create table note_words (
    note_id text not null references note on delete cascade,
    edition int not null,
    body    text not null,
    until   timestamptz not null, -- when they were replaced
    primary key (note_id, edition)
);

-- What lies at a note: a voice, a picture. Before the note is written it hangs on nothing.
create table attachment (
    id         text primary key,
    parcel_id  text not null references parcel,
    note_id    text references note on delete cascade,
    line_id    text references line,
    member_id  text references member,
    kind       text not null,
    blob_id    text not null references blob,
    mime       text not null,
    length_us  bigint not null default 0,
    peaks      smallint[] not null default '{}',
    width      int not null default 0,
    height     int not null default 0,
    created_at timestamptz not null
);
create index attachment_note on attachment (note_id);
create unique index attachment_frame on attachment (note_id) where kind = 'frame'; -- made of the piece, not given
create index attachment_blob on attachment (blob_id);
create index attachment_loose on attachment (created_at) where note_id is null;

-- A sign that somebody gave a note, or how many stars they gave a version.
create table reaction (
    id         text primary key,
    parcel_id  text not null references parcel,
    note_id    text references note on delete cascade,
    version_id text references version,
    line_id    text references line,
    member_id  text references member,
    sign       text not null default '',
    stars      smallint not null default 0,
    at         timestamptz not null,
    check (num_nonnulls(note_id, version_id) = 1),
    check (num_nonnulls(line_id, member_id) = 1),
    unique nulls not distinct (note_id, version_id, parcel_id, line_id, member_id, sign)
);
create index reaction_version on reaction (parcel_id, version_id) where version_id is not null;

-- What became of a version in the next one (core/align), once it is computed.
create table alignment (
    older   text not null references version on delete cascade,
    newer   text not null references version on delete cascade,
    map     jsonb not null,
    made_at timestamptz not null,
    primary key (newer, older)
);
create index alignment_older on alignment (older);

-- Where somebody said that a note belongs on a later version than the one it was written on.
create table note_place (
    note_id    text not null references note on delete cascade,
    version_id text not null references version on delete cascade,
    anchor     jsonb not null,
    place      jsonb not null,
    line_id    text references line,
    member_id  text references member,
    at         timestamptz not null,
    primary key (note_id, version_id)
);
create index note_place_version on note_place (version_id);

-- +goose Down
drop table note_place, alignment, reaction, attachment, note_words;
drop index note_source, note_thread;
alter table note drop column edition, drop column private, drop column assigned_id, drop column said_by, drop column source;
