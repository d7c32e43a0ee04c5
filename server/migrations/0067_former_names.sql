-- What departments, sites and groups were called before. The record of people tells where they were by the name of that time: with these it leads
-- to the same department after it was renamed, and to the one above it after it was removed.
create table former_names (
  id bigint generated always as identity primary key,
  place text not null check (place in ('department', 'site', 'group')),
  place_id bigint not null,
  name text not null,
  until timestamptz not null
);
create index former_names_by_name on former_names (place, name, until);
create index former_names_by_place on former_names (place, place_id);

-- What was called so at a moment.
create function place_called(kind_of text, called text, by_time timestamptz) returns bigint language sql stable as $$
  select coalesce(
    (select f.place_id from former_names f where f.place = $1 and f.name = $2 and f.until >= $3 order by f.until, f.id limit 1),
    case $1
      when 'department' then (select d.id from departments d where d.name = $2)
      when 'site' then (select s.id from sites s where s.name = $2)
      else (select g.id from groups g where g.name = $2)
    end
  )
$$;

-- what was renamed until now stands in words alone: the newest first leads to what is called so now
do $$
declare
  renamed record;
  found bigint;
begin
  for renamed in
    select at, m[1] as place, m[2] as was, m[3] as became
    from house_changes, regexp_match(words, '^The (department|site|group) (.+): Name (.+), before \2[;.]') m
    where area = 'structure' and m is not null
    order by house_changes.id desc
  loop
    found := place_called(renamed.place, renamed.became, renamed.at);
    if found is not null then
      insert into former_names (place, place_id, name, until) values (renamed.place, found, renamed.was, renamed.at);
    end if;
  end loop;
end $$;

-- The roster of a day: where somebody was is what was called so when they left it.
create or replace function roster_at(moment timestamptz, day date, by_then boolean) returns table (
  id bigint, name text, email text, personnel_number text, find_text text, department_id bigint, site_id bigint, manager_id bigint, left_on date
) language sql stable as $$
  with back as materialized (
    select
      person_id, jsonb_object_agg(field, was) as was, max(place_called(field, was, at)) filter (where field = 'department') as department_id,
      max(place_called(field, was, at)) filter (where field = 'site') as site_id
    from (
      select distinct on (c.person_id, x.field) c.person_id, x.field, x."from" as was, c.at
      from person_changes c
      cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text)
      where c.at >= moment
        and c.kind in ('changed', 'returned', 'left')
        and x.field in ('department', 'site', 'managerEmail', 'leftOn')
      order by c.person_id, x.field, c.at, c.id
    ) f
    group by person_id
  ),
  -- who had an address that is another now
  addresses as materialized (
    select distinct on (x."from") x."from" as email, c.person_id
    from person_changes c
    cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text)
    where c.at >= moment
      and x.field = 'email'
    order by x."from", c.at, c.id
  ),
  added as materialized (
    select person_id, max(at) as at from person_changes where kind = 'added' group by person_id
  ),
  -- as is known now: a day of leaving that was mended counts as mended, one that somebody came back from counts until then
  away as materialized (
    select l.person_id, min(l.left_on) filter (where l.is_last or l.next_on is null and l.next_at >= moment) as left_on
    from leavings() l
    group by l.person_id
  )
  select
    p.id, p.name, p.email, p.personnel_number, p.find_text, coalesce(b.department_id, p.department_id), coalesce(b.site_id, p.site_id),
    case when b.was ? 'managerEmail' then coalesce(o.person_id, m.id) else p.manager_id end,
    case
      -- of whom nobody recorded when they came, the day on which they joined is all that is known
      when n.person_id is null and p.joined_on > day then '-infinity'
      when n.at >= moment and (by_then or coalesce(p.joined_on, day + 1) > day) then '-infinity'
      when by_then then case when b.was ? 'leftOn' then (b.was ->> 'leftOn')::date else p.left_on end
      when g.person_id is null then p.left_on
      else g.left_on
    end
  from people p
  left join back b on b.person_id = p.id
  left join added n on n.person_id = p.id
  left join people m on m.email = b.was ->> 'managerEmail'
  left join addresses o on o.email = b.was ->> 'managerEmail'
  left join away g on g.person_id = p.id
$$;

-- Sums are kept by what a department is and not by its name: being renamed changes none of them. Nothing is forgotten where nothing went.
drop trigger departments_sums on departments;
drop trigger sites_sums on sites;
create function forget_gone_sums() returns trigger language plpgsql as $$
begin
  if exists (select from removed) then
    delete from day_sums;
    delete from days_summed;
    delete from asked_sums;
    delete from days_asked;
  end if;
  return null;
end $$;
create trigger departments_sums after delete on departments referencing old table as removed for each statement execute function forget_gone_sums();
create trigger sites_sums after delete on sites referencing old table as removed for each statement execute function forget_gone_sums();
drop trigger people_sums on people;
drop trigger assignments_sums on assignments;
create trigger people_sums after delete on people referencing old table as removed for each statement execute function forget_gone_sums();
create trigger assignments_sums after delete on assignments referencing old table as removed for each statement execute function forget_gone_sums();

-- A day of the house is another where its zone is: what was counted by the old one is forgotten, and what was issued after its day is told anew.
create function forget_days_of_zone() returns trigger language plpgsql as $$
begin
  delete from day_sums;
  delete from days_summed;
  delete from asked_sums;
  delete from days_asked;
  update certificates
  set is_later = not is_later
  where is_later <> (issued_at >= ((issued_on + 1)::timestamp at time zone new.house_zone));
  return null;
end $$;
create trigger settings_zone after update on settings
  for each row when (old.house_zone is distinct from new.house_zone) execute function forget_days_of_zone();
-- counted until now by names that lead elsewhere
delete from day_sums;
delete from days_summed;
delete from asked_sums;
delete from days_asked;
