import { CELLS, type Cell } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { standingsAt, type At } from './as-of.ts';
import { cellConditions } from './cells.repo.ts';
import { lookedAt, peopleOf, type Filter } from './matrix.repo.ts';

const cellSql = (at: At): string => `case ${CELLS.map((cell) => `when ${cellConditions(at)[cell]} then '${cell}'`).join(' ')} else '' end`;

const readAs = (at: At, people: string): string => `
select s.person_id, s.course_id, ${cellSql(at)} as cell
from ${standingsAt(at)} s
where s.person_id = any(${people})
`;

/** People and courses of which the other reading tells something else, among those of whom it may. */
const differing = (at: At, where: string, people: string, course: string | null): string => `
with differing as (
  select person_id, course_id, coalesce(t.cell, '') as was, coalesce(n.cell, '') as is_now
  from (${readAs({ ...at, past: 'then' }, people)}) t
  full join (${readAs({ ...at, past: 'now' }, people)}) n using (person_id, course_id)
  where coalesce(t.cell, '') <> coalesce(n.cell, '')
)
select count(*) over ()::integer as count, p.id, p.name, c.id as course_id, c.title, f.was, f.is_now
from differing f
join people p on p.id = f.person_id
join courses c on c.id = f.course_id and c.state <> 'draft'
where ${course === null ? '' : `c.id = ${course}::bigint and `}f.person_id in (${where})
order by lower(p.name), p.id, c.title
limit 20
`;

// who had left, or was there, and that went on the record later
const LIST_ELSEWHERE = `
select count(*) over ()::integer as count, t.id, t.name, is_here(t.left_on, $2::date) as was_here
from roster_at($1::timestamptz, $2::date, true) t
join roster_at($1::timestamptz, $2::date, false) n on n.id = t.id
where t.id = any($3::bigint[])
  and n.id = any($3::bigint[])
  and is_here(t.left_on, $2::date) <> is_here(n.left_on, $2::date)
order by lower(t.name), t.id
limit 20
`;

export interface DifferingRow {
  count: number;
  id: string;
  name: string;
  course_id: string;
  title: string;
  was: Cell | '';
  is_now: Cell | '';
}
/** The first of them by name, of the people that are looked at. @param among people of whom the readings may tell different things */
export function listDiffering(
  db: Queryable,
  filter: Filter,
  at: At,
  among: readonly string[],
  course: string | null,
): Promise<DifferingRow[]> {
  const [then, now] = (['then', 'now'] as const).map((past) => ({ past, ...peopleOf(filter, { ...at, past }) }));
  const { values } = then!;
  const people = `$${values.push(among)}::bigint[]`;
  const where = then!.isEveryone
    ? 'select id from people'
    : [then!, now!].map((of) => lookedAt(of, { ...at, past: of.past })).join(' union all ');
  return rows(db, differing(at, where, people, course === null ? null : `$${values.push(course)}`), values);
}

export const listElsewhere = (
  db: Queryable,
  at: At,
  among: readonly string[],
): Promise<{ count: number; id: string; name: string; was_here: boolean }[]> =>
  rows(db, LIST_ELSEWHERE, [new Date(at.now), at.today, among]);
