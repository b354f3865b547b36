-- +goose Up

-- Since when somebody does not want to be reminded of a package.
alter table line add column quiet_since timestamptz;

-- +goose Down
alter table line drop column quiet_since;
