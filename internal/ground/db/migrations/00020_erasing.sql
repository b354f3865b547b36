-- +goose Up

-- Whoever is erased is found by their address, under whatever name they were known.
create index card_email on card (studio_id, lower(email)) where email <> '';

-- +goose Down
drop index card_email;
