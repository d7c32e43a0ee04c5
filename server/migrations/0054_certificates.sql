-- Up Migration

-- What certificates look like: designs, each version kept, since what was issued keeps its own.
create table certificate_designs (
  id bigint generated always as identity primary key,
  name text not null,
  version integer not null default 1,
  retired_at timestamptz,
  changed_at timestamptz not null,
  changed_by text not null
);
create unique index certificate_designs_by_name on certificate_designs (lower(name));
create table certificate_design_versions (
  design_id bigint not null references certificate_designs on delete cascade,
  version integer not null,
  design jsonb not null,
  at timestamptz not null,
  by_whom text not null,
  -- the save that made it: one whose answer was lost may come again
  save text not null,
  primary key (design_id, version)
);
-- the design of a course; null is the house's, and where that is null the one that comes with the software
alter table courses add column certificate_design_id bigint references certificate_designs;
alter table settings add column certificate_design_id bigint references certificate_designs;
alter table files drop constraint files_purpose_check,
  add constraint files_purpose_check
    check (purpose in ('house', 'course', 'proof', 'letter', 'logo', 'handout', 'picture', 'certificate'));

-- How long a certificate holds: {"count": 12, "unit": "months", "toMonthEnd": false}; null is for ever. The same as in core.
create function valid_until(day date, validity jsonb) returns date language sql immutable parallel safe as $$
  select case when (validity ->> 'toMonthEnd')::boolean then (date_trunc('month', d.until) + interval '1 month' - interval '1 day')::date else d.until end
  from (
    select (day + make_interval(
      days => case when validity ->> 'unit' = 'days' then (validity ->> 'count')::integer else 0 end,
      months => case validity ->> 'unit' when 'months' then (validity ->> 'count')::integer when 'years' then 12 * (validity ->> 'count')::integer else 0 end
    ))::date as until
    where validity is not null
  ) d
$$;

alter table courses add column validity jsonb;
alter table courses disable trigger user;
update courses set validity = jsonb_build_object('count', validity_months, 'unit', 'months', 'toMonthEnd', false) where validity_months is not null;
alter table courses enable trigger user;
update course_drafts
set content = content - 'validityMonths' || jsonb_build_object('validity', case
  when content ->> 'validityMonths' is null then null
  else jsonb_build_object('count', (content ->> 'validityMonths')::integer, 'unit', 'months', 'toMonthEnd', false)
end);

-- A certificate that another one took the place of stays, and says so. One for an assignment stands.
alter table certificates drop constraint certificates_assignment_id_key;
alter table certificates
  add column design_id bigint references certificate_designs,
  add column design_version integer,
  -- what it prints, as it was when it was issued
  add column printed jsonb,
  add column issued_by text,
  add column replaced_at timestamptz,
  add column replaced_by bigint references certificates,
  add column replaced_by_whom text,
  add column replaced_reason text,
  -- of one that others issued: who did, under which number, and what shows it
  add column issuer text,
  add column their_number text,
  add column proof_id bigint references files;
create unique index certificates_standing on certificates (assignment_id) where replaced_at is null;
create index certificates_by_assignment on certificates (assignment_id);
create index certificates_by_course on certificates (course_id, issued_on desc, id desc);
create index certificates_replaced on certificates (issued_on desc, id desc) where replaced_at is not null and revoked_at is null;
drop index certificates_by_expiry;
create index certificates_by_expiry on certificates (expires_on, id) where revoked_at is null and replaced_at is null;

-- the one of each assignment that says what is held
create view standing_certificates as select * from certificates where replaced_at is null;

create function certificate_kind(revoked_at timestamptz, replaced_at timestamptz) returns text language sql immutable parallel safe as $$
  select case when revoked_at is not null then 'revoked' when replaced_at is not null then 'replaced' else 'certificates' end
$$;

create or replace function refresh_standings(who bigint[], what bigint[]) returns void language plpgsql as $$
begin
  insert into standings (person_id, course_id)
  select distinct u.person_id, u.course_id
  from unnest(who, what) u (person_id, course_id)
  join people p on p.id = u.person_id
  order by 1, 2
  on conflict do nothing;
  perform 1
  from standings s
  where (s.person_id, s.course_id) in (select u.person_id, u.course_id from unnest(who, what) u (person_id, course_id))
  order by s.person_id, s.course_id
  for no key update;
  update standings s
  set open_id = n.open_id, due_at = n.due_at, until = n.until, finished = n.finished, started = n.started, left_on = n.left_on
  from (
    select
      u.person_id, u.course_id, max(a.id) filter (where a.closed_by is null) as open_id, max(a.due_at) filter (where a.closed_by is null) as due_at,
      coalesce(bool_or(a.closed_by = 'finished'), false) as finished,
      coalesce(bool_or(a.closed_by is null and a.started_at is not null), false) as started,
      max(
        case
          when a.closed_by <> 'finished' or a.closed_by is null or c.revoked_at is not null then null
          when c.id is not null then coalesce(c.expires_on, 'infinity')
          when a.completed_on is not null and k.validity is not null then valid_until(a.completed_on, k.validity)
          else 'infinity'
        end
      ) as until,
      coalesce(p.left_on, 'infinity') as left_on
    from (select distinct w.person_id, w.course_id from unnest(who, what) w (person_id, course_id)) u
    join people p on p.id = u.person_id
    join courses k on k.id = u.course_id
    left join assignments a on a.person_id = u.person_id and a.course_id = u.course_id and a.closed_because is distinct from 'undone'
    left join standing_certificates c on c.assignment_id = a.id
    group by u.person_id, u.course_id, p.left_on
  ) n
  where s.person_id = n.person_id
    and s.course_id = n.course_id
    and (s.open_id, s.due_at, s.until, s.finished, s.started, s.left_on)
      is distinct from (n.open_id, n.due_at, n.until, n.finished, n.started, n.left_on);
