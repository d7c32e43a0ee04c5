-- Up Migration

-- What is held is counted by its last day: days that are past are not looked at.
create index figures_ahead on figures (what, at) include (of_id, left_on, count) where what = 'held';

create or replace function course_figures(now timestamptz, today date)
returns table (course_id bigint, open integer, late integer, due_soon integer, current integer, asked integer, finished integer)
language sql stable as $$
  with lines as (
    select what, of_id, left_on, at, count from figures where what in ('open', 'asked', 'finished')
    union all
    select what, of_id, left_on, at, count from figures where what = 'held' and at >= day_at(today)
    union all
    select what, of_id, left_on, at, count from figure_deltas where what in ('open', 'held', 'asked', 'finished')
  ),
  counted as (
    select
      f.of_id as course_id, sum(f.count) filter (where f.what = 'open' and f.left_on > today) as open,
      sum(f.count) filter (where f.what = 'open' and f.left_on > today and f.at < hour_of(now)) as late,
      sum(f.count) filter (where f.what = 'open' and f.left_on > today and f.at < hour_of(now + interval '7 days')) as soon,
      sum(f.count) filter (where f.what = 'held' and f.left_on > today and f.at >= day_at(today)) as current,
      sum(f.count) filter (where f.what = 'asked' and f.left_on > today) as asked, sum(f.count) filter (where f.what = 'finished') as finished
    from lines f
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

-- nobody reads it any more: what somebody holds is in their standings
drop view held;
