-- +goose Up

-- Ways back in for members who lost their password. The secret is derived from the id and kept as a hash.
create table password_reset (
    id         text primary key,
    member_id  text not null references member on delete cascade,
    hash       bytea not null unique,
    expires_at timestamptz not null,
    used_at    timestamptz
);
create index password_reset_member on password_reset (member_id);

-- +goose Down
drop table password_reset;
