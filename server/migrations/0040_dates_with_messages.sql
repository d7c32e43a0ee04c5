-- Up Migration

-- The due date as the letter brought it for a calendar (RFC 5545, 5546); null where it brought none.
alter table messages add column calendar text;
