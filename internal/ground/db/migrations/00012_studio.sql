-- +goose Up

-- Whom a studio asked to join. The secret is derived from the id and kept as a hash.
create table invitation (
    id          text primary key,
    studio_id   text not null references studio,
    email       text not null,
    role        text not null,
    invited_by  text not null references member,
    hash        bytea not null unique,
    created_at  timestamptz not null,
    expires_at  timestamptz not null,
    answered_at timestamptz,
    answer      text not null default ''
);
create unique index invitation_open on invitation (studio_id, lower(email)) where answered_at is null;

create index member_studio on member (studio_id) where removed_at is null;

-- +goose Down
drop index member_studio;
drop table invitation;
