import type { RunningOutDepartment, RunningOutPage, RunningOutQuery, RunningOutRow } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

/**
 * A requirement that will ask the person of a standing for it again by itself, and on which day. One whose day has passed while nothing
 * is open did not ask, and will not. $1 is today.
 * @param standing what the standing is called in the query around it
 */
export const renewedBy = (standing: string): string => `
select q.id, q.name, asks.on_day
from requirements q
cross join lateral (select ${standing}.until - (q.renewal ->> 'leadDays')::integer as on_day) asks
join audience_members m on m.requirement_id = q.id and m.person_id = ${standing}.person_id
where q.course_id = ${standing}.course_id
  and q.is_on
  and q.renewal is not null
  and m.is_asked
  and asks.on_day >= $1::date
  and m.left_on > asks.on_day
  and (q.until_on is null or q.until_on >= asks.on_day)
order by asks.on_day, q.id
limit 1
`;

const FROM = `
from standings s
join people p on p.id = s.person_id
join departments d on d.id = p.department_id
join courses c on c.id = s.course_id
`;
const RENEWED = `left join lateral (${renewedBy('s')}) r on true`;
/**
 * What people hold that runs out: of each person and course the last day on which it is held, whatever it is held by (standings). Two
 * certificates that overlap are one thing that is held, and who has left holds nothing that anybody would renew.
 */
const WHERE = `
where s.until between $1::date and $1::date + 90
  and s.left_on > $1::date
  and c.state <> 'retired'
`;

const COUNT = `
select d.id, d.name,
  count(*) filter (where s.until <= $1::date + 30)::integer as in30,
  count(*) filter (where s.until <= $1::date + 60)::integer as in60,
  count(*)::integer as in90,
  count(*) filter (where s.open_id is null and r.id is null)::integer as unasked
${FROM} ${RENEWED} ${WHERE}
group by d.id, d.name
order by d.name
`;
const COURSES = `select distinct c.id, c.title ${FROM} ${WHERE} order by c.title`;
const LIST = `
select p.id as person_id, p.name, d.name as department, c.id as course_id, c.title, s.until, k.serial, s.open_id, s.due_at,
  r.id as requirement_id, r.name as requirement, r.on_day, count(*) over ()::integer as total
${FROM} ${RENEWED}
left join lateral (
  select x.serial
  from standing_certificates x
  where x.person_id = s.person_id
    and x.course_id = s.course_id
    and x.expires_on = s.until
    and x.revoked_at is null
  order by x.id desc
  limit 1
) k on true
${WHERE}
  and s.until <= $1::date + $2::integer
  and ($3::bigint is null or d.id = $3::bigint)
  and ($4::bigint is null or c.id = $4::bigint)
  and ($5::boolean is null or (s.open_id is not null or r.id is not null) = $5::boolean)
order by s.until, p.name, c.title, p.id, c.id
limit $6::integer
offset $7::integer
`;

interface RunningOutDbRow {
  person_id: string;
  name: string;
  department: string;
  course_id: string;
  title: string;
  until: string;
  serial: string | null;
  open_id: string | null;
  due_at: Date | null;
  requirement_id: string | null;
  requirement: string | null;
  on_day: string | null;
  total: number;
}

const rowOf = (row: RunningOutDbRow): RunningOutRow => ({
  person: { id: row.person_id, name: row.name },
  department: row.department,
  course: { id: row.course_id, title: row.title },
  until: row.until,
  serial: row.serial,
  renewedBy: row.requirement_id ? { id: row.requirement_id, name: row.requirement!, on: row.on_day! } : null,
  again: row.open_id && row.due_at ? { assignmentId: row.open_id, dueAt: row.due_at.toISOString() } : null,
});

/** What runs out within 30, 60 and 90 days, by department, and who holds it. @param today local date of the house */
export async function runningOut(db: Queryable, query: RunningOutQuery, today: string): Promise<RunningOutPage> {
  const { within, department = null, course = null, asked, page, size } = query;
  const [departments, courses, found] = await Promise.all([
    rows<RunningOutDepartment>(db, COUNT, [today]),
    rows<{ id: string; title: string }>(db, COURSES, [today]),
    rows<RunningOutDbRow>(db, LIST, [today, within, department, course, asked === undefined ? null : asked === 'yes', size, page * size]),
  ]);
  return { departments, courses, rows: found.map(rowOf), total: found[0]?.total ?? 0 };
}
