-- Up Migration

-- Figures of a large house. What pages count is kept: each change leaves a line of what it adds and takes, and the worker folds
-- those lines into the counts. Whoever reads adds both, so nothing is late; whoever writes waits for nobody.

-- finding people, certificates and addressees by a part of what they are called
create extension if not exists pg_trgm;

-- ---------------------------------------------------------------------------------------------------------------- notices

drop trigger notices_added on notices;
drop trigger notices_removed on notices;
drop trigger notices_changed on notices;
drop function count_days_added, count_days_removed, count_days_changed;
drop table day_counts;

create table notice_counts (
  on_day date not null,
  course_id bigint not null,
  step_id text not null,
  step_name text not null,
  state text not null,
  held_because text not null,
  count integer not null,
  primary key (on_day, course_id, step_id, step_name, state, held_because)
);
create index notice_counts_none on notice_counts (on_day) where count = 0;
-- the same over all days
create table notice_sums (
  course_id bigint not null,
  step_id text not null,
  step_name text not null,
  state text not null,
  held_because text not null,
  count integer not null,
  primary key (course_id, step_id, step_name, state, held_because)
);
create table notice_deltas (
  id bigint generated always as identity primary key,
  on_day date not null,
  course_id bigint not null,
  step_id text not null,
  step_name text not null,
  state text not null,
  held_because text not null,
  count integer not null
);

create view notices_of_days as
select on_day, course_id, step_id, step_name, state, held_because, count from notice_counts
union all
select on_day, course_id, step_id, step_name, state, held_because, count from notice_deltas;

create view notices_of_all_days as
select course_id, step_id, step_name, state, held_because, count from notice_sums
union all
select course_id, step_id, step_name, state, held_because, count from notice_deltas;

create function count_notices_added() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), count(*) from added group by 1, 2, 3, 4, 5, 6;
  return null;
end $$;

create function count_notices_removed() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), -count(*) from removed group by 1, 2, 3, 4, 5, 6;
  return null;
end $$;

create function count_notices_changed() returns trigger language plpgsql as $$
begin
  insert into notice_deltas (on_day, course_id, step_id, step_name, state, held_because, count)
  select on_day, course_id, step_id, step_name, state, coalesce(held_because, ''), sum(n)
  from (select *, 1 as n from added union all select *, -1 from removed) moved
  group by 1, 2, 3, 4, 5, 6
  having sum(n) <> 0;
  return null;
end $$;

create trigger notices_added after insert on notices referencing new table as added for each statement execute function count_notices_added();
create trigger notices_removed after delete on notices referencing old table as removed for each statement execute function count_notices_removed();
create trigger notices_changed after update on notices referencing new table as added old table as removed for each statement execute function count_notices_changed();

-- --------------------------------------------------------------------------------------------------------------- standings

-- How each person stands to each course: what is open, until when it is held, whether it was ever finished.
create table standings (
  person_id bigint not null references people on delete cascade,
  course_id bigint not null references courses on delete cascade,
  open_id bigint,
  due_at timestamptz,
  -- the last day on which it is held, infinity for ever, null where it is not
  until date,
  finished boolean not null default false,
  -- what is open was begun
  started boolean not null default false,
  -- the first day away, infinity for who stays
  left_on date not null default 'infinity',
  primary key (person_id, course_id)
);

-- Brings the standings of some pairs to what assignments and certificates say. The rows are locked first: the look that follows
-- sees whatever whoever held them has stored.
create function refresh_standings(who bigint[], what bigint[]) returns void language plpgsql as $$
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
          when a.completed_on is not null and k.validity_months is not null then (a.completed_on + k.validity_months * interval '1 month')::date
          else 'infinity'
        end
      ) as until,
      coalesce(p.left_on, 'infinity') as left_on
    from (select distinct w.person_id, w.course_id from unnest(who, what) w (person_id, course_id)) u
    join people p on p.id = u.person_id
    join courses k on k.id = u.course_id
    left join assignments a on a.person_id = u.person_id and a.course_id = u.course_id and a.closed_because is distinct from 'undone'
    left join certificates c on c.assignment_id = a.id
    group by u.person_id, u.course_id, p.left_on
  ) n
  where s.person_id = n.person_id
    and s.course_id = n.course_id
    and (s.open_id, s.due_at, s.until, s.finished, s.started, s.left_on)
      is distinct from (n.open_id, n.due_at, n.until, n.finished, n.started, n.left_on);
