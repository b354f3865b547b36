-- +goose Up

-- What a receipt can prove: whether bytes were acknowledged by a proxy in front of us
-- rather than by their own machine, and since when their page has found the file whole
-- on their disk, by its sum.
alter table coverage
    add column proxied boolean not null default false,
    add column kept_at timestamptz;

-- +goose Down
alter table coverage drop column proxied, drop column kept_at;
