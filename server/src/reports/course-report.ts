import type { OverTime, ReportPage, ReportQuery, ReportRow } from '@nudrik/contract';
import { dateOf, Zone } from '@nudrik/core';
import { getHouse } from '../house/house.ts';
import { mapParts, partsOf } from '../db/cursor.ts';
import { containing, oneRow, rows, type Pool, type Queryable } from '../db/db.ts';
import { ASSIGNMENT_COLUMNS, finishedOf, progressOf, stateOf, UNITS_DONE, type AssignmentDbRow } from '../people/people.repo.ts';
import { Refused } from '../refusal.ts';
import { assignmentsAt, atOf, peopleAt, type At } from './as-of.ts';
import { areAskedKept, keptAsked, type AskedCounts } from './asked-sums.repo.ts';
import { tellAsOf } from './differing.ts';
import { allAsked, askedBy, selectAsked, statesAt } from './states.ts';

export const tables = (at: At): string => `
from ${assignmentsAt(at)} a
join courses k on k.id = a.course_id
join ${peopleAt(at)} p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
`;

const STATES = statesAt('$1');

/** Units that were done by then, from the record. */
const UNITS_DONE_AT = ({ past }: At): string => `(
  select least(count(distinct e.data ->> 'unit'), k.needed)::integer
  from assignment_events e
  where e.assignment_id = a.id
    and e.type = 'unit-finished'
    and e.at < $1::timestamptz
    and e.data ->> 'unit' = any(k.required_units::text[])
    and not exists (select from assignment_events u where u.undoes = e.id${past === 'then' ? ' and u.at < $1::timestamptz' : ''})
)`;
const unitsDone = (at: At): string => (at.past === null ? UNITS_DONE : UNITS_DONE_AT(at));

const sorts = (at: At): Record<ReportQuery['sort'], string> => ({
  name: 'lower(p.name)',
  department: 'd.name',
  manager: 'm.name',
  assigned: 'a.assigned_at',
  due: 'a.due_at',
  finished: 'a.closed_at',
  progress: unitsDone(at),
});

/** Days since the due date of what is late, or that a finish took. */
export const DAYS_LATE = 'floor(extract(epoch from $1::timestamptz - a.due_at) / 86400)';
export const DAYS_TAKEN = 'extract(epoch from a.closed_at - a.assigned_at) / 86400';

export type Narrowed = Pick<ReportQuery, 'find' | 'department' | 'site' | 'requirement'>;
type Filter = Narrowed & Pick<ReportQuery, 'state'> & Partial<Pick<ReportQuery, 'days' | 'since'>>;
/** What each list of a course is narrowed down by. */
export const narrowed = ({ find, department, site, requirement }: Narrowed): Narrowed => ({ find, department, site, requirement });
/** By what somebody is found, where a parameter says it; what is indexed has their job too. */
const isCalled = (n: string): string => `(f.name ilike ${n}::text or f.email ilike ${n}::text or f.personnel_number ilike ${n}::text)`;
/** What fits: $1 is the moment, $2 its day, $3 the course. */
export function filterOf(query: Filter, courseId: string, at: At): { where: string; values: unknown[] } {
  const values: unknown[] = [new Date(at.now), at.today, courseId];
  const where = [
    'a.course_id = $3::bigint',
    "a.closed_because is distinct from 'undone'",
    'not ($1::timestamptz is null or $2::date is null)',
  ];
  const add = (clause: (n: string) => string, value: unknown): void => {
    values.push(value);
    where.push(clause(`$${values.length}`));
  };
  // whoever is called that, and whoever stands below somebody who is; of today few are found by indexes, of a day that has passed all are looked at
  const among = (people: string): string => (at.past === null ? `= any(array(${people}))` : `in (${people})`);
  if (query.find)
    add(
      (n) =>
        `(p.id ${among(`select f.id from people f where f.find_text ilike ${n}::text and ${isCalled(n)}`)} ` +
        `or p.manager_id ${among(`select f.id from people f where f.find_text ilike ${n}::text and f.name ilike ${n}::text`)})`,
      containing(query.find),
    );
  if (query.department) add((n) => `p.department_id in (select departments_under(array[${n}::text]))`, query.department);
  if (query.site) add((n) => `s.name = ${n}::text`, query.site);
  if (query.requirement) add((n) => askedBy(n, at), query.requirement);
  if (query.state !== 'all') where.push(STATES[query.state]);
  if (query.days !== undefined) {
    const [from, to] = query.days.split('-') as [string, string];
    const value = query.state === 'finished' ? `ceil(${DAYS_TAKEN})` : DAYS_LATE;
    add((n) => `${value} >= ${n}::integer`, Number(from));
    if (to !== '') add((n) => `${value} <= ${n}::integer`, Number(to));
    where.push(query.state === 'finished' ? 'a.closed_at > a.assigned_at' : 'is_here(p.left_on, $2::date)');
  }
  if (query.since !== undefined)
    add((n) => `a.closed_at >= (${n}::date::timestamp at time zone (select house_zone from settings))`, query.since);
  return { where: where.join(' and '), values };
}

