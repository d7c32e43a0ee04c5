import { rows, type Queryable } from '../db/db.ts';
import { listCandidates } from './as-of.repo.ts';
import { assignmentsAt, peopleAt, type At } from './as-of.ts';
import { ASKED, askedAt, selectAsked } from './states.ts';

/** How assignments stand: they add up to all of them. `finishedPeople` and `finishedLate` are of those that are finished. */
export type AskedCounts = Record<keyof typeof ASKED, number>;
const FIELDS = Object.keys(ASKED) as (keyof AskedCounts)[];
export const NOBODY = Object.fromEntries(FIELDS.map((field) => [field, 0])) as AskedCounts;

/** Of which assignments: of a course, or of one requirement of it; by where they were. */
export interface AskedOf {
  course: string;
  requirement?: string | undefined;
  department?: string | undefined;
  site?: string | undefined;
}

const COLUMNS = Object.values(ASKED)
  .map(({ column }) => column)
  .join(', ');
const COUNTS = Object.values(ASKED)
  .map(({ counts }) => counts)
  .join(', ');
const keep = (at: At): string => `
with a as materialized (
  select a.id, a.person_id, a.course_id, a.closed_by, a.started_at, a.due_at, a.closed_at, p.department_id, p.site_id
  from ${assignmentsAt(at)} a
  join ${peopleAt(at)} p on p.id = a.person_id
),
kept as (
  insert into asked_sums (day, course_id, requirement_id, department_id, site_id, ${COLUMNS})
  select $2::date, a.course_id, 0, a.department_id, a.site_id, ${COUNTS} from a group by a.course_id, a.department_id, a.site_id
  union all
  select $2::date, a.course_id, r.requirement_id, 0, 0, ${COUNTS}
  from a
  join reason_times r on r.assignment_id = a.id and ${askedAt(at)}
  group by a.course_id, r.requirement_id
  on conflict do nothing
)
insert into days_asked (day) values ($2::date) on conflict do nothing
`;
const IS_KEPT = 'select 1 from days_asked where day = $1::date';
const isKept = async (db: Queryable, at: At): Promise<boolean> => (await rows(db, IS_KEPT, [at.today])).length > 0;
/** Counts those of a day as they were known then, where nobody did yet. */
export async function keepAsked(db: Queryable, at: At): Promise<void> {
  if (!(await isKept(db, at))) await db.query(keep({ ...at, past: 'then' }), [new Date(at.now), at.today]);
}

/** Whether what is asked for is counted already. A requirement is counted in all, and not by where its people were. */
export const areAskedKept = async (db: Queryable, { requirement, department, site }: AskedOf, at: At): Promise<boolean> =>
  at.isOver && (requirement === undefined || (department === undefined && site === undefined)) && (await isKept(db, at));

/** Counts by what they are of. */
type Counts = ReadonlyMap<string, AskedCounts>;
const plus = (sum: AskedCounts, more: AskedCounts | undefined, sign: 1 | -1): AskedCounts =>
  more === undefined ? sum : (Object.fromEntries(FIELDS.map((field) => [field, sum[field] + sign * more[field]])) as AskedCounts);

/**
 * What is kept of a day was known then. As is known now it is that, and what the people bring of whom something became known later.
 * @param count the assignments of some people by a reading, one by one
 */
async function asRead(db: Queryable, at: At, then: Counts, count: (at: At, people: readonly string[]) => Promise<Counts>): Promise<Counts> {
  if (at.past === 'then') return then;
  const people = await listCandidates(db, at);
  if (people.length === 0) return then;
  const [was, is] = (await Promise.all((['then', 'now'] as const).map((past) => count({ ...at, past }, people)))) as [Counts, Counts];
  const ids = new Set([...then.keys(), ...was.keys(), ...is.keys()]);
  return new Map([...ids].map((id) => [id, plus(plus(then.get(id) ?? NOBODY, was.get(id), -1), is.get(id), 1)]));
}

const KEPT = Object.entries(ASKED)
  .map(([field, { column }]) => `coalesce(sum(${column}), 0)::integer as "${field}"`)
  .join(', ');
const GET_KEPT = `
select ${KEPT}
from asked_sums
where day = $1::date
  and course_id = $2::bigint
  and requirement_id = coalesce($3::bigint, 0)
  and ($4::text is null or department_id in (select departments_under(array[$4::text])))
  and ($5::text is null or site_id = (select id from sites where name = $5::text))
`;
/** How those of a course stood at the end of a day that is counted already. @param count of some people, one by one */
export async function keptAsked(
  db: Queryable,
  { course, requirement, department, site }: AskedOf,
  at: At,
  count: (at: At, people: readonly string[]) => Promise<AskedCounts>,
): Promise<AskedCounts> {
  const [then] = await rows<AskedCounts>(db, GET_KEPT, [at.today, course, requirement ?? null, department ?? null, site ?? null]);
  const counts = await asRead(db, at, new Map([['', then!]]), async (at, people) => new Map([['', await count(at, people)]]));
  return counts.get('')!;
}

type OfRequirement = AskedCounts & { id: string };
const LIST_KEPT = `
select requirement_id as id, ${KEPT} from asked_sums where day = $1::date and requirement_id > 0 group by 1
`;
const countOf = (at: At): string => `
select r.requirement_id as id, ${selectAsked()}
from ${assignmentsAt(at)} a
join reason_times r on r.assignment_id = a.id and ${askedAt(at)}
where $2::bigint[] is null or a.person_id = any($2::bigint[])
group by 1
`;
const byId = (list: readonly OfRequirement[]): Counts => new Map(list.map(({ id, ...counts }) => [id, counts]));
/** Of each requirement, how those whom it had asked stood at the end of a day that has passed. */
export async function listAskedByRequirement(db: Queryable, at: At): Promise<Counts> {
  const count = async (at: At, people: readonly string[] | null): Promise<Counts> =>
    byId(await rows<OfRequirement>(db, countOf(at), [new Date(at.now), people]));
  if (!at.isOver || !(await isKept(db, at))) return count(at, null);
  return asRead(db, at, byId(await rows<OfRequirement>(db, LIST_KEPT, [at.today])), count);
}
