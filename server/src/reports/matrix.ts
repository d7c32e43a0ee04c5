import { Zone, type Instant } from '@nudrik/core';
import type { AsOfQuery, MatrixCellSheet, MatrixQuery, MatrixRow, MatrixSums, MatrixView } from '@nudrik/contract';
import type { Queryable } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { listCells } from './cells.repo.ts';
import { reportRowsOf } from './course-report.ts';
import { tellAsOf } from './differing.ts';
import { atOf, type At } from './as-of.ts';
import { countPeople, findPair, groupSums, lastOfPair, listColumns, listGroups, listPeople, sumsOf } from './matrix.repo.ts';

const NO_SUMS: MatrixSums = { current: 0, asked: 0, open: 0, late: 0 };

async function peopleRows(db: Queryable, query: MatrixQuery, at: At, zone: Zone): Promise<MatrixRow[]> {
  const people = await listPeople(db, query, at);
  const cells = await listCells(db, people.map(({ id }) => id), at, zone); // prettier-ignore
  return people.map(({ id, name, department, site }) => ({ id, name, where: `${department}, ${site}`, people: null, cells: cells.get(id) ?? [], sums: [] })); // prettier-ignore
}

async function groupRows(db: Queryable, by: Exclude<MatrixQuery['by'], 'person'>, query: MatrixQuery, at: At): Promise<{ rows: MatrixRow[]; total: number }> {
  const groups = await listGroups(db, by, query, at);
  const sums = await groupSums(db, by, groups.map(({ id }) => id), query, at);
  const of = new Map<string | null, MatrixRow['sums']>();
  for (const { id, ...each } of sums) of.set(id, [...(of.get(id) ?? []), each]);
  return {
    rows: groups.map(({ id, name, people }) => ({ id: id ?? '0', name, where: null, people, cells: [], sums: of.get(id) ?? [] })),
    total: groups[0]?.total ?? 0,
  };
} // prettier-ignore

/** Some of its rows; of groups with how many rows there are. */
const rowsOf = async (db: Queryable, query: MatrixQuery, at: At, zone: Zone): Promise<{ rows: MatrixRow[]; total: number | null }> =>
  query.by === 'person' ? { rows: await peopleRows(db, query, at, zone), total: null } : groupRows(db, query.by, query, at);

/** All its rows from the first on, a part after the other, without its sums: for a file, which is of one moment. */
export async function* matrixParts(
  db: Queryable,
  query: MatrixQuery,
  now: Instant,
  total: number,
  size: number,
): AsyncGenerator<MatrixRow[]> {
  const zone = Zone.of((await getHouse(db)).zone);
  const at = atOf(query, now, zone);
  for (let from = 0; from < total; from += size) yield (await rowsOf(db, { ...query, from, size }, at, zone)).rows;
}

/** People, or groups of them, by courses: a page of the rows, with the sums of all that fit. */
export async function matrixView(db: Queryable, query: MatrixQuery & { people?: readonly string[] }, now: Instant): Promise<MatrixView> {
  const zone = Zone.of((await getHouse(db)).zone);
  const at = atOf(query, now, zone);
  const [columns, people, sums, asOf, found] = await Promise.all([
    listColumns(db),
    countPeople(db, query, at),
    sumsOf(db, query, at),
    at.past === null ? null : tellAsOf(db, query, at),
    rowsOf(db, query, at, zone),
  ]);
  const sumOf = new Map(sums.map(({ course, ...each }) => [course, each]));
  return {
    by: query.by,
    from: query.from,
    courses: columns.map(({ id, title, is_retired }) => ({ id, title, isRetired: is_retired, sums: sumOf.get(id) ?? NO_SUMS })),
    rows: found.rows,
    total: found.total ?? people,
    people,
    asOf,
  };
}

/** What stands behind one cell: the assignment, and what was and will be told of it. */
export async function cellSheet(db: Queryable, person: string, course: string, asOf: AsOfQuery, now: Instant): Promise<MatrixCellSheet> {
  const [pair] = await findPair(db, person, course);
  if (!pair) throw new Refused('not-found', 'There is no such person or course, or not any more.');
  const zone = Zone.of((await getHouse(db)).zone);
  const at = atOf(asOf, now, zone);
  const cell = (await listCells(db, [person], at, zone)).get(person)?.find((each) => each.course === course);
  const id = await lastOfPair(db, person, course, at);
  const [row] = id === null ? [] : await reportRowsOf(db, [{ id, person_id: person }], at);
  return {
    person: { id: pair.id, name: pair.name, where: pair.where },
    course: { id: pair.course_id, title: pair.title },
    state: cell?.state ?? null,
    on: cell?.on ?? null,
    assignment: row ?? null,
  };
} // prettier-ignore