/** What was planned on a day that has passed nobody kept, since it was planned again since. */
function refusePlanned({ state }: ReportQuery, { past }: At): void {
  if (past !== null && (state === 'silent' || state === 'unanswered'))
    throw new Refused('wrong-input', `Who is ${state} is known of now alone: take the day away, or ask for who was late.`);
}

const PAST_COLUMNS = (at: At): string => `
  a.id, a.course_id, k.title, a.round, a.assigned_at, a.due_at, a.closed_by, a.closed_at, a.completed_on, a.started_at, a.serial,
  null::date as expires_on, null::timestamptz as revoked_at, ${UNITS_DONE_AT(at)} as done, coalesce(k.needed, cardinality(k.required_units)) as required,
  (
    select coalesce(v.needed, cardinality(v.required_units))
    from course_versions v
    where v.course_id = a.course_id
      and v.version = b.finished_version
  ) as required_then
`;

type ReportDbRow = AssignmentDbRow & {
  person_id: string;
  person_name: string;
  personnel_number: string | null;
  email: string;
  department: string;
  site: string;
  manager: string | null;
  last_id: string | null;
  last_name: string | null;
  last_at: Date | null;
  last_state: string | null;
  next_id: string | null;
  next_name: string | null;
  next_at: Date | null;
  next_held: string | null;
};

const columns = (at: At): string => `
  ${at.past === null ? ASSIGNMENT_COLUMNS : PAST_COLUMNS(at)}, p.id as person_id, p.name as person_name, p.personnel_number, p.email, d.name as department,
  s.name as site, m.name as manager, last.id as last_id, last.step_name as last_name, last.at as last_at, last.state as last_state, next.id as next_id,
  next.step_name as next_name, next.at as next_at, next.held_because as next_held
`;
const beside = (at: At): string => `
${at.past === null ? 'left join standing_certificates c on c.assignment_id = a.id' : 'join assignments b on b.id = a.id'}
left join lateral ${at.past === null ? 'last_notice(a.id, false)' : `last_notice_at(a.id, $1::timestamptz, ${at.past === 'then'})`} last on true
left join lateral next_notice(${at.past === null ? 'a.id' : 'null::bigint'}) next on true
`;
type Order = Pick<ReportQuery, 'sort' | 'order'>;
type PageOf = Order & Pick<ReportQuery, 'page' | 'size'>;
const orderBy = ({ sort, order }: Order, at: At): string => `order by ${sorts(at)[sort]} ${order} nulls last, a.id`;

/** All that fit, in their order. */
const listSql = (where: string, query: Order, at: At): string => `
select ${columns(at)}
${tables(at)}
${beside(at)}
where ${where}
${orderBy(query, at)}
`;

