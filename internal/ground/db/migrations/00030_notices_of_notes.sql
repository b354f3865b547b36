-- +goose Up
-- A notice may be about a note, and leads to its frame. Whoever of the studio is named in one, or
-- is to do it, is told of that: what is said between members is no event, so that such a notice
-- keeps its own facts (core/notice).
alter table notice alter column event_id drop not null,
    add note_id text references note,
    add by_card bigint references card, -- who did it, where no event says so
    add facts jsonb;                    -- likewise

-- +goose Down
delete from notice where event_id is null;
alter table notice drop note_id, drop by_card, drop facts, alter column event_id set not null;
