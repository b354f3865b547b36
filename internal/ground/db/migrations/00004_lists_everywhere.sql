-- +goose Up

-- Lists across all places in each order that has a meaning there, and of one kind.
create index item_all_by_size on item (studio_id, size, id) where bin_id is null and rendition_of is null;
create index item_all_by_length on item (studio_id, length_us, id) where bin_id is null and rendition_of is null;
create index item_all_by_added on item (studio_id, created_at, id) where bin_id is null and rendition_of is null;
create index item_of_kind on item (studio_id, what, name_key, id) where bin_id is null and rendition_of is null;

-- A search along the names reads the index alone only where the table's pages are
-- marked as seen by all, which a vacuum does. By default one comes when a fifth of
-- the table is new; a fiftieth of 200 000 items takes it a tenth of a second.
alter table item set (autovacuum_vacuum_insert_scale_factor = 0.02, autovacuum_vacuum_scale_factor = 0.02);

-- +goose Down
alter table item reset (autovacuum_vacuum_insert_scale_factor, autovacuum_vacuum_scale_factor);
drop index item_all_by_size, item_all_by_length, item_all_by_added, item_of_kind;
