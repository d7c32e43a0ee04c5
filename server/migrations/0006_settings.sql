-- Up Migration

alter table settings
  -- days of grace that a new requirement begins with
  add column grace_days integer not null default 14 check (grace_days >= 1),
  -- days that a personal link goes on working after its assignment was closed; null is without end
  add column link_days integer check (link_days >= 0);