/** Whose a page is. */
const idsSql = (where: string, query: PageOf, at: At): string => `
select a.id, a.person_id
${tables(at)}
where ${where}
${orderBy(query, at)}
limit ${query.size} offset ${query.page * query.size}
`;
/** So many people are walked through by name, looking at each, before it is quicker to find all that fit first. */
const WALKED = 2_000;
/** Of a day that has passed, where it does not matter who was where, the roster of that day is not looked at. */
export const isOfAll = ({ find, department, site }: Narrowed, { past }: At): boolean => past !== null && !find && !department && !site;
const isOfAssignments = (sort: ReportQuery['sort']): boolean => sort === 'assigned' || sort === 'due' || sort === 'finished';
/** The same of all, in an order that is of the assignments alone. */
const plainSql = (where: string, query: PageOf, at: At): string => `
select a.id, a.person_id
from ${assignmentsAt(at)} a
where ${where}
${orderBy(query, at)}
limit ${query.size} offset ${query.page * query.size}
`;
/** The same of all, by name. @param total how many fit */
const walkedSql = (where: string, { order, page, size }: PageOf, at: At, total: number, people: number): string => {
  const asked = `select a.id, a.person_id from ${assignmentsAt(at)} a where ${where}`;
  // of few that fit each is found first: nobody else is looked at
  const isWalk = ((page + 1) * size * people) / Math.max(1, total) <= WALKED;
  return `
${isWalk ? '' : `with asked as materialized (${asked})`}
select a.id, a.person_id
from people p
join ${isWalk ? `(${asked})` : 'asked'} a on a.person_id = p.id
order by lower(p.name) ${order}, a.id
limit ${size} offset ${page * size}
`;
};
function reportRow(row: ReportDbRow, now: number): ReportRow {
  return {
    assignmentId: row.id,
    person: { id: row.person_id, name: row.person_name, number: row.personnel_number, email: row.email },
    department: row.department,
    site: row.site,
    manager: row.manager,
    round: row.round,
    assignedAt: row.assigned_at.toISOString(),
    dueAt: row.due_at.toISOString(),
    state: stateOf(row, now),
    ...progressOf(row),
    ...finishedOf(row),
    certificate: row.serial,
    last: row.last_id ? { id: row.last_id, what: row.last_name!, at: row.last_at!.toISOString(), outcome: row.last_state! } : null,
    next: row.next_id ? { id: row.next_id, what: row.next_name!, at: row.next_at!.toISOString(), held: row.next_held } : null,
  };
}

/** What is open is counted one by one. */
const COUNT_OPEN = (where: string, at: At): string => `
select count(*) filter (where ${STATES.silent})::integer as silent, ${selectAsked(['inProgress', 'notStarted', 'late'])}
${tables(at)}
where ${where}
  and a.closed_by is null
`;
const COUNT_CLOSED = (where: string, at: At): string => `
select ${selectAsked(['finished', 'finishedPeople', 'waived'])}
${tables(at)}
where ${where}
  and a.closed_by is not null
`;
/** All of a day that has passed, at once. */
const COUNT_ASKED = (where: string, at: At): string => `
select ${selectAsked()}
${tables(at)}
where ${where}
`;

/** How the assignments of a course stood at the end of a day that has passed. */
async function countPast(db: Queryable, courseId: string, query: Narrowed, at: At): Promise<AskedCounts> {
  const count = async (at: At, people: readonly string[] | null): Promise<AskedCounts> => {
    const { where, values } = filterOf({ ...query, state: 'all' }, courseId, at);
    const among = people === null ? '' : ` and a.person_id = any($${values.push(people)}::bigint[])`;
    return oneRow<AskedCounts>(db, COUNT_ASKED(where + among, at), values);
  };
  const of = { course: courseId, ...query };
  return query.find === undefined && (await areAskedKept(db, of, at)) ? keptAsked(db, of, at, count) : count(at, null);
}

/** The same of everyone, from kept counts: exact to the moment by a look at the hour that it cuts. */
const GET_OPEN = `
with figures as (
  select
    coalesce(sum(f.count) filter (where f.what = 'open'), 0) as open,
    coalesce(sum(f.count) filter (where f.what = 'open' and f.at < hour_of($2::timestamptz)), 0) as late,
    coalesce(sum(f.count) filter (where f.what = 'begun' and f.at >= hour_of($2::timestamptz)), 0) as begun
  from figures_now f
  where f.what in ('open', 'begun')
    and ($1::bigint is null or f.of_id = $1::bigint)
),
late as (
  select
    count(*) filter (where a.due_at >= hour_of($2::timestamptz)) as late,
    count(*) filter (where a.due_at >= hour_of($2::timestamptz) and a.started) as begun,
    count(*) filter (where not exists (
      select 1 from notices n where n.assignment_id = a.open_id and n.state in ('planned', 'held', 'sending')
    )) as silent
  from standings a
  where a.open_id is not null
    and a.due_at < $2::timestamptz
    and ($1::bigint is null or a.course_id = $1::bigint)
)
select
  l.silent::integer, (f.begun - l.begun)::integer as "inProgress", (f.late + l.late)::integer as late,
  (f.open - f.late - l.late - f.begun + l.begun)::integer as "notStarted"
from figures f
cross join late l
`;
const GET_CLOSED = `
select
  coalesce(sum(f.count) filter (where f.what = 'completed'), 0)::integer as finished,
  coalesce(sum(f.count) filter (where f.what = 'finished'), 0)::integer as "finishedPeople",
  coalesce(sum(f.count) filter (where f.what = 'excused'), 0)::integer as waived
from figures_now f
where f.what in ('completed', 'finished', 'excused')
  and ($1::bigint is null or f.of_id = $1::bigint)
`;

