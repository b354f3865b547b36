-- +goose Up

-- The address at which a member's calendar asks for the ends of packages; null: there is none.
alter table member
    add column calendar_nonce bytea,
    add column calendar_hash  bytea;
create unique index member_calendar on member (calendar_hash) where calendar_hash is not null;

-- +goose Down
alter table member drop column calendar_nonce, drop column calendar_hash;
