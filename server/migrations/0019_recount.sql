-- Up Migration

-- Counts everything anew, one by one: after rows came in without triggers (a restored part, a copy), or where counts were found
-- astray. Nobody changes anything meanwhile.
create function recount_figures() returns void language plpgsql as $$
begin
  perform pg_advisory_xact_lock(7303);
  lock table notices, assignments, assignment_reasons, assignment_intervals, certificates, audience_members, people, courses in share row exclusive mode;
  delete from notice_deltas;
  delete from figure_deltas;
  delete from notice_counts;
  delete from notice_sums;
  insert into notice_counts select * from counted_notices;
  insert into notice_sums (course_id, step_id, step_name, state, held_because, count)
  select course_id, step_id, step_name, state, held_because, sum(count) from notice_counts group by 1, 2, 3, 4, 5;
  delete from standings s where not exists (select from assignments a where a.person_id = s.person_id and a.course_id = s.course_id);
  insert into standings as s (person_id, course_id, open_id, due_at, until, finished, started, left_on)
  select person_id, course_id, open_id, due_at, until, finished, started, left_on from counted_standings
  on conflict (person_id, course_id) do update set
    open_id = excluded.open_id, due_at = excluded.due_at, until = excluded.until, finished = excluded.finished, started = excluded.started,
    left_on = excluded.left_on
  where (s.open_id, s.due_at, s.until, s.finished, s.started, s.left_on)
    is distinct from (excluded.open_id, excluded.due_at, excluded.until, excluded.finished, excluded.started, excluded.left_on);
  update standings s
  set open_id = null, due_at = null, until = null, finished = false, started = false
  where (s.open_id is not null or s.until is not null or s.finished)
    and not exists (select from counted_standings c where c.person_id = s.person_id and c.course_id = s.course_id);
  update assignment_reasons r
  set open_due = case when a.closed_by is null then a.due_at end
  from assignments a
  where a.id = r.assignment_id
    and r.open_due is distinct from case when a.closed_by is null then a.due_at end;
  -- what the lines above left, and what was there
  delete from figure_deltas;
  delete from figures;
  insert into figures select * from counted_figures;
end $$;
