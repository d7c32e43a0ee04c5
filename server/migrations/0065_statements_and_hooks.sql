-- Statements of other programs (xAPI): each once, by its id, with what came of it.
create table statements (
  id uuid primary key,
  token_id bigint not null references api_tokens,
  program text not null,
  stored_at timestamptz not null,
  at timestamptz not null,
  -- of all that it says: another statement of the same id is refused
  digest bytea not null,
  statement jsonb not null,
  verb text not null,
  activity text,
  outcome text not null check (outcome in ('recorded', 'noted', 'no-person', 'no-course', 'older', 'early', 'voids')),
  words text not null,
  person_id bigint references people,
  course_id bigint references courses on delete set null,
  act_id bigint references acts,
  voided_by uuid,
  seen_at timestamptz,
  seen_by text
);
create index statements_in_order on statements (stored_at desc, id);
create index statements_to_see on statements (activity) where outcome in ('no-person', 'no-course', 'older', 'early', 'voids') and seen_at is null;
create index statements_of_person on statements (person_id) where person_id is not null;

-- Which course an activity of another program is; none is meant where it is nobody's.
create table activity_courses (
  activity text primary key,
  course_id bigint references courses on delete cascade,
  set_at timestamptz not null,
  set_by text not null
);

-- Addresses of other programs that are told of what happens, as it happens.
create table hooks (
  id bigint generated always as identity primary key,
  name text not null,
  url text not null,
  what text[] not null,
  -- hidden by the key of the house
  secret bytea not null,
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz,
  ended_by text,
  -- since when it does not answer; its calls wait
  failing_since timestamptz,
  try_at timestamptz,
  failures integer not null default 0
);

-- One call of one of them: what it tells is read as it goes, and stands nowhere twice.
create table hook_calls (
  id bigint generated always as identity primary key,
  hook_id bigint not null references hooks on delete cascade,
  event_id bigint not null references assignment_events on delete cascade,
  made_at timestamptz not null,
  state text not null default 'waiting' check (state in ('waiting', 'told', 'failed')),
  attempts integer not null default 0,
  try_at timestamptz,
  words text,
  answered_at timestamptz,
  unique (hook_id, event_id)
);
create index hook_calls_due on hook_calls (try_at, id) where try_at is not null;
create index hook_calls_in_order on hook_calls (hook_id, id desc);

-- in the transaction that records it
create function tell_hooks() returns trigger language plpgsql as $$
begin
  insert into hook_calls (hook_id, event_id, made_at, try_at)
  select h.id, a.id, a.at, a.at
  from hooks h
  join added a on a.type = any(h.what)
  where h.ended_at is null
  on conflict do nothing;
  return null;
end $$;
create trigger events_tell_hooks after insert on assignment_events referencing new table as added
for each statement execute function tell_hooks();
