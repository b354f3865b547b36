-- +goose Up

-- Processes that work jobs, as they last said that they are there: the jobs of
-- one that is gone are taken over by the others.
create table process (
    id      text primary key,
    seen_at timestamptz not null
);

-- Since when a letter has been on its way to the mail server: set where we do not know whether it went.
alter table letter add column handing_at timestamptz;

-- +goose Down
alter table letter drop column handing_at;
drop table process;
