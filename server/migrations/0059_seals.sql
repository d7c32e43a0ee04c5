-- Up Migration

-- What was written once and is never changed is sealed: each thing's hash, chained with all before it. What is to be sealed waits here,
-- put there by whoever writes it, so that what somebody else puts into the tables is not sealed as if it were ours.
create table seal_queue (
  id bigint generated always as identity primary key,
  kind text not null,
  of_id bigint not null
);

-- Sealed together, in one step of the chain: its head is made of the head before and of all that it seals.
create table seal_steps (
  id bigint generated always as identity primary key,
  -- of the house, by its clock
  day date not null,
  at timestamptz not null,
  count integer not null,
  head bytea not null
);
create index seal_steps_by_day on seal_steps (day, id);

create table seals (
  step_id bigint not null references seal_steps,
  position integer not null,
  kind text not null,
  of_id bigint not null,
  -- of what it said; nothing for what was taken away on purpose
  hash bytea,
  primary key (step_id, position)
);
create index seals_by_of on seals (kind, of_id, step_id desc, position desc);

-- everything that there is so far
create function seal_all() returns void language sql as $$
  insert into seal_queue (kind, of_id)
  select 'event', id from assignment_events order by id;
  insert into seal_queue (kind, of_id)
  select 'act', id from acts order by id;
  insert into seal_queue (kind, of_id)
  select 'certificate', id from certificates order by id;
  insert into seal_queue (kind, of_id)
  select 'sign-off', id from sign_offs order by id;
  insert into seal_queue (kind, of_id)
  select 'message', id from messages order by id;
  insert into seal_queue (kind, of_id)
  select 'answer', id from deliveries where outcome is not null order by id;
  insert into seal_queue (kind, of_id)
  select 'report', id from deliveries where report is not null order by id;
$$;
select seal_all();
