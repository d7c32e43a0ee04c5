import type { Coverage, CoverageView, NotifiedQuery, ToldCount } from '@nudrik/contract';
import type { Became, Known, PlanStep } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';
import { assignmentsAt, peopleAt, type At } from './as-of.ts';
import { isOfAll, tables, type Narrowed } from './course-report.ts';

/** What fits the filters of a list: a condition on the tables of a report, with its values. */
export interface Fitting {
  where: string;
  values: unknown[];
}

const GOES = "n.state in ('sent', 'delivered', 'bounced')";
const IS_THERE = "n.state in ('sent', 'delivered')";
/** Whether what bounced had done so by then, as far as is known: looked up for these alone, which are few. */
const hadBounced = (past: Known): string =>
  `case outcome_at(n, $1::timestamptz, ${past === 'then'}) when 'bounced' then '1bounced' else '0told' end`;
/** What became of a notice, as a text that sorts the best first: `0told`, `5skipped:finished`; $1 is the moment. */
const become = ({ past }: At): string =>
  past === null
    ? 'became(n.state, n.because, n.held_because)'
    : `case
    when n.sent_at < $1::timestamptz and ${IS_THERE} then '0told'
    when n.sent_at < $1::timestamptz and n.state = 'bounced' then ${hadBounced(past)}
    when n.decided_at < $1::timestamptz and n.state = 'bounced' and n.sent_at is null then '1bounced'
    when n.decided_at < $1::timestamptz and n.state = 'failed' then '2failed'
    when n.decided_at < $1::timestamptz and n.state in ('skipped', 'cancelled') then '5skipped:' || coalesce(n.because, '')
    else '4ahead'
  end`;
/** Nothing was made for it: open still, or closed by something before. */
const none = (closedBy: string): string => `'6none:' || coalesce(${closedBy}, '')`;
/** What is kept says what closed it since: of a day that has passed, what had by then. */
const asOf = (best: string, closedBy: string): string => `case when starts_with(${best}, '6none:') then ${none(closedBy)} else ${best} end`;
const read = (best: string): { told: Became; because: string | null } => {
  const [told, because] = best.slice(1).split(':') as [Became, string?];
  return { told, because: because || null };
};
/** Of which notices: those of a step, else those that tell the employee. @param step a parameter, or null */
const TELLS = "n.to_role = 'employee'";
const ofStep = (step: string | null): string => (step === null ? TELLS : `n.step_id = ${step}::text`);
const bestOf = (at: At, step: string | null): string =>
  `(select min(${become(at)}) from notices n where n.assignment_id = a.id and ${ofStep(step)})`;

interface Count {
  best: string;
  closed: string;
  count: number;
}
const coverageOf = (counts: readonly Count[], asked: ReadonlyMap<string, number>): Coverage => {
  const untold = new Map<string, number>();
  const left = new Map(asked);
  let told = 0;
  for (const { best, closed, count } of counts) {
    left.set(closed, left.get(closed)! - count);
    if (best === '0told') told += count;
    else untold.set(best, (untold.get(best) ?? 0) + count);
  }
  for (const [closed, count] of left) if (count > 0) untold.set(`6none:${closed}`, (untold.get(`6none:${closed}`) ?? 0) + count);
  return {
    required: [...asked.values()].reduce((sum, count) => sum + count, 0),
    told,
    untold: [...untold]
      .sort(([a, m], [b, n]) => n - m || a.localeCompare(b, 'en'))
      .map(([best, count]): ToldCount => ({ ...read(best), count })),
  };
};

interface CoverageRow {
  step_id: string | null;
  department: string;
  /** what closed the assignments; empty where they are open */
  closed: string;
  best: string;
  count: number;
}
/** Of everybody, or by where they are, it is counted already. */
const COVERAGE = `
select nullif(c.step_id, '') as step_id, d.name as department, c.closed, c.best, sum(c.count)::integer as count
from told_counts_now($1::bigint) c
join departments d on d.id = c.department_id
where ($2::text is null or c.department_id in (select departments_under(array[$2::text])))
  and ($3::text is null or c.site_id = (select id from sites where name = $3::text))
group by 1, 2, 3, 4
`;
/**
 * Else one by one: whoever is alike by what is kept is counted at once, of the others each notice is looked at. Nothing is kept of whom
 * something waits to be told, nor of a day that has passed where something became of it since. Each row is looked up (by `offset 0`):
 * how many are asked by then nobody can foresee, and what is quick for few would take minutes for many.
 */
