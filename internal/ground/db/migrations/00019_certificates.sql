-- +goose Up

-- What an authority for certificates gave us, sealed with the server's secret.
create table certificate (
    name   text primary key,
    sealed bytea not null,
    at     timestamptz not null default now()
);

-- +goose Down
drop table certificate;
