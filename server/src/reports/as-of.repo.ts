import type { MatrixSums } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';
import { peopleAt, standingsAt, type At } from './as-of.ts';

const LIST_CANDIDATES = `
select a.person_id as id
from assignment_intervals i
join assignments a on a.id = i.assignment_id
where i.is_then <> i.is_now
  and i.from_at < $1::timestamptz
  and (i.to_at is null or i.to_at >= $1::timestamptz)
union
select k.person_id from certificates k where k.is_later and k.issued_at >= $1::timestamptz and k.issued_on <= $2::date
union
select c.person_id
from person_changes c
where c.at >= $1::timestamptz
  and (c.kind = 'added' or c.changes @> '[{"field": "leftOn"}]')
`;
/** Of whom the record says something that was known later than it counts from: of nobody else do the two readings tell different things. */
export const listCandidates = async (db: Queryable, at: At): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_CANDIDATES, [new Date(at.now), at.today])).map(({ id }) => id);

/** Of people: who holds it, was asked, has it open, is late; as the figures of a course count them. */
export const SUMS = `count(*) filter (where s.until >= $2::date)::integer as current,
  count(*) filter (where s.open_id is not null or s.finished)::integer as asked,
  count(*) filter (where s.open_id is not null)::integer as open,
  count(*) filter (where s.open_id is not null and s.due_at < $1::timestamptz)::integer as late`;

const IS_KEPT = 'select 1 from days_summed where day = $1::date';
const KEEP = (at: At): string => `
with looked as materialized (
  select p.id, p.department_id, p.site_id from ${peopleAt(at)} p where is_here(p.left_on, $2::date)
),
counted as materialized (
  select s.course_id, l.department_id, l.site_id, ${SUMS}
  from looked l
  join ${standingsAt(at)} s on s.person_id = l.id
  group by 1, 2, 3
),
kept as (
  insert into day_sums (day, course_id, department_id, site_id, current, asked, open, late)
  select $2::date, course_id, department_id, site_id, current, asked, open, late from counted
  on conflict do nothing
)
insert into days_summed (day) values ($2::date) on conflict do nothing
`;
/** Counts the sums of a day as they were known then, where nobody did yet. */
export async function keepDay(db: Queryable, at: At): Promise<void> {
  if ((await rows(db, IS_KEPT, [at.today])).length > 0) return;
  await db.query(KEEP({ ...at, past: 'then' }), [new Date(at.now), at.today]);
}

/** So far back sums are counted before anybody asks for them. */
const DAYS_BACK = 1_100;
const NEXT_DAY = `
with first as (select a.assigned_at::date as day from assignments a order by a.id limit 1)
select to_char(d.day, 'YYYY-MM-DD') as day
from first f
cross join lateral generate_series($1::date, greatest(f.day, $1::date - ${DAYS_BACK}), interval '-1 day') d (day)
where not exists (select from days_summed s where s.day = d.day::date)
  or not exists (select from days_asked s where s.day = d.day::date)
limit 1
`;
/** The newest day up to one of which the sums are not kept yet; null where all are. */
export const nextDayToSum = async (db: Queryable, last: string): Promise<string | null> =>
  (await rows<{ day: string }>(db, NEXT_DAY, [last]))[0]?.day ?? null;

const IS_ANYBODY_ASKED = 'select 1 from assignments limit 1';
export const isAnybodyAsked = async (db: Queryable): Promise<boolean> => (await rows(db, IS_ANYBODY_ASKED)).length > 0;

export type SummedBy = 'department_id' | 'site_id' | null;
const listKept = (by: SummedBy): string => `
select ${by ?? 'null::bigint'} as id, course_id as course, sum(current)::integer as current, sum(asked)::integer as asked, sum(open)::integer as open,
  sum(late)::integer as late
from day_sums
where day = $1::date
  and ($2::text is null or department_id in (select departments_under(array[$2::text])))
  and ($3::text is null or site_id = (select id from sites where name = $3::text))
group by 1, 2
`;
export type Summed = { id: string | null; course: string } & MatrixSums;
export const listDaySums = (
  db: Queryable,
  at: At,
  by: SummedBy,
  department: string | undefined,
  site: string | undefined,
): Promise<Summed[]> => rows(db, listKept(by), [at.today, department ?? null, site ?? null]);
