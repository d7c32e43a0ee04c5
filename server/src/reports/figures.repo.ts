import type { FigureQuery } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';
import type { At } from './as-of.ts';
import { DAYS_LATE, DAYS_TAKEN, tables } from './course-report.ts';

/** What figures are asked about: the end of the period, and its beginning. */
export interface Span {
  at: At;
  from: Date;
}
interface Scope {
  where: string;
  values: unknown[];
}
/** $1 is the end of the period, $2 its last day, $3 its beginning. */
function scopeOf({ course, department, site }: FigureQuery, { at, from }: Span): Scope {
  const values: unknown[] = [new Date(at.now), at.today, from];
  const where = [
    "a.closed_because is distinct from 'undone'",
    'not ($1::timestamptz is null or $2::date is null or $3::timestamptz is null)',
  ];
  if (course) where.push(`a.course_id = $${values.push(course)}::bigint`);
  if (department) where.push(`p.department_id in (select departments_under(array[$${values.push(department)}::text]))`);
  if (site) where.push(`s.name = $${values.push(site)}::text`);
  return { where: where.join(' and '), values };
}

/** Late at the end of the period, and on the roster; finished within it, after being asked. */
const LATE = 'a.closed_by is null and a.due_at < $1::timestamptz and is_here(p.left_on, $2::date)';
const FINISHED =
  "a.closed_by = 'finished' and a.closed_at > a.assigned_at and a.closed_at >= $3::timestamptz and a.closed_at < $1::timestamptz";

/** Days that have passed since a due date, in bands. */
export const LATE_BANDS = [
  [0, 7],
  [8, 30],
  [31, 90],
  [91, null],
] as const;
const within = (value: string, [from, to]: readonly [number, number | null]): string =>
  `${value} >= ${from}${to === null ? '' : ` and ${value} < ${to + 1}`}`;

export interface CourseCounts {
  id: string;
  title: string;
  counts: number[];
}
const ageing = ({ where }: Scope, at: At): string => `
select k.id, k.title, array[${LATE_BANDS.map((band) => `count(*) filter (where ${within(DAYS_LATE, band)})::integer`).join(', ')}] as counts
${tables(at)}
where ${where}
  and ${LATE}
group by k.id, k.title
order by count(*) desc, k.title
`;
export function listAgeing(db: Queryable, query: FigureQuery, span: Span): Promise<CourseCounts[]> {
  const scope = scopeOf(query, span);
  return rows(db, ageing(scope, span.at), scope.values);
}

/** Days from being asked to finishing, in bands. */
export const TOOK_BANDS = [
  [0, 7],
  [8, 14],
  [15, 21],
  [22, 28],
  [29, null],
] as const;
const duration = ({ where }: Scope, at: At): string => `
select k.id, k.title, array[${TOOK_BANDS.map((band) => `count(*) filter (where ${within(`ceil(${DAYS_TAKEN})`, band)})::integer`).join(', ')}] as counts,
  percentile_cont(array[0.5, 0.9]) within group (order by ${DAYS_TAKEN}) as parts
${tables(at)}
where ${where}
  and ${FINISHED}
group by k.id, k.title
order by k.title
`;
export function listDurations(db: Queryable, query: FigureQuery, span: Span): Promise<(CourseCounts & { parts: number[] })[]> {
  const scope = scopeOf(query, span);
  return rows(db, duration(scope, span.at), scope.values);
}

const after = ({ where }: Scope, at: At, days: string): string => `
with went as materialized (
  select n.step_id, n.step_name, n.sent_at, a.id, case when a.closed_by = 'finished' then a.closed_at end as finished_at,
    lead(n.sent_at) over (partition by a.id order by n.sent_at, n.id) as next_at
  ${tables(at)}
  join notices n on n.assignment_id = a.id
  where ${where}
    and n.to_role = 'employee'
    and n.state in ('sent', 'delivered', 'bounced')
    and n.sent_at >= $3::timestamptz
    and n.sent_at < $1::timestamptz
    and (a.closed_at is null or n.sent_at < a.closed_at)
),
followed as (
  select step_id, step_name, finished_at < coalesce(next_at, 'infinity') and finished_at < sent_at + make_interval(days => ${days}::integer)
    and finished_at < $1::timestamptz as is_followed
  from went
)
select step_id as id, step_name as name, count(*)::integer as sent, (count(*) filter (where is_followed))::integer as finished
from followed
group by step_id, step_name
union all
select null, null, 0, (
  select count(*)::integer
  ${tables(at)}
  where ${where}
    and ${FINISHED}
)
`;
export interface FollowedRow {
  /** null is all that was finished */
  id: string | null;
  name: string | null;
  sent: number;
  finished: number;
}
export function listFollowed(db: Queryable, query: FigureQuery, span: Span): Promise<FollowedRow[]> {
  const scope = scopeOf(query, span);
  const days = `$${scope.values.push(query.days)}`;
  return rows(db, after(scope, span.at, days), scope.values);
}