const COUNT_ROSTER = 'select count(*)::integer as count from people';
const countRoster = async (db: Queryable): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_ROSTER)).count;

const GET_COURSE = 'select id, title from courses where id = $1::bigint';

export async function courseTitle(db: Queryable, courseId: string): Promise<{ id: string; title: string }> {
  const [course] = await rows<{ id: string; title: string }>(db, GET_COURSE, [courseId]);
  if (!course) throw new Refused('not-found', 'There is no such course, or not any more.');
  return course;
}

const GET_REQUIREMENT = 'select name from requirements where id = $1::bigint';
/** The name of a requirement that a list is narrowed down by. */
export async function requirementName(db: Queryable, id: string): Promise<string> {
  const [found] = await rows<{ name: string }>(db, GET_REQUIREMENT, [id]);
  if (!found) throw new Refused('not-found', 'There is no such requirement, or not any more.');
  return `“${found.name}”`;
}

type OpenCounts = Pick<AskedCounts, 'inProgress' | 'notStarted' | 'late'> & { silent: number };
type ClosedCounts = Pick<AskedCounts, 'finished' | 'finishedPeople' | 'waived'>;
const keptOpen = (db: Queryable, courseId: string | null, now: number): Promise<OpenCounts> =>
  oneRow(db, GET_OPEN, [courseId, new Date(now)]);
const keptClosed = (db: Queryable, courseId: string | null): Promise<ClosedCounts> => oneRow(db, GET_CLOSED, [courseId]);

/** How the assignments of a course stand: now, or at the end of a day that has passed. `finishedLate` is counted of such a day alone. */
export async function countAsked(
  db: Queryable,
  courseId: string,
  query: Narrowed,
  at: At,
): Promise<OpenCounts & ClosedCounts & Partial<Pick<AskedCounts, 'finishedLate'>>> {
  if (at.past !== null) return { silent: 0, ...(await countPast(db, courseId, query, at)) };
  if (!query.find && !query.department && !query.site && !query.requirement) {
    const [open, closed] = await Promise.all([keptOpen(db, courseId, at.now), keptClosed(db, courseId)]);
    return { ...open, ...closed };
  }
  const { where, values } = filterOf({ ...query, state: 'all' }, courseId, at);
  const [open, closed] = await Promise.all([
    oneRow<OpenCounts>(db, COUNT_OPEN(where, at), values),
    oneRow<ClosedCounts>(db, COUNT_CLOSED(where, at), values),
  ]);
  return { ...open, ...closed };
}

/** Who was notified, who finished: one page. */
export const courseReport = async (db: Queryable, courseId: string, query: ReportQuery, now: number): Promise<ReportPage> =>
  (await countedReport(db, courseId, query, now)).report;

/** The same, with how many of those who had finished by a day that has passed were late. */
export async function countedReport(
  db: Queryable,
  courseId: string,
  query: ReportQuery,
  now: number,
): Promise<{ report: ReportPage; finishedLate: number | undefined }> {
  const course = await courseTitle(db, courseId);
  const at = atOf(query, now, Zone.of((await getHouse(db)).zone));
  refusePlanned(query, at);
  const { where, values } = filterOf(query, courseId, at);
  const isNarrow = query.days !== undefined || query.since !== undefined;
  // days are of those in one state, and leave the other figures of the page as they are
  const [counts, asOf] = await Promise.all([
    countAsked(db, courseId, narrowed(query), at),
    at.past === null ? null : tellAsOf(db, narrowed(query), at, courseId),
  ]);
  const unanswered = query.state === 'unanswered' ? await countRows(db, where, values, at) : null;
  const { silent, finished, finishedPeople, inProgress, notStarted, late, waived } = counts;
  const totals: Record<ReportQuery['state'], number> = {
    all: allAsked(counts),
    open: inProgress + notStarted + late,
    'not late': inProgress + notStarted,
    'in progress': inProgress,
    'not started': notStarted,
    late,
    silent,
    unanswered: unanswered ?? 0,
    finished,
    waived,
  };
  const total = isNarrow ? await countRows(db, where, values, at) : totals[query.state];
  const ids = async (): Promise<string> => {
    if (isNarrow || !isOfAll(query, at)) return idsSql(where, query, at);
    if (isOfAssignments(query.sort)) return plainSql(where, query, at);
    return query.sort === 'name' ? walkedSql(where, query, at, total, await countRoster(db)) : idsSql(where, query, at);
  };
  const which = await rows<Which>(db, await ids(), values);
  const report = {
    course,
    rows: await reportRowsOf(db, which, at),
    total,
    finishedPeople,
    counts: { unanswered, silent, finished, inProgress, notStarted, late, waived },
    asOf,
  };
  return { report, finishedLate: counts.finishedLate };
}

