-- +goose Up

-- What played on somebody's screen, and which pages were in front (core/viewing).
create table viewing (
    line_id    text not null references line,
    version_id text not null references version,
    key        text not null, -- made by the screen
    parcel_id  text not null references parcel,
    began_at   timestamptz not null,
    last_at    timestamptz not null,
    starts     bigint[] not null default '{}', -- of the stretches that played, in order, in milliseconds
    ends       bigint[] not null default '{}',
    pages      bigint[] not null default '{}', -- milliseconds that each page was in front
    primary key (line_id, version_id, key)
);
create index viewing_of_version on viewing (parcel_id, version_id);

-- Who is here at this moment. After a crash nobody is, until their screens say so again.
create unlogged table present (
    line_id    text not null,
    version_id text not null default '', -- empty: the package as a whole
    takes      boolean not null,
    parcel_id  text not null,
    studio_id  text not null,
    doing      text not null,
    place      bigint not null default 0, -- milliseconds, a page, or bytes that they have
    rate       bigint not null default 0, -- bytes a second
    at         timestamptz not null,
    until      timestamptz not null,
    primary key (line_id, version_id, takes)
);
create index present_in_studio on present (studio_id);

-- +goose Down
drop table present, viewing;
