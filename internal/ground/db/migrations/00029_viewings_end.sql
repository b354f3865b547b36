-- +goose Up
-- What was looked at is forgotten after two years; that it began never changes, so that the sign of life of a running
-- one touches no index.
create index viewing_began on viewing (began_at);

-- +goose Down
drop index viewing_began;