end $$;

-- Why somebody has a course stands with whether it is open still, and until when: what a requirement counts.
alter table assignment_reasons add column open_due timestamptz;

create function reason_is_open() returns trigger language plpgsql as $$
begin
  -- who closes it at this moment is waited for
  select case when a.closed_by is null then a.due_at end into new.open_due from assignments a where a.id = new.assignment_id for share;
  return new;
end $$;
create trigger reasons_open before insert on assignment_reasons for each row execute function reason_is_open();

-- What is counted: of what, by whom, from which moment or day on.
--   open, begun   people who have the course open; who have begun it; by the hour of the due date
--   held       people who hold the course, by the last day
--   asked      people who have it open or have finished it
--   finished   people who have ever finished it
--   completed, excused   assignments that were finished; waived or withdrawn
--   certificates, revoked   certificates by the day on which they expire; those that were revoked
--   reasons, outside   open assignments that a requirement asks for, by the hour of the due date; those whose people are out
--   in, passed-over   people in the audience of a requirement, by the day of joining; those who came after it and are not asked
--   flow-finished, flow-started, flow-waiting, flow-late   assignments that come into a state, less those that go, by the hour:
--     summed up to a moment they are how many were in it then, as is known now
create table figures (
  what text not null,
  of_id bigint not null,
  left_on date not null,
  at timestamptz not null,
  count integer not null,
  primary key (what, of_id, left_on, at)
);
create index figures_none on figures (what) where count = 0;
create table figure_deltas (
  id bigint generated always as identity primary key,
  what text not null,
  of_id bigint not null,
  left_on date not null default 'infinity',
  at timestamptz not null default 'infinity',
  count integer not null
);
create view figures_now as
select what, of_id, left_on, at, count from figures
union all
select what, of_id, left_on, at, count from figure_deltas;

-- the hour that a moment falls into; figures by the hour are exact with a look at the one hour that is cut
create function hour_of(moment timestamptz) returns timestamptz language sql immutable parallel safe as $$
  select date_trunc('hour', moment, 'UTC')
$$;

-- a day as a moment, the same whatever zone the session has
create function day_at(day date) returns timestamptz language sql immutable parallel safe as $$
  select day::timestamp at time zone 'UTC'
$$;

create function count_standings() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, left_on, at, count)
    select k.what, r.course_id, r.left_on, k.at, count(*)
    from added r
    cross join lateral (
      values ('open', hour_of(r.due_at), r.open_id is not null), ('begun', hour_of(r.due_at), r.started), ('held', day_at(r.until), r.until is not null),
        ('asked', 'infinity'::timestamptz, r.open_id is not null or r.finished), ('finished', 'infinity', r.finished)
    ) k (what, at, holds)
    where k.holds
    group by 1, 2, 3, 4;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, left_on, at, count)
    select k.what, r.course_id, r.left_on, k.at, -count(*)
    from removed r
    cross join lateral (
      values ('open', hour_of(r.due_at), r.open_id is not null), ('begun', hour_of(r.due_at), r.started), ('held', day_at(r.until), r.until is not null),
        ('asked', 'infinity'::timestamptz, r.open_id is not null or r.finished), ('finished', 'infinity', r.finished)
    ) k (what, at, holds)
    where k.holds
    group by 1, 2, 3, 4;
  else
    insert into figure_deltas (what, of_id, left_on, at, count)
    select k.what, r.course_id, r.left_on, k.at, sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    cross join lateral (
      values ('open', hour_of(r.due_at), r.open_id is not null), ('begun', hour_of(r.due_at), r.started), ('held', day_at(r.until), r.until is not null),
        ('asked', 'infinity'::timestamptz, r.open_id is not null or r.finished), ('finished', 'infinity', r.finished)
    ) k (what, at, holds)
    where k.holds
    group by 1, 2, 3, 4
    having sum(r.n) <> 0;
  end if;
  return null;
end $$;