const coverageSql = (where: string, query: Narrowed, at: At): string => `
with waiting as materialized (select l.assignment_id from told_lines l where l.course_id = $3::bigint),
asked as materialized (
  select a.id, p.department_id, coalesce(a.closed_by, '') as closed
  ${isOfAll(query, at) ? `from ${assignmentsAt(at)} a join ${peopleAt(at)} p on p.id = a.person_id` : tables(at)}
  where ${where}
),
required as materialized (
  select r.id, r.department_id, r.closed, t.own, t.steps
  from asked r
  left join lateral (
    select t.own, t.steps
    from told t
    where t.assignment_id = r.id
      and t.assignment_id not in (select w.assignment_id from waiting w)
      ${at.past === null ? '' : 'and t.settled_at < $1::timestamptz'}
    offset 0
  ) t on true
),
alike as materialized (
  select department_id, closed, own, steps, count(*)::integer as count from required where own is not null group by 1, 2, 3, 4
),
become as materialized (
  select
    r.id, n.step_id, r.department_id, r.closed, min(${become(at)}) as best,
    min(${become(at)}) filter (where ${TELLS}) as own
  from required r
  join notices n on n.assignment_id = r.id and n.course_id = $3::bigint
  where r.own is null
  group by 1, 2, 3, 4
),
counted as (
  select nullif(s.step_id, '') as step_id, r.department_id, r.closed, ${asOf('s.best', 'r.closed')} as best, sum(r.count)::integer as count
  from alike r
  cross join lateral told_steps(r.own, r.steps) s
  group by 1, 2, 3, 4
  union all
  select null, r.department_id, r.closed, coalesce(b.best, ${none('r.closed')}), count(*)::integer
  from required r
  left join (select id, min(own) as best from become group by 1) b on b.id = r.id
  where r.own is null
  group by 2, 3, 4
  union all
  select step_id, department_id, closed, best, count(*)::integer from become group by 1, 2, 3, 4
)
select c.step_id, d.name as department, c.closed, c.best, c.count from counted c join departments d on d.id = c.department_id
`;

const isCounted = ({ find, requirement }: Narrowed, { past }: At): boolean => past === null && !find && !requirement;
const counted = (db: Queryable, courseId: string, { department, site }: Narrowed): Promise<CoverageRow[]> =>
  rows(db, COVERAGE, [courseId, department ?? null, site ?? null]);

const STEP_NAMES = 'select step_id as id, max(step_name) as name from notices_of_all_days where course_id = $1::bigint group by 1';

/** Of everybody who was asked: who was told at each step, and what became of the others. @param plan steps of the plan as it is, in their order */
export async function coverage(
  db: Queryable,
  courseId: string,
  query: Narrowed,
  { where, values }: Fitting,
  at: At,
  plan: readonly { id: string; name: string }[],
): Promise<CoverageView> {
  const [found, named] = await Promise.all([
    isCounted(query, at) ? counted(db, courseId, query) : rows<CoverageRow>(db, coverageSql(where, query, at), values),
    rows<{ id: string; name: string }>(db, STEP_NAMES, [courseId]),
  ]);
  const everybody = found.filter(({ step_id }) => step_id === null);
  const asked = new Map<string, number>();
  for (const { closed, count } of everybody) asked.set(closed, (asked.get(closed) ?? 0) + count);
  const inDepartment = new Map<string, number>();
  for (const { department, count } of everybody) inDepartment.set(department, (inDepartment.get(department) ?? 0) + count);
  const departments = [...inDepartment].sort(([a], [b]) => a.localeCompare(b, 'en'));
  const ofStepId = new Map<string, CoverageRow[]>(plan.map(({ id }) => [id, []]));
  for (const row of found) {
    if (row.step_id === null) continue;
    const list = ofStepId.get(row.step_id);
    if (list) list.push(row);
    else ofStepId.set(row.step_id, [row]);
  }
  // as the plan calls them, else as they were called when they were planned
  const nameOf = new Map([...named, ...plan].map(({ id, name }) => [id, name]));
  return {
    people: coverageOf(everybody, asked),
    steps: [...ofStepId].map(([id, list]) => ({
      id,
      name: nameOf.get(id) ?? id,
      ...coverageOf(list, asked),
      departments: departments.map(([name, of]) => ({
        name,
        required: of,
        told: list.reduce((sum, { department, best, count }) => sum + (department === name && best === '0told' ? count : 0), 0),
      })),
    })),
  };
}

