-- Up Migration

alter table leaves
  -- the roster file that entered it; undoing the import takes it away again
  add column import_id bigint references imports;
create index leaves_by_import on leaves (import_id) where import_id is not null;
