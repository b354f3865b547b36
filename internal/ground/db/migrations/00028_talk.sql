-- +goose Up
-- Who is to be told of notes, of which since when: a burst of them is one letter.
create table talk (
    line_id   text primary key references line on delete cascade,
    parcel_id text not null references parcel on delete cascade,
    since     timestamptz not null, -- when the first of them was written
    due_at    timestamptz not null
);
create index talk_due on talk (due_at);

-- +goose Down
drop table talk;
