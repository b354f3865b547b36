-- +goose Up
-- What became of the letter with a code, for whoever waits for it.
create index letter_confirm on letter (studio_id, created_at desc) where kind = 'confirm';

-- +goose Down
drop index letter_confirm;
