-- +goose Up

-- A ladder of hours before the end at which those are reminded who have not everything (core/reminder).
alter table studio add column reminders int[] not null default '{72,24,3}';
alter table preset add column reminders int[]; -- null: those of the package stay
alter table parcel
    add column reminders     int[] not null default '{72,24,3}',
    add column ends_since    timestamptz, -- when its end was set
    add column look_at       timestamptz, -- when it is looked at next for reminders
    add column closing_for   timestamptz; -- the end before which it was told that it is near
update parcel set ends_since = coalesce(sent_at, created_at), look_at = case when stopped_at is null and cleared_at is null then now() end,
    closing_for = case when ends_at < now() + interval '48 hours' then ends_at end where sent_at is not null;
create index parcel_look on parcel (look_at) where look_at is not null;

-- What somebody in the studio is told of (core/notice). Its words are those of the event.
create table notice (
    id        bigint generated always as identity primary key,
    studio_id text not null references studio,
    member_id text not null references member,
    parcel_id text not null references parcel,
    kind      text not null,
    event_id  bigint not null,
    at        timestamptz not null, -- of the event
    once      text,                 -- a second notice with the same is none
    due_at    timestamptz,          -- when a letter tells of it; null: none does
    gathers   boolean not null default false,
    batch     text,                 -- the letter that told of it
    seen_at   timestamptz
);
create unique index notice_once on notice (parcel_id, kind, once) where once is not null;
create index notice_due on notice (due_at) where batch is null and due_at is not null;
create index notice_of_member on notice (member_id, at desc, id desc);
create index notice_of_studio on notice (studio_id, at desc, id desc);
create index notice_unseen on notice (member_id, at desc, id desc) where seen_at is null;
create index notice_batch on notice (batch) where batch is not null;
create table told (
    studio_id text not null references studio,
    place_id  text not null default '', -- the project that it is for; empty for all
    kind      text not null,
    cadence   text not null,
    primary key (studio_id, place_id, kind)
);

-- +goose Down
drop table told, notice;
drop index parcel_look;
alter table parcel drop column reminders, drop column ends_since, drop column look_at, drop column closing_for;
alter table preset drop column reminders;
alter table studio drop column reminders;