export interface NotifiedDbRow {
  id: string;
  person_id: string;
  person: string;
  department: string;
  site: string;
  assigned_at: Date;
  best: string;
}
/** One of them had told it by a day that has passed: what most are found by, at the first look, and of those the most without their rows. */
const wasTold = (past: Known, step: string | null): string => {
  const one = (how: string): string =>
    `exists (select from notices n where n.assignment_id = a.id and ${ofStep(step)} and n.sent_at < $1::timestamptz and ${how})`;
  return `(${one(IS_THERE)} or ${one(`n.state = 'bounced' and ${hadBounced(past)} = '0told'`)})`;
};
/** Who is meant: everybody, who was told or was not, or those alone of whom the same became. */
function meant(who: string, at: At, step: string | null, add: (value: unknown) => string): { joins: string; where: string } {
  if (who === 'all') return { joins: '', where: 'true' };
  const { joins, told, untold, best } = at.past === null ? byKept(step) : oneByOne(at, at.past, step);
  if (who === 'told' || who === 'untold') return { joins, where: who === 'told' ? told : untold };
  const became = who.includes(':') ? `substr(${best}, 2)` : `split_part(substr(${best}, 2), ':', 1)`;
  return { joins, where: `${untold} and ${became} = ${add(who)}::text` };
}
type Telling = Record<'joins' | 'told' | 'untold' | 'best', string>;
function byKept(step: string | null): Telling {
  const best = step === null ? 't.own' : `coalesce(t.steps ->> ${step}::text, ${none('a.closed_by')})`;
  return { joins: 'join told_now($3::bigint) t on t.assignment_id = a.id', told: `${best} = '0told'`, untold: `${best} > '0told'`, best };
}
const oneByOne = (at: At, past: Known, step: string | null): Telling => ({
  joins: '',
  told: wasTold(past, step),
  untold: `not ${wasTold(past, step)}`,
  best: `coalesce(${bestOf(at, step)}, ${none('a.closed_by')})`,
});

/** Everybody who was asked, by name, with what became of what was to tell them. */
export function notifiedSql(
  { where: fits, values: fitting }: Fitting,
  at: At,
  step: string | null,
  who: string,
): { sql: string; values: unknown[] } {
  const values = [...fitting];
  const add = (value: unknown): string => `$${values.push(value)}`;
  const asked = step === null ? null : add(step);
  const best = `coalesce(${bestOf(at, asked)}, ${none('a.closed_by')})`;
  const { joins, where } = meant(who, at, asked, add);
  const sql = `
select a.id, p.id as person_id, p.name as person, d.name as department, s.name as site, a.assigned_at, ${best} as best
${tables(at)}
${joins}
where ${fits}
  and ${where}
order by lower(p.name), p.id, a.id
`;
  return { sql, values };
}

/** A page of them, with how many they are; what became of each is looked up for these alone. Without rows nobody is on the page. */
export function listNotified(
  db: Queryable,
  { where: fits, values: fitting }: Fitting,
  at: At,
  { step, who, page, size, ...query }: Narrowed & Pick<NotifiedQuery, 'step' | 'who' | 'page' | 'size'>,
): Promise<(NotifiedDbRow & { total: number })[]> {
  const values = [...fitting];
  const add = (value: unknown): string => `$${values.push(value)}`;
  const asked = step === undefined ? null : add(step);
  const best = `coalesce(${bestOf(at, asked)}, ${none('a.closed_by')})`;
  const { joins, where } = meant(who, at, asked, add);
  return rows(
    db,
    `with meant as materialized (
       select a.id, a.assigned_at, a.closed_by, a.person_id, p.name as person
       ${isOfAll(query, at) ? `from ${assignmentsAt(at)} a join people p on p.id = a.person_id` : tables(at)}
       ${joins}
       where ${fits}
         and ${where}
     )
     select
       a.id, a.person_id, a.person, d.name as department, s.name as site, a.assigned_at, ${best} as best,
       (select count(*)::integer from meant) as total
     from (select * from meant order by lower(person), person_id, id limit ${size} offset ${page * size}) a
     join ${peopleAt(at)} p on p.id = a.person_id
     join departments d on d.id = p.department_id
     join sites s on s.id = p.site_id
     order by lower(a.person), a.person_id, a.id`,
    values,
  );
}