create function count_reasons() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, at, count)
    select k.what, r.requirement_id, k.at, count(*)
    from added r
    cross join lateral (values ('reasons', hour_of(r.open_due), true), ('outside', 'infinity'::timestamptz, r.out_since is not null)) k (what, at, holds)
    where k.holds and r.open_due is not null
    group by 1, 2, 3;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, at, count)
    select k.what, r.requirement_id, k.at, -count(*)
    from removed r
    cross join lateral (values ('reasons', hour_of(r.open_due), true), ('outside', 'infinity'::timestamptz, r.out_since is not null)) k (what, at, holds)
    where k.holds and r.open_due is not null
    group by 1, 2, 3;
  else
    insert into figure_deltas (what, of_id, at, count)
    select k.what, r.requirement_id, k.at, sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    cross join lateral (values ('reasons', hour_of(r.open_due), true), ('outside', 'infinity'::timestamptz, r.out_since is not null)) k (what, at, holds)
    where k.holds and r.open_due is not null
    group by 1, 2, 3
    having sum(r.n) <> 0;
  end if;
  return null;
end $$;

-- what an assignment's stretch brings into each state, and takes out again
alter table assignment_intervals
  add column course_id bigint,
  add column started_at timestamptz;
update assignment_intervals i set course_id = a.course_id, started_at = a.started_at from assignments a where a.id = i.assignment_id;
alter table assignment_intervals alter column course_id set not null;

create function flows_of(stretch assignment_intervals) returns table (what text, at timestamptz, count integer) language sql immutable as $$
  select s.what, f.at, f.n
  from (
    values
      ('flow-finished', stretch.from_at, coalesce(stretch.to_at, 'infinity'), stretch.closed_by is not distinct from 'finished'),
      ('flow-late', greatest(stretch.from_at, stretch.due_at), coalesce(stretch.to_at, 'infinity'), stretch.closed_by is null),
      (
        'flow-started', greatest(stretch.from_at, stretch.started_at), least(coalesce(stretch.to_at, 'infinity'), stretch.due_at),
        stretch.closed_by is null and stretch.started_at is not null
      ),
      (
        'flow-waiting', stretch.from_at, least(coalesce(stretch.to_at, 'infinity'), stretch.due_at, coalesce(stretch.started_at, 'infinity')),
        stretch.closed_by is null
      )
  ) s (what, begins, ends, holds)
  cross join lateral (values (hour_of(s.begins), 1), (hour_of(s.ends), -1)) f (at, n)
  where s.holds
    and s.begins < s.ends
    and f.at < 'infinity'
    and stretch.is_now
    and stretch.closed_because is distinct from 'undone'
$$;

create function count_stretches() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, at, count)
    select f.what, r.course_id, f.at, sum(f.count)
    from added r
    cross join lateral flows_of(r::assignment_intervals) f
    group by 1, 2, 3
    having sum(f.count) <> 0;
  else
    insert into figure_deltas (what, of_id, at, count)
    select f.what, r.course_id, f.at, -sum(f.count)
    from removed r
    cross join lateral flows_of(r::assignment_intervals) f
    group by 1, 2, 3
    having sum(f.count) <> 0;
  end if;
  return null;
end $$;

-- what is emptied at once
create function forget_counts() returns trigger language plpgsql as $$
begin
  if tg_table_name = 'notices' then
    delete from notice_counts;
    delete from notice_sums;
    delete from notice_deltas;
  else
    if tg_table_name = 'assignments' then
      delete from standings;
    end if;
    delete from figures where what = any(tg_argv);
    delete from figure_deltas where what = any(tg_argv);
  end if;
  return null;
end $$;
-- Who is in the audience of each requirement, also of one that is off: written when somebody is reconciled.
create table audience_members (
  requirement_id bigint not null references requirements on delete cascade,
  person_id bigint not null references people on delete cascade,
  joined_on date not null,
  left_on date not null,
  -- false: fits the audience, and came after a requirement was switched on that takes in nobody later
  is_asked boolean not null,
  primary key (requirement_id, person_id)
);
create index audience_members_by_person on audience_members (person_id);
alter table requirements
  -- false while those in its audience are being counted, after it was written
  add column is_counted boolean not null default true;
insert into reconcile (person_id) select id from people;

