-- What requirements will assign in the days to come is in no ledger yet. The worker works it out, and keeps how much each day of
-- the house will bring, so that the ribbon and Today tell it beside what is planned.
create table ahead_days (
  day date primary key,
  assigned integer not null,
  notices integer not null
);

-- of which state of the house that is, and how long it took: what takes long is not worked out anew at every change
create table ahead_kept (
  id boolean primary key default true check (id),
  state text not null,
  kept_at timestamptz not null,
  took_ms integer not null
);
