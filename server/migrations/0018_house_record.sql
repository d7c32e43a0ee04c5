-- Up Migration

-- Who changed what the house goes by: settings, departments, sites with their calendars, groups, the personnel feed.
create table house_changes (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  by_whom text not null,
  area text not null check (area in ('settings', 'structure', 'feed')),
  words text not null
);
create index house_changes_by_area on house_changes (area, id);
