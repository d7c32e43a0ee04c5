-- Up Migration

-- why something was not sent is asked for by itself, the newest first
create index notices_because on notices (because, on_day desc, at desc, id desc) where because is not null;

-- filters of a page that somebody named, for everybody who may see it
create table kept_views (
  id bigint generated always as identity primary key,
  page text not null check (page in ('ledger')),
  name text not null,
  -- query parameters of the page
  params jsonb not null,
  made_by text not null,
  made_at timestamptz not null
);
create unique index kept_views_name on kept_views (page, lower(name));

-- that somebody opened their course by the link of a message: the first time of each day
create table link_openings (
  assignment_id bigint not null references assignments on delete cascade,
  on_day date not null,
  at timestamptz not null,
  primary key (assignment_id, on_day)
);
