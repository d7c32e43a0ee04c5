-- Up Migration

-- The half of a calendar's address that names it: whoever has the whole of it reads somebody's due dates, and nothing else.
alter table people add column calendar_token text unique;
