import type { MatrixBy, MatrixQuery, MatrixSums } from '@nudrik/contract';
import { containing, oneRow, rows, type Queryable } from '../db/db.ts';
import { keepDay, listCandidates, listDaySums, SUMS, type Summed, type SummedBy } from './as-of.repo.ts';
import { assignmentsAt, peopleAt, standingsAt, type At } from './as-of.ts';
import { cellConditions } from './cells.repo.ts';

const tables = (at: At): string => `
from ${peopleAt(at)} p
join departments d on d.id = p.department_id
join sites i on i.id = p.site_id
left join people m on m.id = p.manager_id
`;

const IN_GROUP = (group: string): string =>
  `exists (select from group_members g where g.person_id = p.id and g.group_id = ${group}::bigint)`;
// in it now, but for what became of that since: the first change that the record has of it
const WAS_IN_GROUP = (group: string): string => `coalesce((
  select x."from" is not null
  from person_changes c
  cross join lateral jsonb_to_recordset(c.changes) as x (field text, "from" text, "to" text)
  where c.person_id = p.id
    and c.kind = 'group'
    and c.at >= $1::timestamptz
    and x.field = 'group'
    and place_called('group', coalesce(x."from", x."to"), c.at) = ${group}::bigint
  order by c.at, c.id
  limit 1
), ${IN_GROUP(group)})`;

export type Filter = Pick<MatrixQuery, 'find' | 'department' | 'site' | 'manager' | 'group' | 'state' | 'course'> & {
  /** these alone: the line of somebody */
  people?: readonly string[];
  /** who was asked by it ever */
  requirement?: string | undefined;
};
/** Which people are looked at: who is here, and what the filters say. */
export function peopleOf(query: Filter, at: At): { where: string; values: unknown[]; isEveryone: boolean } {
  const values: unknown[] = [new Date(at.now), at.today];
  const where = ['is_here(p.left_on, $2::date)', '$1::timestamptz is not null'];
  const add = (clause: (n: string) => string, value: unknown): void => {
    values.push(value);
    where.push(clause(`$${values.length}`));
  };
  if (query.find) add((n) => `p.find_text ilike ${n}::text`, containing(query.find));
  if (query.department) add((n) => `p.department_id in (select departments_under(array[${n}::text]))`, query.department);
  if (query.site) add((n) => `i.name = ${n}::text`, query.site);
  if (query.people) add((n) => `p.id = any(${n}::bigint[])`, query.people);
  if (query.requirement)
    add(
      (n) =>
        `p.id in (select a.person_id from reason_times r join assignments a on a.id = r.assignment_id where r.requirement_id = ${n}::bigint)`,
      query.requirement,
    );
  if (query.manager) add((n) => `p.manager_id = ${n}::bigint`, query.manager);
  if (query.group) add(at.past === null ? IN_GROUP : WAS_IN_GROUP, query.group);
  if (query.state) {
    const of = query.course ? ` and s.course_id = $${values.push(query.course)}::bigint` : '';
    const { state } = query;
    const [standings, conditions] = [standingsAt(at), cellConditions(at)];
    where.push(
      state === 'none'
        ? `not exists (select from ${standings} s where s.person_id = p.id${of} and (${Object.values(conditions).map((each) => `(${each})`).join(' or ')}))`
        : `exists (select from ${standings} s where s.person_id = p.id${of} and ${conditions[state]})`,
    ); // prettier-ignore
  }
  return { where: where.join('\n  and '), values, isEveryone: where.length === 2 };
}

/** Their ids. */
export const lookedAt = ({ where }: { where: string }, at: At): string => `select p.id ${tables(at)} where ${where}`;

// of a large house few are late: they are counted once, and not each person looked up
const lateOf = (at: At): string => `
left join (
  select s.person_id, count(*) as late
  from ${standingsAt(at)} s
  where ${cellConditions(at).late}
  group by s.person_id
) l on l.person_id = p.id
`;
const LATE = 'coalesce(l.late, 0)';
const SORTS: Record<MatrixQuery['sort'], string> = {
  name: 'lower(p.name)',
  department: 'lower(d.name)',
  site: 'lower(i.name)',
  manager: 'lower(m.name)',
  late: LATE,
};

