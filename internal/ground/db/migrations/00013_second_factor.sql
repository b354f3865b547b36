-- +goose Up

-- The second factor of a member: codes of an app, whose secret is sealed, and passkeys.
alter table member add column totp_sealed bytea, add column totp_step bigint not null default 0;

create table passkey (
    id            text primary key,
    member_id     text not null references member on delete cascade,
    credential_id bytea not null unique,
    label         text not null,
    data          jsonb not null,
    created_at    timestamptz not null,
    last_used_at  timestamptz
);
create index passkey_member on passkey (member_id);

-- For who has lost all of that.
create table recovery_code (
    member_id text not null references member on delete cascade,
    hash      bytea not null,
    primary key (member_id, hash)
);

-- What was asked of a browser and is not answered yet; each is good for one answer.
create table challenge (
    id         text primary key,
    member_id  text references member on delete cascade,
    data       bytea not null,
    expires_at timestamptz not null
);
create index challenge_expires on challenge (expires_at);

-- When whoever is signed in there last showed who they are.
alter table sign_in add column proved_at timestamptz;
update sign_in set proved_at = since;
alter table sign_in alter column proved_at set not null;

-- +goose Down
alter table sign_in drop column proved_at;
drop table challenge, recovery_code, passkey;
alter table member drop column totp_sealed, drop column totp_step;
