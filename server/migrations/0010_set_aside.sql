-- Up Migration

-- leave until further notice has no last day; a year that nobody means said the same
alter table leaves alter column to_on drop not null;
update leaves set to_on = null where to_on >= date '2200-01-01';

-- What could not be worked out and stands aside so that the rest goes on. It refers to nobody: whatever it is about may go.
create table set_aside (
  id bigint generated always as identity primary key,
  -- planning an assignment, reconciling a person, taking a row of the roster
  doing text not null check (doing in ('plan', 'reconcile')),
  -- the assignment or the person
  ref bigint not null,
  error text not null,
  since timestamptz not null,
  tries integer not null default 1,
  -- when it is tried again by itself, by the database's clock
  try_at timestamptz not null,
  unique (doing, ref)
);
create index set_aside_by_try on set_aside (try_at);

create index notices_set_aside on notices (at) where state = 'held' and held_because = 'set-aside';

-- A worker holds what it hands over while its row says so, by the database's clock; one that holds a lock with its connection is
-- known to be gone as soon as that ends.
create table workers (
  id integer generated always as identity primary key,
  until timestamptz not null,
  is_locked boolean not null
);
drop index notices_cut_off;
alter table notices drop column lease_until;
alter table notices
  -- the worker that hands it over; null where nobody does any more
  add column claimed_by integer;
create index notices_on_their_way on notices (claimed_by) where state = 'sending';

-- A channel that does not take anything stands still, with growing pauses, and nobody's address is at fault.
create table channel_pauses (
  channel text primary key,
  since timestamptz not null,
  paused_until timestamptz not null,
  pauses integer not null,
  words text not null
);

-- until when, by the database's clock, somebody pulls the feed
alter table feed add column pulling_until timestamptz;

-- what delivery reports are known by: nobody but us can name an attempt
alter table settings add column envelope_key text not null default gen_random_uuid()::text || gen_random_uuid()::text;