export interface PersonRow {
  id: string;
  name: string;
  department: string;
  site: string;
}
/** A page of the people that are looked at. */
export function listPeople(db: Queryable, query: MatrixQuery, at: At): Promise<PersonRow[]> {
  const { where, values } = peopleOf(query, at);
  return rows(
    db,
    `select p.id, p.name, d.name as department, i.name as site ${tables(at)} ${query.sort === 'late' ? lateOf(at) : ''} where ${where}
     order by ${SORTS[query.sort]} ${query.order} nulls last, lower(p.name), p.id
     limit ${query.size} offset ${query.from}`,
    values,
  );
}

export async function countPeople(db: Queryable, query: MatrixQuery, at: At): Promise<number> {
  const { where, values } = peopleOf(query, at);
  return (await oneRow<{ count: number }>(db, `select count(*)::integer as count ${tables(at)} where ${where}`, values)).count;
}

/** Whether sums of a day are kept by what is asked for alone; they are once everything that was done on it is on the record. */
const areKept = ({ find, manager, group, state, people, requirement }: Filter, at: At): boolean =>
  at.past !== null &&
  at.isOver &&
  people === undefined &&
  requirement === undefined &&
  find === undefined &&
  manager === undefined &&
  group === undefined &&
  state === undefined;

/** Sums of a day that has passed: those that are kept, and what the people bring of whom something became known later. */
async function daySums(db: Queryable, query: Filter, at: At, by: SummedBy): Promise<Summed[]> {
  await keepDay(db, at);
  const then = await listDaySums(db, at, by, query.department, query.site);
  if (at.past === 'then') return then;
  const candidates = await listCandidates(db, at);
  if (candidates.length === 0) return then;
  const of = async (past: 'then' | 'now', sign: 1 | -1): Promise<Summed[]> => {
    const of = { ...at, past };
    const { where, values } = peopleOf(query, of);
    const n = `$${values.push(candidates)}::bigint[]`;
    const sql = `
      with looked as materialized (select p.id, ${by === null ? 'null::bigint' : `p.${by}`} as of_id ${tables(of)} where ${where} and p.id = any(${n}))
      select l.of_id as id, s.course_id as course, ${SUMS}
      from looked l
      join ${standingsAt(of)} s on s.person_id = l.id
      where s.person_id = any(${n})
      group by 1, 2
    `;
    return (await rows<Summed>(db, sql, values)).map(({ id, course, current, asked, open, late }) => ({ id, course, current: sign * current, asked: sign * asked, open: sign * open, late: sign * late })); // prettier-ignore
  };
  const sums = new Map<string, Summed>();
  for (const one of [...then, ...(await of('then', -1)), ...(await of('now', 1))]) {
    const key = `${one.id}/${one.course}`;
    const sum = sums.get(key);
    if (!sum) sums.set(key, { ...one });
    else for (const field of ['current', 'asked', 'open', 'late'] as const) sum[field] += one[field];
  }
  return [...sums.values()];
}

/** The sums of each course over the people that are looked at. */
export async function sumsOf(db: Queryable, query: MatrixQuery, at: At): Promise<({ course: string } & MatrixSums)[]> {
  if (areKept(query, at)) return (await daySums(db, query, at, null)).map(({ id: _, ...sums }) => sums);
  const { where, values, isEveryone } = peopleOf(query, at);
  // of everyone they are kept
  if (isEveryone && at.past === null)
    return rows(db, 'select course_id as course, current, asked, open, late from course_figures($1::timestamptz, $2::date)', values);
  return rows(
    db,
    `with looked as materialized (select p.id ${tables(at)} where ${where})
     select s.course_id as course, ${SUMS}
     from looked l
     join ${standingsAt(at)} s on s.person_id = l.id
     group by s.course_id`,
    values,
  );
}