/** Which assignment, and whose. */
interface Which {
  id: string;
  person_id: string;
}
/** Some rows, in the order of their assignments: of nobody else is looked up what stands beside a row. */
export async function reportRowsOf(db: Queryable, which: readonly Which[], at: At): Promise<ReportRow[]> {
  const where = 'a.id = any($3::bigint[]) and p.id = any($4::bigint[]) and not ($1::timestamptz is null or $2::date is null)';
  const values = [new Date(at.now), at.today, which.map(({ id }) => id), which.map((each) => each.person_id)];
  const found = new Map(
    (await rows<ReportDbRow>(db, listSql(where, { sort: 'name', order: 'asc' }, at), values)).map((row) => [row.id, row]),
  );
  return which.flatMap(({ id }) => (found.has(id) ? [reportRow(found.get(id)!, at.now)] : []));
}

/** All rows that a report has, in their order, read while they are written; and how many they are. */
export async function reportParts(
  db: Pool,
  courseId: string,
  query: ReportQuery,
  now: number,
): Promise<{ course: { id: string; title: string }; at: At; total: number; parts: AsyncIterable<readonly ReportRow[]> }> {
  const course = await courseTitle(db, courseId);
  const at = atOf(query, now, Zone.of((await getHouse(db)).zone));
  refusePlanned(query, at);
  const { where, values } = filterOf(query, courseId, at);
  const total = await countRows(db, where, values, at);
  const { sql } = reportSql(courseId, query, at);
  return { course, at, total, parts: mapParts(partsOf<ReportDbRow>(db, sql, values, total), (row) => reportRow(row, at.now)) };
}

/** What the rows of a report are read by. */
export function reportSql(courseId: string, query: ReportQuery, at: At): { sql: string; values: unknown[] } {
  const { where, values } = filterOf(query, courseId, at);
  return { sql: listSql(where, query, at), values };
}
export const countRows = async (db: Queryable, where: string, values: unknown[], at: At): Promise<number> =>
  (await oneRow<{ count: number }>(db, `select count(*)::integer as count ${tables(at)} where ${where}`, values)).count;

/** What came into a state, less what went, between the weeks' ends of the last year; $2 is the end of the last hour. */
const LIST_FLOWS = `
select f.what, greatest(0, ceil(extract(epoch from $2::timestamptz - f.at) / 604800) - 1)::integer as weeks_ago, sum(f.count)::integer as count
from figures_now f
where f.what in ('flow-finished', 'flow-started', 'flow-waiting', 'flow-late')
  and ($1::bigint is null or f.of_id = $1::bigint)
  and f.at < $2::timestamptz
group by 1, 2
`;

const WEEK = 7 * 86_400_000;
const HOUR = 3_600_000;
const WEEKS = 52;

/** At the end of each of the last 53 weeks, of a course or of all: who had finished, was in progress, had not started, was late; as is known now. */
export async function overTime(db: Queryable, courseId: string | null, now: number): Promise<OverTime> {
  const hour = new Date(Math.floor(now / HOUR) * HOUR);
  const [flows, house, open, closed] = await Promise.all([
    rows<{ what: string; weeks_ago: number; count: number }>(db, LIST_FLOWS, [courseId, hour]),
    getHouse(db),
    keptOpen(db, courseId, now),
    keptClosed(db, courseId),
  ]);
  const zone = Zone.of(house.zone);
  const sums = { finished: 0, started: 0, waiting: 0, late: 0 };
  const points: OverTime['points'] = [];
  for (let ago = WEEKS; ago > 0; ago--) {
    for (const { what, weeks_ago: week, count } of flows)
      if (ago === WEEKS ? week >= ago : week === ago) sums[what.slice('flow-'.length) as keyof typeof sums] += count;
    points.push({ day: dateOf(zone.dayAt(hour.getTime() - ago * WEEK)), ...sums });
  }
  // the last point is now, by the figures of the page
  const [finished, started] = [closed.finished, open.inProgress];
  points.push({ day: dateOf(zone.dayAt(now)), finished, started, waiting: open.notStarted, late: open.late });
  return { points };
}
