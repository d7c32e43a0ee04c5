-- Up Migration

-- What people edit carries a version: a save over a newer one is refused, and shows both.
alter table courses
  add column version integer not null default 1,
  add column changed_at timestamptz,
  add column changed_by text;
alter table sites add column version integer not null default 1;
alter table departments add column version integer not null default 1;
alter table groups add column version integer not null default 1;
alter table settings
  add column version integer not null default 1,
  add column changed_at timestamptz,
  add column changed_by text;

-- A course as it was at each save: what finishing asked for then, and its sections and units
create table course_versions (
  course_id bigint not null references courses on delete cascade,
  version integer not null,
  at timestamptz not null,
  by_whom text,
  required_units bigint[] not null,
  content jsonb not null,
  primary key (course_id, version)
);
insert into course_versions (course_id, version, at, required_units, content)
select
  c.id, 1, now(), c.required_units,
  jsonb_build_object('title', c.title, 'sections', coalesce((
    select jsonb_agg(jsonb_build_object('title', s.title, 'units', coalesce((
      select jsonb_agg(jsonb_build_object('id', u.id::text, 'kind', u.kind, 'title', u.title, 'required', u.required) order by u.position)
      from units u
      where u.section_id = s.id
    ), '[]')) order by s.position)
    from sections s
    where s.course_id = c.id
  ), '[]'))
from courses c;

-- the version of its course that an assignment was finished by; what is added to the course later does not undo that
alter table assignments add column finished_version integer;
update assignments set finished_version = 1 where closed_by = 'finished';
update assignment_events set data = coalesce(data, '{}') || '{"version": 1}' where type = 'finished';

-- the kinds of units stand in the catalogue
alter table units drop constraint units_kind_check;
