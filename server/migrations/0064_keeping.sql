-- Up Migration

-- This house and no other: what was erased in it is kept outside of its database too, and must not be taken for another's.
alter table settings add column house_id uuid not null default gen_random_uuid();

alter table people add column erased_at timestamptz;

-- What was erased: a person, or what was kept for as long as it is to be kept.
create table erasures (
  id bigint generated always as identity primary key,
  kind text not null check (kind in ('person', 'kept-no-longer')),
  -- of a person: who, and what they are called since
  person_id bigint references people,
  pseudonym text,
  -- keyed hashes of the addresses and numbers by which a roster would bring them again
  marks bytea[] not null default '{}',
  -- of what was kept no longer: which kind, and from before which day
  what text,
  before date,
  at timestamptz not null,
  by_whom text not null,
  reason text not null,
  counts jsonb not null,
  -- sealed things that say something else since, each sealed anew
  entries integer not null,
  check ((kind = 'person') = (person_id is not null and pseudonym is not null)),
  check ((kind = 'kept-no-longer') = (what is not null and before is not null))
);
create unique index erasures_of_person on erasures (person_id);
create index erasures_by_mark on erasures using gin (marks);

-- what was sealed anew since something in it was erased
alter table seal_queue add column erasure_id bigint;
alter table seals add column erasure_id bigint;

-- How long each kind is kept; what does not stand here is kept for always.
create table keeping (
  kind text primary key,
  months integer not null check (months between 1 and 600),
  changed_at timestamptz not null,
  changed_by text not null,
  -- the day whose night's work is done
  ran_on date
);

alter table house_changes drop constraint house_changes_area_check;
alter table house_changes add constraint house_changes_area_check check (area in ('settings', 'structure', 'feed', 'keeping'));
alter table person_changes drop constraint person_changes_kind_check;
alter table person_changes add constraint person_changes_kind_check
  check (kind in ('added', 'changed', 'returned', 'left', 'leave', 'group', 'erased'));

-- when what a message said was erased, or kept no longer
alter table messages add column gone_at timestamptz;
create index messages_that_say on messages (composed_at) where gone_at is null;