create function count_members() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, left_on, at, count)
    select case when r.is_asked then 'in' else 'passed-over' end, r.requirement_id, r.left_on, day_at(r.joined_on), count(*)
    from added r
    group by 1, 2, 3, 4;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, left_on, at, count)
    select case when r.is_asked then 'in' else 'passed-over' end, r.requirement_id, r.left_on, day_at(r.joined_on), -count(*)
    from removed r
    group by 1, 2, 3, 4;
  else
    insert into figure_deltas (what, of_id, left_on, at, count)
    select case when r.is_asked then 'in' else 'passed-over' end, r.requirement_id, r.left_on, day_at(r.joined_on), sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    group by 1, 2, 3, 4
    having sum(r.n) <> 0;
  end if;
  return null;
end $$;
create trigger members_added after insert on audience_members referencing new table as added for each statement execute function count_members();
create trigger members_removed after delete on audience_members referencing old table as removed for each statement execute function count_members();
create trigger members_changed after update on audience_members referencing new table as added old table as removed for each statement execute function count_members();
create trigger members_emptied after truncate on audience_members for each statement execute function forget_counts('in', 'passed-over');

create function count_certificates() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, at, count)
    select case when r.revoked_at is null then 'certificates' else 'revoked' end, r.course_id, day_at(coalesce(r.expires_on, 'infinity')), count(*)
    from added r
    group by 1, 2, 3;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, at, count)
    select case when r.revoked_at is null then 'certificates' else 'revoked' end, r.course_id, day_at(coalesce(r.expires_on, 'infinity')), -count(*)
    from removed r
    group by 1, 2, 3;
    perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from removed r;
    return null;
  else
    insert into figure_deltas (what, of_id, at, count)
    select case when r.revoked_at is null then 'certificates' else 'revoked' end, r.course_id, day_at(coalesce(r.expires_on, 'infinity')), sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    group by 1, 2, 3
    having sum(r.n) <> 0;
  end if;
  perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from added r;
  return null;
end $$;

create function count_assignments() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    insert into figure_deltas (what, of_id, count)
    select case when r.closed_by = 'finished' then 'completed' else 'excused' end, r.course_id, count(*)
    from added r
    where r.closed_by is not null and r.closed_because is distinct from 'undone'
    group by 1, 2;
    perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from added r;
  elsif tg_op = 'DELETE' then
    insert into figure_deltas (what, of_id, count)
    select case when r.closed_by = 'finished' then 'completed' else 'excused' end, r.course_id, -count(*)
    from removed r
    where r.closed_by is not null and r.closed_because is distinct from 'undone'
    group by 1, 2;
    perform refresh_standings(array_agg(r.person_id), array_agg(r.course_id)) from removed r;
  else
    insert into figure_deltas (what, of_id, count)
    select case when r.closed_by = 'finished' then 'completed' else 'excused' end, r.course_id, sum(r.n)
    from (select *, 1 as n from added union all select *, -1 from removed) r
    where r.closed_by is not null and r.closed_because is distinct from 'undone'
    group by 1, 2
    having sum(r.n) <> 0;
    update assignment_reasons q
    set open_due = case when n.closed_by is null then n.due_at end
    from added n
    where q.assignment_id = n.id
      and q.open_due is distinct from case when n.closed_by is null then n.due_at end;
    perform refresh_standings(array_agg(n.person_id), array_agg(n.course_id))
    from added n
    join removed o on o.id = n.id
    where (n.closed_by, n.closed_because, n.due_at, n.completed_on, n.started_at)
      is distinct from (o.closed_by, o.closed_because, o.due_at, o.completed_on, o.started_at);
  end if;
  return null;
end $$;

-- who leaves, and who returns
create function move_standings() returns trigger language plpgsql as $$
begin
  update standings s
  set left_on = coalesce(n.left_on, 'infinity')
  from added n
  join removed o on o.id = n.id
  where n.left_on is distinct from o.left_on
    and s.person_id = n.id
    and s.left_on <> coalesce(n.left_on, 'infinity');
  return null;
end $$;

