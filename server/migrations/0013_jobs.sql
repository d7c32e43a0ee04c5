-- Up Migration

-- Long work that somebody asked for: it is queued, run by a worker, shown with its progress, and keeps its result.
create table jobs (
  id bigint generated always as identity primary key,
  kind text not null,
  -- what it does, in words
  words text not null,
  input jsonb not null,
  -- a file that it works on, and one that it makes
  file_id bigint references files,
  result_file_id bigint references files,
  by_account bigint references accounts on delete set null,
  by_whom text not null,
  state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
  done integer not null default 0,
  total integer,
  -- what came of it, or the refusal: { code, message, details }
  result jsonb,
  refusal jsonb,
  cancel_asked boolean not null default false,
  -- the worker that runs it
  held_by integer,
  made_at timestamptz not null default now(),
  started_at timestamptz,
  ended_at timestamptz
);
create index jobs_by_account on jobs (by_account, id desc);
create index jobs_going on jobs (id) where state in ('waiting', 'running');