// an answer that was taken back is none
const ANSWERED = `least(
  (
    select min(e.at) from assignment_events e
    where e.assignment_id = t.assignment_id
      and e.at > t.at
      and e.type in ('extended', 'taken-up', 'waived')
      and not exists (select from assignment_events u where u.undoes = e.id)
  ),
  (select min(w.asked_at) from waiver_requests w where w.assignment_id = t.assignment_id and w.asked_at > t.at)
)`;
const managers = ({ where }: Scope, at: At): string => `
with late as (
  select p.manager_id as id, count(*)::integer as late, count(distinct p.id)::integer as people
  ${tables(at)}
  where ${where}
    and ${LATE}
    and p.manager_id is not null
  group by p.manager_id
),
told as materialized (
  select n.recipient_id as id, n.assignment_id, min(n.sent_at) as at, min(a.closed_at) filter (where a.closed_by = 'finished') as finished_at
  ${tables(at)}
  join notices n on n.assignment_id = a.id
  where ${where}
    and n.kind = 'manager'
    and n.state in ('sent', 'delivered')
    and n.sent_at >= $3::timestamptz
    and n.sent_at < $1::timestamptz
    and n.recipient_id is not null
  group by n.recipient_id, n.assignment_id
),
answers as (
  select t.id, t.at, t.finished_at, ${ANSWERED} as answered_at from told t
),
sums as (
  select id, count(*)::integer as told, count(answered_at) filter (where answered_at < $1::timestamptz)::integer as answered,
    count(*) filter (where answered_at is null and finished_at > at and finished_at < $1::timestamptz)::integer as finished,
    percentile_cont(0.5) within group (order by extract(epoch from answered_at - at) / 3600) filter (where answered_at < $1::timestamptz) as hours
  from answers
  group by id
)
select m.id, m.name, coalesce(l.late, 0) as late, coalesce(l.people, 0) as people, coalesce(s.told, 0) as told, coalesce(s.answered, 0) as answered,
  coalesce(s.finished, 0) as finished, s.hours
from late l
full join sums s on s.id = l.id
join people m on m.id = coalesce(l.id, s.id)
order by coalesce(l.late, 0) desc, coalesce(s.told, 0) desc, m.name
limit 100
`;
export interface ManagerRow {
  id: string;
  name: string;
  late: number;
  people: number;
  told: number;
  answered: number;
  finished: number;
  hours: number | null;
}
export function listManagers(db: Queryable, query: FigureQuery, span: Span): Promise<ManagerRow[]> {
  const scope = scopeOf(query, span);
  return rows(db, managers(scope, span.at), scope.values);
}

const MAIL = `
with went as (
  select (on_day - extract(isodow from on_day)::integer + 1) as week, sum(count) filter (where state in ('sent', 'delivered', 'bounced'))::integer as sent,
    sum(count) filter (where state = 'bounced')::integer as bounced
  from notices_of_days
  where on_day between $1::date and $2::date
    and ($3::bigint is null or course_id = $3::bigint)
  group by 1
),
wrote as (
  select (on_day - extract(isodow from on_day)::integer + 1) as week, count(*)::integer as replies
  from (
    select (o.at at time zone $4::text)::date as on_day
    from conversation_posts o
    join conversations c on c.id = o.conversation_id
    where o.side = 'person'
      and ($3::bigint is null or c.course_id = $3::bigint)
  ) o
  where on_day between $1::date and $2::date
  group by 1
)
select coalesce(n.week, w.week) as week, coalesce(n.sent, 0) as sent, coalesce(n.bounced, 0) as bounced, coalesce(w.replies, 0) as replies
from went n
full join wrote w on w.week = n.week
order by 1
`;
export const listMail = (
  db: Queryable,
  from: string,
  to: string,
  course: string | null,
  zone: string,
): Promise<{ week: string; sent: number; bounced: number; replies: number }[]> => rows(db, MAIL, [from, to, course, zone]);