-- how long a course is good for changed: of completions without a certificate that is how long they count
create function renew_standings() returns trigger language plpgsql as $$
begin
  perform refresh_standings(array_agg(a.person_id), array_agg(a.course_id))
  from added n
  join removed o on o.id = n.id
  join assignments a on a.course_id = n.id and a.completed_on is not null
  where n.validity_months is distinct from o.validity_months;
  return null;
end $$;

-- What the counts have to say, counted one by one: what they begin with, and what tests hold them against.
create view counted_notices as
select on_day, course_id, step_id, step_name, state, coalesce(held_because, '') as held_because, count(*)::integer as count
from notices
group by 1, 2, 3, 4, 5, 6;

create view counted_standings as
select
  a.person_id, a.course_id, max(a.id) filter (where a.closed_by is null) as open_id, max(a.due_at) filter (where a.closed_by is null) as due_at,
  max(
    case
      when a.closed_by <> 'finished' or a.closed_by is null or c.revoked_at is not null then null
      when c.id is not null then coalesce(c.expires_on, 'infinity')
      when a.completed_on is not null and k.validity_months is not null then (a.completed_on + k.validity_months * interval '1 month')::date
      else 'infinity'
    end
  ) as until,
  coalesce(bool_or(a.closed_by = 'finished'), false) as finished,
  coalesce(bool_or(a.closed_by is null and a.started_at is not null), false) as started, coalesce(p.left_on, 'infinity') as left_on
from assignments a
join people p on p.id = a.person_id
join courses k on k.id = a.course_id
left join certificates c on c.assignment_id = a.id
where a.closed_because is distinct from 'undone'
group by a.person_id, a.course_id, p.left_on;

create view counted_figures as
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
select
  case when revoked_at is null then 'certificates' else 'revoked' end, course_id, 'infinity'::date, day_at(coalesce(expires_on, 'infinity')),
  count(*)::integer
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

insert into notice_counts select * from counted_notices;
insert into notice_sums (course_id, step_id, step_name, state, held_because, count)
select course_id, step_id, step_name, state, held_because, sum(count) from notice_counts group by 1, 2, 3, 4, 5;
insert into standings (person_id, course_id, open_id, due_at, until, finished, started, left_on) select * from counted_standings;
update assignment_reasons r set open_due = a.due_at from assignments a where a.id = r.assignment_id and a.closed_by is null;
insert into figures select * from counted_figures;

-- Counts that do not say what there is: none, always.
create function figures_astray() returns table (what text, kept integer, counted integer) language sql stable as $$
  select 'notices of ' || coalesce(k.on_day, c.on_day) || ' ' || coalesce(k.state, c.state), k.count, c.count
  from (
    select on_day, course_id, step_id, step_name, state, held_because, sum(count)::integer as count from notices_of_days group by 1, 2, 3, 4, 5, 6
    having sum(count) <> 0
  ) k
  full join counted_notices c using (on_day, course_id, step_id, step_name, state, held_because)
  where k.count is distinct from c.count
  union all
  select 'notices ' || coalesce(k.state, c.state), k.count, c.count
  from (select state, sum(count)::integer as count from notices_of_all_days group by 1 having sum(count) <> 0) k
  full join (select state, sum(count)::integer as count from counted_notices group by 1) c using (state)
  where k.count is distinct from c.count
  union all
  select 'standing of ' || coalesce(k.person_id, c.person_id) || ' in ' || coalesce(k.course_id, c.course_id), k.person_id::integer, c.person_id::integer
  from (select * from standings where open_id is not null or until is not null or finished) k
  full join (select * from counted_standings where open_id is not null or until is not null or finished) c using (person_id, course_id)
  where (k.open_id, k.due_at, k.until, k.finished, k.started, k.left_on)
    is distinct from (c.open_id, c.due_at, c.until, c.finished, c.started, c.left_on)
  union all
  select coalesce(k.what, c.what) || ' of ' || coalesce(k.of_id, c.of_id), k.count, c.count
  from (select what, of_id, left_on, at, sum(count)::integer as count from figures_now group by 1, 2, 3, 4 having sum(count) <> 0) k
  full join counted_figures c using (what, of_id, left_on, at)
  where k.count is distinct from c.count
$$;

