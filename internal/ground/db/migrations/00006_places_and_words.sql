-- +goose Up

-- Gather's places have names of their own, and so have their records.
alter table bin rename to let_go;
alter index bin_pkey rename to let_go_pkey;
alter index bin_studio rename to let_go_studio;
alter table place rename column bin_id to let_go_id;
alter index place_bin rename to place_let_go;
alter table item rename column bin_id to let_go_id;
alter index item_bin rename to item_let_go;
alter table place rename column starred_at to at_hand_since;
alter table item rename column starred_at to at_hand_since;
alter index item_starred rename to item_at_hand;
alter index item_recent rename to item_lately;

-- What a place or a thing is, in a line.
alter table place add column about text not null default '';
alter table item add column about text not null default '';

-- +goose Down
alter table item drop column about;
alter table place drop column about;
alter index item_lately rename to item_recent;
alter index item_at_hand rename to item_starred;
alter table item rename column at_hand_since to starred_at;
alter table place rename column at_hand_since to starred_at;
alter index item_let_go rename to item_bin;
alter table item rename column let_go_id to bin_id;
alter index place_let_go rename to place_bin;
alter table place rename column let_go_id to bin_id;
alter index let_go_studio rename to bin_studio;
alter index let_go_pkey rename to bin_pkey;
alter table let_go rename to bin;
