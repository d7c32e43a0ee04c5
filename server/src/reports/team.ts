import { MatrixQuery, type AsOfQuery, type TeamDay } from '@nudrik/contract';
import type { Queryable } from '../db/db.ts';
import { matrixView } from './matrix.ts';
import { findManager, listLine } from './team.repo.ts';

/** How the people who are in a line now stood at the end of a day. */
export async function teamDay(db: Queryable, managerId: string, asOf: AsOfQuery, now: number, today: string): Promise<TeamDay> {
  const manager = await findManager(db, managerId);
  const line = await listLine(db, managerId, today);
  const query = MatrixQuery.parse({ ...asOf, by: 'person', sort: 'late', order: 'desc', size: 200 });
  const view = await matrixView(db, { ...query, people: line }, now);
  const people = view.rows.flatMap(({ id, name, cells }) => (cells.length === 0 ? [] : [{ id, name, cells }]));
  const seen = new Set(people.flatMap(({ cells }) => cells.map(({ course }) => course)));
  return {
    manager,
    people: view.people,
    matrix: { courses: view.courses.flatMap(({ id, title }) => (seen.has(id) ? [{ id, title }] : [])), people },
    asOf: view.asOf,
  };
}
