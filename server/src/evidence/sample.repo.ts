import type { SampleQuery, SampleRow } from '@nudrik/contract';
import { oneRow, rows, type Queryable } from '../db/db.ts';

// stretches of the record in a period, of who was on the roster in it: open or finished, and neither waived nor withdrawn
const REQUIRED = `
select i.assignment_id, a.person_id, i.closed_by, i.due_at, i.from_at, i.to_at
from assignment_intervals i
join assignments a on a.id = i.assignment_id
join people p on p.id = a.person_id
where case when $3::boolean then i.is_then else i.is_now end
  and i.from_at < $2::timestamptz
  and (i.to_at is null or i.to_at > $1::timestamptz)
  and (i.closed_by is null or i.closed_by = 'finished')
  and ($4::bigint is null or i.course_id = $4::bigint)
  and (
    $5::bigint is null
    or exists (
      select
      from reason_times r
      where r.assignment_id = i.assignment_id
        and r.requirement_id = $5::bigint
        and r.from_at < $2::timestamptz
        and (r.to_at is null or r.to_at > $1::timestamptz)
    )
  )
  and (p.left_on is null or p.left_on >= $6::date)
`;
// everybody is found once; what the record says is read of those alone who are drawn
const DRAW = `
with required as materialized (select distinct person_id from (${REQUIRED}) each)
select
  (select count(*)::integer from required) as "of",
  (
    select encode(sha256(convert_to(coalesce(string_agg(r.person_id::text, ',' order by r.person_id), ''), 'UTF8')), 'hex') from required r
  ) as print,
  array(select r.person_id from required r order by sha256(convert_to($7::text || '/' || r.person_id, 'UTF8')) limit $8::integer) as drawn
`;
const LIST = `
with required as (${REQUIRED}
  and a.person_id = any($7::bigint[])
)
select
  jsonb_build_object('id', p.id::text, 'name', p.name) as person, d.name as department, s.name as site,
  count(distinct q.assignment_id)::integer as required,
  count(distinct q.assignment_id) filter (where q.closed_by = 'finished' and q.is_last)::integer as finished,
  count(distinct q.assignment_id) filter (where q.closed_by is null and q.is_last and q.due_at < $2::timestamptz)::integer as late,
  count(distinct q.assignment_id) filter (where q.closed_by is null and q.is_last and q.due_at >= $2::timestamptz)::integer as open
from (select *, to_at is null or to_at >= $2::timestamptz as is_last from required) q
join people p on p.id = q.person_id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
group by p.id, d.name, s.name
order by array_position($7::bigint[], p.id)
`;

/** Who was required in a period: how many, what stands for exactly these, and some of them by their place. */
export async function listRequired(
  db: Queryable,
  { known, course, requirement, from: day, size, seed }: SampleQuery,
  { from, until }: { from: Date; until: Date },
): Promise<{ of: number; print: string; rows: SampleRow[] }> {
  const values = [from, until, known === 'then', course ?? null, requirement ?? null, day];
  const { of, print, drawn } = await oneRow<{ of: number; print: string; drawn: string[] }>(db, DRAW, [...values, seed, size]);
  return { of, print, rows: await rows<SampleRow>(db, LIST, [...values, drawn]) };
}