create trigger notices_emptied after truncate on notices for each statement execute function forget_counts();
create trigger assignments_emptied after truncate on assignments for each statement execute function forget_counts('completed', 'excused');
create trigger reasons_emptied after truncate on assignment_reasons for each statement execute function forget_counts('reasons', 'outside');
create trigger certificates_emptied after truncate on certificates for each statement execute function forget_counts('certificates', 'revoked');

create trigger standings_added after insert on standings referencing new table as added for each statement execute function count_standings();
create trigger standings_removed after delete on standings referencing old table as removed for each statement execute function count_standings();
create trigger standings_changed after update on standings referencing new table as added old table as removed for each statement execute function count_standings();
create trigger reasons_added after insert on assignment_reasons referencing new table as added for each statement execute function count_reasons();
create trigger reasons_removed after delete on assignment_reasons referencing old table as removed for each statement execute function count_reasons();
create trigger reasons_changed after update on assignment_reasons referencing new table as added old table as removed for each statement execute function count_reasons();
create trigger stretches_added after insert on assignment_intervals referencing new table as added for each statement execute function count_stretches();
create trigger stretches_removed after delete on assignment_intervals referencing old table as removed for each statement execute function count_stretches();
create trigger stretches_emptied after truncate on assignment_intervals for each statement
execute function forget_counts('flow-finished', 'flow-started', 'flow-waiting', 'flow-late');
create trigger certificates_added after insert on certificates referencing new table as added for each statement execute function count_certificates();
create trigger certificates_removed after delete on certificates referencing old table as removed for each statement execute function count_certificates();
create trigger certificates_changed after update on certificates referencing new table as added old table as removed for each statement execute function count_certificates();
create trigger assignments_added after insert on assignments referencing new table as added for each statement execute function count_assignments();
create trigger assignments_removed after delete on assignments referencing old table as removed for each statement execute function count_assignments();
create trigger assignments_changed after update on assignments referencing new table as added old table as removed for each statement execute function count_assignments();
create trigger people_leave after update on people referencing new table as added old table as removed for each statement execute function move_standings();
create trigger courses_last after update on courses referencing new table as added old table as removed for each statement execute function renew_standings();

-- Folds waiting lines into the counts; one at a time, and whoever comes second goes away. Returns how many.
create function fold_figures(batch integer) returns integer language plpgsql as $$
declare
  notices_folded integer;
  figures_folded integer;
begin
  if not pg_try_advisory_xact_lock(7303) then
    return 0;
  end if;
  with taken as (
    delete from notice_deltas where id in (select id from notice_deltas order by id limit batch) returning *
  ),
  days as (
    insert into notice_counts as c (on_day, course_id, step_id, step_name, state, held_because, count)
    select on_day, course_id, step_id, step_name, state, held_because, sum(count) from taken group by 1, 2, 3, 4, 5, 6 having sum(count) <> 0
    on conflict (on_day, course_id, step_id, step_name, state, held_because) do update set count = c.count + excluded.count
  ),
  sums as (
    insert into notice_sums as c (course_id, step_id, step_name, state, held_because, count)
    select course_id, step_id, step_name, state, held_because, sum(count) from taken group by 1, 2, 3, 4, 5 having sum(count) <> 0
    on conflict (course_id, step_id, step_name, state, held_because) do update set count = c.count + excluded.count
  )
  select count(*) into notices_folded from taken;
  with taken as (
    delete from figure_deltas where id in (select id from figure_deltas order by id limit batch) returning *
  ),
  sums as (
    insert into figures as c (what, of_id, left_on, at, count)
    select what, of_id, left_on, at, sum(count) from taken group by 1, 2, 3, 4 having sum(count) <> 0
    on conflict (what, of_id, left_on, at) do update set count = c.count + excluded.count
  )
  select count(*) into figures_folded from taken;
  if notices_folded > 0 then
    delete from notice_counts where count = 0;
  end if;
  if figures_folded > 0 then
    delete from figures where count = 0;
  end if;
  return notices_folded + figures_folded;
end $$;

-- The figures of each course, the same wherever they stand; see 0005. Late and due soon are exact to the moment.
create index standings_due on standings (due_at) include (course_id, left_on, person_id, open_id, started) where open_id is not null;
create index standings_until on standings (course_id, until) where until is not null;

