import type { MatrixBy, MatrixQuery, MatrixSums } from '@nudrik/contract';
import { containing, oneRow, rows, type Queryable } from '../db/db.ts';
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
  join groups g on g.name = coalesce(x."from", x."to") and g.id = ${group}::bigint
  where c.person_id = p.id and c.kind = 'group' and c.at >= $1::timestamptz and x.field = 'group'
  order by c.at, c.id
  limit 1
), ${IN_GROUP(group)})`;

type Filter = Pick<MatrixQuery, 'find' | 'department' | 'site' | 'manager' | 'group' | 'state' | 'course'>;
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

/** Of people: who holds it, was asked, has it open, is late; as the figures of a course count them. */
const SUMS = `count(*) filter (where s.until >= $2::date)::integer as current,
  count(*) filter (where s.open_id is not null or s.finished)::integer as asked,
  count(*) filter (where s.open_id is not null)::integer as open,
  count(*) filter (where s.open_id is not null and s.due_at < $1::timestamptz)::integer as late`;

/** The sums of each course over the people that are looked at. */
export function sumsOf(db: Queryable, query: MatrixQuery, at: At): Promise<({ course: string } & MatrixSums)[]> {
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
export function groupSums(
  db: Queryable,
  by: Exclude<MatrixBy, 'person'>,
  ids: readonly (string | null)[],
  query: MatrixQuery,
  at: At,
): Promise<({ id: string | null; course: string } & MatrixSums)[]> {
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
