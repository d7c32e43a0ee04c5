-- Up Migration

alter table settings
  -- the first day of a week in calendars: 1 (Monday) … 7 (Sunday)
  add column week_starts_on integer not null default 1 check (week_starts_on between 1 and 7);
