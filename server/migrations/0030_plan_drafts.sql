-- Up Migration

-- what is written of a plan and not published: nothing goes by it
create table plan_drafts (
  course_id bigint primary key references courses on delete cascade,
  -- of the plan that it began from
  version integer not null,
  -- counts each save
  written integer not null,
  -- of the request that saved it last: the same one that comes again is done once
  save uuid not null,
  steps jsonb not null,
  saved_at timestamptz not null,
  saved_by text not null
);