export interface WentRow {
  assignment_id: string;
  id: string;
  step_name: string;
  sent_at: Date;
  address: string | null;
  channel: string | null;
  outcome: string;
  count: number;
}
const went = (at: At, step: string | null): string => `
select w.assignment_id, w.id, w.step_name, w.sent_at, w.outcome, w.count, l.address, l.channel
from (
  select n.assignment_id, n.id, n.step_name, n.sent_at, n.message_id, row_number() over (partition by n.assignment_id order by n.sent_at, n.id) as number,
    count(*) over (partition by n.assignment_id)::integer as count,
    ${at.past === null ? 'n.state' : `outcome_at(n, $1::timestamptz, ${at.past === 'then'})`} as outcome
  from notices n
  where n.assignment_id = any($2::bigint[])
    and n.sent_at ${at.past === null ? 'is not null and $1::timestamptz is not null' : '< $1::timestamptz'}
    and ${GOES}
    and ${ofStep(step)}
) w
left join lateral (
  select d.address, d.channel from deliveries d where d.message_id = w.message_id order by d.attempt desc limit 1
) l on true
where w.number <= 20
order by w.assignment_id, w.number
`;
/** What went of some assignments, the first first. */
export const listWent = (db: Queryable, assignments: readonly string[], at: At, step: string | null): Promise<WentRow[]> =>
  rows(db, went(at, step === null ? null : '$3'), [new Date(at.now), assignments, ...(step === null ? [] : [step])]);

export interface UntoldRow {
  assignment_id: string;
  id: string;
  at: Date;
  best: string;
  sentence: string | null;
}
const untold = (at: At, step: string | null): string => `
select distinct on (n.assignment_id) n.assignment_id, n.id, n.at, ${become(at)} as best, n.sentence
from notices n
where n.assignment_id = any($2::bigint[])
  and $1::timestamptz is not null
  and ${ofStep(step)}
order by n.assignment_id, ${become(at)}, n.at, n.id
`;
/** Of some assignments the notice that came the furthest. */
export const listUntold = (db: Queryable, assignments: readonly string[], at: At, step: string | null): Promise<UntoldRow[]> =>
  rows(db, untold(at, step === null ? null : '$3'), [new Date(at.now), assignments, ...(step === null ? [] : [step])]);

export const tellBest = read;

export interface ClosingRow {
  id: string;
  type: string | null;
  by_whom: string | null;
  data: Record<string, unknown> | null;
  proof: string | null;
  issuer: string | null;
  signed_by: string | null;
}
const closings = ({ past }: At): string => `
select a.id, e.type, e.by_whom, e.data, f.name as proof, c.issuer, o.by_whom as signed_by
from assignments a
left join lateral (
  select e.id, e.type, e.by_whom, e.data, e.at
  from assignment_events e
  where e.assignment_id = a.id
    and e.type in ('finished', 'waived', 'withdrawn')
    and ${past === 'now' ? "coalesce((e.data ->> 'onAt')::timestamptz, e.at)" : 'e.at'} ${past === null ? '<=' : '<'} $1::timestamptz
    and not exists (select from assignment_events u where u.undoes = e.id${past === 'then' ? ' and u.at < $1::timestamptz' : ''})
  order by e.at desc, e.id desc
  limit 1
) e on true
left join files f on f.id = (e.data ->> 'proof')::bigint
left join standing_certificates c on c.assignment_id = a.id
left join lateral (
  select o.by_whom from sign_offs o where o.assignment_id = a.id and o.outcome = 'met' and o.at = e.at and e.type = 'finished' order by o.id desc limit 1
) o on true
where a.id = any($2::bigint[])
`;
/** What closed some assignments, with what shows it. */
export const listClosings = (db: Queryable, assignments: readonly string[], at: At): Promise<ClosingRow[]> =>
  rows(db, closings(at), [new Date(at.now), assignments]);

const GET_STEPS = 'select steps from plans where course_id = $1::bigint';
/** The steps of the plan of a course as it is. */
export const stepsOf = async (db: Queryable, course: string): Promise<PlanStep[]> =>
  (await maybeRow<{ steps: PlanStep[] }>(db, GET_STEPS, [course]))?.steps ?? [];

const finishedLate = (where: string, at: At): string => `
select count(*)::integer as count ${tables(at)} where ${where} and a.closed_by = 'finished' and a.closed_at > a.due_at
`;
export const countFinishedLate = async (db: Queryable, { where, values }: Fitting, at: At): Promise<number> =>
  (await oneRow<{ count: number }>(db, finishedLate(where, at), values)).count;