const GROUPS: Record<Exclude<MatrixBy, 'person'>, { id: string; name: string }> = {
  department: { id: 'p.department_id', name: 'd.name' },
  site: { id: 'p.site_id', name: 'i.name' },
  manager: { id: 'p.manager_id', name: "coalesce(m.name, 'nobody')" },
};

export interface GroupRow {
  id: string | null;
  name: string;
  people: number;
  total: number;
}
/** A page of groups with how many people of them are looked at. */
export function listGroups(db: Queryable, by: Exclude<MatrixBy, 'person'>, query: MatrixQuery, at: At): Promise<GroupRow[]> {
  const { where, values } = peopleOf(query, at);
  const { id, name } = GROUPS[by];
  const late = `sum(${LATE})`;
  return rows(
    db,
    `select ${id} as id, ${name} as name, count(*)::integer as people, count(*) over ()::integer as total
     ${tables(at)} ${query.sort === 'late' ? lateOf(at) : ''} where ${where}
     group by ${id}, ${name}
     order by ${query.sort === 'late' ? `${late} ${query.order},` : ''} lower(${name}) ${query.sort === 'late' ? '' : query.order}, ${id}
     limit ${query.size} offset ${query.from}`,
    values,
  );
}

/** The sums of each group and course. @param ids of groups; null is whoever belongs to none */
export async function groupSums(
  db: Queryable,
  by: Exclude<MatrixBy, 'person'>,
  ids: readonly (string | null)[],
  query: MatrixQuery,
  at: At,
): Promise<({ id: string | null; course: string } & MatrixSums)[]> {
  if (by !== 'manager' && areKept(query, at)) {
    const asked = new Set(ids);
    return (await daySums(db, query, at, `${by}_id`)).filter(({ id, asked: count }) => count > 0 && asked.has(id));
  }
  const { where, values } = peopleOf(query, at);
  const { id } = GROUPS[by];
  values.push(ids.filter((each) => each !== null), ids.includes(null)); // prettier-ignore
  return rows(
    db,
    `with looked as materialized (
       select p.id, ${id} as of_id ${tables(at)} where ${where}
       and (${id} = any($${values.length - 1}::bigint[]) or ${id} is null and $${values.length}::boolean)
     )
     select l.of_id as id, s.course_id as course, ${SUMS}
     from looked l
     join ${standingsAt(at)} s on s.person_id = l.id
     where s.open_id is not null or s.until is not null or s.finished
     group by l.of_id, s.course_id`,
    values,
  );
}

const LIST_COURSES = `
select id, title, state = 'retired' as is_retired
from courses
where state <> 'draft'
order by state = 'retired', title
`;
export const listColumns = (db: Queryable): Promise<{ id: string; title: string; is_retired: boolean }[]> => rows(db, LIST_COURSES);

const lastOf = (at: At): string => `
select a.id
from ${assignmentsAt(at)} a
where a.person_id = $3::bigint
  and a.course_id = $4::bigint
  and $1::timestamptz is not null
  and $2::date is not null
  and a.closed_because is distinct from 'undone'
order by a.closed_by is null desc, a.id desc
limit 1
`;
/** What is open of a pair, else what was last. */
export const lastOfPair = async (db: Queryable, person: string, course: string, at: At): Promise<string | null> =>
  (await rows<{ id: string }>(db, lastOf(at), [new Date(at.now), at.today, person, course]))[0]?.id ?? null;

const FIND_PAIR = `
select p.id, p.name, d.name || ', ' || i.name as where, c.id as course_id, c.title
from people p
join departments d on d.id = p.department_id
join sites i on i.id = p.site_id
cross join courses c
where p.id = $1::bigint
  and c.id = $2::bigint
  and c.state <> 'draft'
`;
export const findPair = (
  db: Queryable,
  person: string,
  course: string,
): Promise<{ id: string; name: string; where: string; course_id: string; title: string }[]> => rows(db, FIND_PAIR, [person, course]);