end $$;

create or replace function count_certificates() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, at, count)
    select certificate_kind(r.revoked_at, r.replaced_at), r.course_id, day_at(coalesce(r.expires_on, 'infinity')), count(*)
    from added r
    group by 1, 2, 3;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, at, count)
    select certificate_kind(r.revoked_at, r.replaced_at), r.course_id, day_at(coalesce(r.expires_on, 'infinity')), -count(*)
    from removed r
    group by 1, 2, 3;
    perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from removed r;
    return null;
  else
    insert into figure_deltas (what, of_id, at, count)
    select certificate_kind(r.revoked_at, r.replaced_at), r.course_id, day_at(coalesce(r.expires_on, 'infinity')), sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    group by 1, 2, 3
    having sum(r.n) <> 0;
  end if;
  perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from added r;
  return null;
end $$;

create or replace function renew_standings() returns trigger language plpgsql as $$
begin
  perform refresh_standings(array_agg(a.person_id), array_agg(a.course_id))
  from added n
  join removed o on o.id = n.id
  join assignments a on a.course_id = n.id and a.completed_on is not null
  where n.validity is distinct from o.validity;
  return null;
end $$;

create or replace view counted_standings as
select
  a.person_id, a.course_id, max(a.id) filter (where a.closed_by is null) as open_id, max(a.due_at) filter (where a.closed_by is null) as due_at,
  max(
    case
      when a.closed_by <> 'finished' or a.closed_by is null or c.revoked_at is not null then null
      when c.id is not null then coalesce(c.expires_on, 'infinity')
      when a.completed_on is not null and k.validity is not null then valid_until(a.completed_on, k.validity)
      else 'infinity'
    end
  ) as until,
  coalesce(bool_or(a.closed_by = 'finished'), false) as finished,
  coalesce(bool_or(a.closed_by is null and a.started_at is not null), false) as started, coalesce(p.left_on, 'infinity') as left_on
from assignments a
join people p on p.id = a.person_id
join courses k on k.id = a.course_id
left join standing_certificates c on c.assignment_id = a.id
where a.closed_because is distinct from 'undone'
group by a.person_id, a.course_id, p.left_on;

create or replace view counted_figures as
select k.what, r.course_id as of_id, r.left_on, k.at, count(*)::integer as count
from standings r
cross join lateral (
  values ('open', hour_of(r.due_at), r.open_id is not null), ('begun', hour_of(r.due_at), r.started), ('held', day_at(r.until), r.until is not null),
    ('asked', 'infinity'::timestamptz, r.open_id is not null or r.finished), ('finished', 'infinity'::timestamptz, r.finished)
) k (what, at, holds)
where k.holds
group by 1, 2, 3, 4
union all
select case when closed_by = 'finished' then 'completed' else 'excused' end, course_id, 'infinity'::date, 'infinity'::timestamptz, count(*)::integer
from assignments
where closed_by is not null and closed_because is distinct from 'undone'
group by 1, 2
union all
select certificate_kind(revoked_at, replaced_at), course_id, 'infinity'::date, day_at(coalesce(expires_on, 'infinity')), count(*)::integer
from certificates
group by 1, 2, 3, 4
union all
select k.what, r.requirement_id, 'infinity'::date, k.at, count(*)::integer
from assignment_reasons r
cross join lateral (
  values ('reasons', hour_of(r.open_due), true), ('outside', 'infinity'::timestamptz, r.out_since is not null)
) k (what, at, holds)
where k.holds and r.open_due is not null
group by 1, 2, 3, 4
union all
select case when is_asked then 'in' else 'passed-over' end, requirement_id, left_on, day_at(joined_on), count(*)::integer
from audience_members
group by 1, 2, 3, 4
union all
select f.what, i.course_id, 'infinity'::date, f.at, sum(f.count)::integer
from assignment_intervals i
cross join lateral flows_of(i) f
group by 1, 2, 3, 4
having sum(f.count) <> 0;

drop trigger certificates_emptied on certificates;
create trigger certificates_emptied after truncate on certificates for each statement execute function forget_counts('certificates', 'revoked', 'replaced');

alter table courses drop column validity_months;

-- A page that shows one certificate to whoever has its link: made by its holder, and ended by them.
create table certificate_links (
  id bigint generated always as identity primary key,
  certificate_id bigint not null references certificates,
  token text not null unique,
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz,
  ended_by text
);
create unique index certificate_links_open on certificate_links (certificate_id) where ended_at is null;