drop function course_figures(timestamptz, date);
create function course_figures(now timestamptz, today date)
returns table (course_id bigint, open integer, late integer, due_soon integer, current integer, asked integer, finished integer)
language sql stable as $$
  with counted as (
    select
      f.of_id as course_id, sum(f.count) filter (where f.what = 'open' and f.left_on > today) as open,
      sum(f.count) filter (where f.what = 'open' and f.left_on > today and f.at < hour_of(now)) as late,
      sum(f.count) filter (where f.what = 'open' and f.left_on > today and f.at < hour_of(now + interval '7 days')) as soon,
      sum(f.count) filter (where f.what = 'held' and f.left_on > today and f.at >= day_at(today)) as current,
      sum(f.count) filter (where f.what = 'asked' and f.left_on > today) as asked, sum(f.count) filter (where f.what = 'finished') as finished
    from figures_now f
    where f.what in ('open', 'held', 'asked', 'finished')
    group by f.of_id
  ),
  -- of the two hours that are cut by the moments
  cut as (
    select
      s.course_id, count(*) filter (where s.due_at >= hour_of(now) and s.due_at < now) as late,
      count(*) filter (where s.due_at >= hour_of(now + interval '7 days')) as soon
    from standings s
    where s.open_id is not null
      and s.left_on > today
      and (
        s.due_at >= hour_of(now) and s.due_at < now
        or s.due_at >= hour_of(now + interval '7 days') and s.due_at < now + interval '7 days'
      )
    group by s.course_id
  )
  select
    c.id, coalesce(f.open, 0)::integer, (coalesce(f.late, 0) + coalesce(x.late, 0))::integer,
    (coalesce(f.soon, 0) + coalesce(x.soon, 0) - coalesce(f.late, 0) - coalesce(x.late, 0))::integer, coalesce(f.current, 0)::integer,
    coalesce(f.asked, 0)::integer, coalesce(f.finished, 0)::integer
  from courses c
  left join counted f on f.course_id = c.id
  left join cut x on x.course_id = c.id
$$;

-- ----------------------------------------------------------------------------------------------------------------- finding

alter table people add column find_text text
  generated always as (name || E'\n' || email || E'\n' || coalesce(personnel_number, '') || E'\n' || coalesce(job, '')) stored;
create index people_found on people using gin (find_text gin_trgm_ops);
create index certificates_found on certificates using gin ((person_name || E'\n' || course_title || E'\n' || serial) gin_trgm_ops);
create index certificates_by_issue on certificates (issued_on desc, id desc);
drop index certificates_by_expiry;
create index certificates_by_expiry on certificates (expires_on, id) where revoked_at is null;
create index certificates_revoked on certificates (issued_on desc, id desc) where revoked_at is not null;

-- ---------------------------------------------------------------------------------------------- what pages look for, in order

drop index notices_trouble;
-- everyone below a manager who is here on a day
create index people_below on people (manager_id) include (id, left_on);
drop index people_by_manager;
create index people_left on people (left_on) where left_on is not null;
create function line_here(manager bigint, day date) returns table (id bigint) language sql stable as $$
  with recursive line (id, left_on) as (
    select p.id, p.left_on from people p where p.manager_id = manager
    union
    select p.id, p.left_on from line l join people p on p.manager_id = l.id
  )
  select line.id from line where is_here(line.left_on, day)
$$;
create index notices_by_state on notices (state, on_day, at, id);
create index notices_nobody_told on notices (on_day) where because = 'no-recipient';
create index notices_tried on notices (last_error) include (at, recipient_name, try_at) where state = 'planned' and attempts > 0;
-- what goes out next, moment by moment
create index notices_ahead on notices (on_day, at, kind, step_name, course_id) where state in ('planned', 'held');
drop index notices_next;
create index notices_next on notices (assignment_id, at) where state in ('planned', 'held', 'sending');
drop index assignments_by_course;
create index assignments_by_course on assignments (course_id, closed_by, id);
create index assignments_open_by_course on assignments (course_id, due_at) where closed_by is null;
create index assignments_finished on assignments (closed_at) where closed_by = 'finished';
create index reasons_due on assignment_reasons (open_due, requirement_id) where open_due is not null;

analyze notice_counts, notice_sums, standings, figures, assignment_reasons, people;
