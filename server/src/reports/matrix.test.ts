import fc from 'fast-check';
import { afterAll, beforeAll, expect, it, test } from 'vitest';
import { CELLS, cellOf, Zone } from '@nudrik/core';
import { MatrixQuery, ReportQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { close } from '../assignments/change.ts';
import { atNow } from './as-of.ts';
import { cellConditions, listCells } from './cells.repo.ts';
import { sumsOf } from './matrix.repo.ts';
import { courseReport } from './course-report.ts';
import { sumNextDay } from './day-sums.ts';
import { cellSheet, matrixView } from './matrix.ts';

let house: TestHouse;
let crew: Record<string, string>;
let lifting: string;
let fire: string;
const UTC = Zone.of('UTC');

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  lifting = await makeCourse(house, crew['tora']!, undefined, 'Safe Lifting');
  fire = await makeCourse(house, crew['tora']!, undefined, 'Fire Teams');
});
afterAll(() => house.close());

const look = (query: object) => matrixView(house.db, MatrixQuery.parse(query), house.clock.at);

it('shows people by courses, each as core says, with sums that agree however they are counted', async () => {
  const [runa, per] = (await assignAt(house, lifting, [crew['runa']!, crew['per']!], '2027-03-10T16:00:00Z')) as [string, string];
  const [odd] = (await assignAt(house, fire, [crew['odd']!], '2027-03-29T16:00:00Z')) as [string];
  await close(house.deps, 'waived', { assignmentIds: [per], reason: 'ashore', until: '2027-06-01', told: null } as never, 'Sigrid Aune');
  const view = await look({});
  const of = (name: string) => Object.fromEntries(view.rows.find((row) => row.name === `${name} Aske`)!.cells.map(({ course, state, on, open }) => [course, [state, on, open]])); // prettier-ignore
  expect(of('Runa')).toEqual({ [lifting]: ['due', '2027-03-10', runa] });
  expect(of('Per')).toEqual({ [lifting]: ['waived', '2027-06-01', null] });
  expect(of('Odd')).toEqual({ [fire]: ['open', '2027-03-29', odd] });
  expect(of('Kari')).toEqual({});
  expect([view.total, view.people]).toEqual([5, 5]);
  // the same by filters, one site after the other, as by what is kept
  const at = atNow(house.clock.at, UTC);
  const parts = await Promise.all(['Orla Quay', 'Tarn Ness'].map((site) => sumsOf(house.db, MatrixQuery.parse({ site }), at)));
  const added = new Map<string, number[]>();
  for (const { course, current, asked, open, late } of parts.flat()) added.set(course, [current, asked, open, late].map((n, i) => n + (added.get(course)?.[i] ?? 0))); // prettier-ignore
  for (const { id, sums } of view.courses) expect(added.get(id) ?? [0, 0, 0, 0]).toEqual([sums.current, sums.asked, sums.open, sums.late]);
  // and by groups
  for (const by of ['department', 'site', 'manager']) {
    const groups = await look({ by });
    for (const { id, sums } of view.courses) {
      const mine = groups.rows.flatMap((row) => row.sums.filter(({ course }) => course === id));
      for (const key of ['current', 'asked', 'open', 'late'] as const) expect(mine.reduce((n, each) => n + each[key], 0)).toBe(sums[key]);
    }
    expect(groups.rows.reduce((n, { people }) => n + people!, 0)).toBe(5);
  }
  expect((await look({ by: 'manager' })).rows.map(({ name, people }) => [name, people])).toEqual([['Kari Aske', 1], ['nobody', 2], ['Odd Aske', 2]]); // prettier-ignore
});

test.each<[object, string[]]>([
  [{ find: 'run' }, ['Runa Aske']],
  [{ department: 'Office' }, ['Tora Aske']],
  [{ site: 'Tarn Ness' }, ['Kari Aske']],
  [{ state: 'due' }, ['Runa Aske']],
  [{ state: 'waived' }, ['Per Aske']],
  [{ state: 'none' }, ['Kari Aske', 'Tora Aske']],
  [{ sort: 'name', order: 'desc', size: 2 }, ['Tora Aske', 'Runa Aske']],
  [{ from: 3, size: 1 }, ['Runa Aske']],
  [{ sort: 'late', order: 'desc', size: 1 }, ['Kari Aske']],
])('looks at %o', async (query, names) => expect((await look(query)).rows.map(({ name }) => name)).toEqual(names));

it('of a course, whoever stands so with it', async () => {
  const names = async (query: object) => (await look({ course: fire, ...query })).rows.map(({ name }) => name);
  expect(await names({ state: 'none' })).toEqual(['Kari Aske', 'Per Aske', 'Runa Aske', 'Tora Aske']);
  expect(await names({ state: 'open' })).toEqual(['Odd Aske']);
  expect((await look({ manager: crew['odd'] })).rows.map(({ name }) => name)).toEqual(['Per Aske', 'Runa Aske']);
});

it('tells what stands behind a cell: the assignment and what was told of it, or that nobody asked', async () => {
  expect(await cellSheet(house.db, crew['runa']!, lifting, { known: 'then' }, house.clock.at)).toMatchObject({ person: { name: 'Runa Aske', where: 'Deck, Orla Quay' }, state: 'due', on: '2027-03-10', assignment: { state: 'not started', unitsDone: 0, last: null } }); // prettier-ignore
  expect(await cellSheet(house.db, crew['kari']!, lifting, { known: 'then' }, house.clock.at)).toMatchObject({
    state: null,
    assignment: null,
  });
  await expect(cellSheet(house.db, '999999', lifting, { known: 'then' }, house.clock.at)).rejects.toThrow('no such person or course');
});

it('each cell of core is found by its condition in the database, and by no other', async () => {
  const day = fc.integer({ min: -90, max: 90 });
  const pair = fc.record({ due: fc.option(day), until: fc.option(fc.oneof(day, fc.constant('ever' as const))), hasFinished: fc.boolean(), closed: fc.constantFrom(null, 'waived', 'finished', 'withdrawn'), waivedUntil: fc.option(day) }); // prettier-ignore
  const now = house.clock.at;
  const today = UTC.dayAt(now);
  const onDay = (offset: number): string => new Date((today + offset) * 86_400_000).toISOString().slice(0, 10);
  await fc.assert(
    fc.asyncProperty(pair, async ({ due, until, hasFinished, closed, waivedUntil }) => {
      const client = await house.db.connect();
      try {
        await client.query('begin');
        await client.query('set local session_replication_role = replica');
        await client.query('delete from standings where person_id = $1::bigint', [crew['tora']]);
        await client.query(
          'insert into standings (person_id, course_id, open_id, due_at, until, finished) values ($1::bigint, $2::bigint, $3::bigint, $4::timestamptz, $5::date, $6::boolean)',
          [crew['tora'], fire, due === null ? null : '999999', due === null ? null : new Date(now + due * 3_600_000 * 8), until === null ? null : until === 'ever' ? 'infinity' : onDay(until), hasFinished],
        ); // prettier-ignore
        if (closed)
          await client.query("insert into assignments (person_id, course_id, round, assigned_at, first_due_at, due_at, token, closed_by, waived_until) values ($1::bigint, $2::bigint, 1, now(), now(), now(), 'x', $3::text, $4::date)", [crew['tora'], fire, closed, closed === 'waived' && waivedUntil !== null ? onDay(waivedUntil) : null]); // prettier-ignore
        const isWaived = closed === 'waived' && (waivedUntil === null || waivedUntil >= 0);
        const expected = cellOf({ dueAt: due === null ? null : now + due * 3_600_000 * 8, until: until === null || until === 'ever' ? until : today + until, hasFinished, isWaived }, now, today); // prettier-ignore
        const found = [];
        for (const cell of CELLS)
          if ((await rows(client, `select 1 from standings s where s.person_id = $3::bigint and $1::timestamptz is not null and $2::date is not null and ${cellConditions({ past: null })[cell]}`, [new Date(now), onDay(0), crew['tora']])).length > 0) found.push(cell); // prettier-ignore
        expect(found).toEqual(expected === null ? [] : [expected]);
        expect(
          (await listCells(client, [crew['tora']!], atNow(now, UTC), UTC)).get(crew['tora']!)?.map(({ state }) => state) ?? [],
        ).toEqual(found);
      } finally {
        await client.query('rollback');
        client.release();
      }
    }),
    { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 60) },
  );
});

it('sums of days that have passed are counted before somebody asks, and forgotten where how long a course counts is changed', async () => {
  const summed = async (): Promise<number> => (await rows(house.db, 'select 1 from days_summed')).length;
  house.clock.at += 5 * 86_400_000;
  while ((await sumNextDay(house.deps)) !== null);
  // of 1 March, when the first was assigned, to the day before yesterday
  expect(await summed()).toBe(4);
  const sums = async (on: string) => (await look({ on })).courses.find(({ id }) => id === lifting)!.sums;
  expect(await sums('2027-03-01')).toEqual({ current: 0, asked: 1, open: 1, late: 0 });
  await house.db.query(`update courses set validity = '{"count": 1, "unit": "months", "toMonthEnd": false}' where id = $1::bigint`, [
    lifting,
  ]);
  expect(await summed()).toBe(0);
  expect(await sums('2027-03-01')).toEqual({ current: 0, asked: 1, open: 1, late: 0 });
  await house.db.query("update courses set title = 'Safe Lifting and Lowering' where id = $1::bigint", [lifting]);
  expect(await summed()).toBe(1);
  house.clock.at -= 5 * 86_400_000;
});

it('who came later is told of a day before, of everybody; a course tells of whoever it asks', async () => {
  const added = await house.db.query<{ id: string }>("insert into people (name, email, department_id, site_id, joined_on) select 'Ylva Aske', 'ylva@orlasund.example', department_id, site_id, '2027-02-01' from people limit 1 returning id"); // prettier-ignore
  house.clock.at += 5 * 86_400_000;
  await house.db.query("insert into person_changes (person_id, at, by_whom, kind) values ($1::bigint, $2::timestamptz, 'Sigrid Aune', 'added')", [added.rows[0]!.id, new Date(house.clock.at)]); // prettier-ignore
  const { asOf, people } = await look({ on: '2027-03-02' });
  expect([people, asOf!.differs]).toEqual([5, { count: 1, first: [{ person: { id: added.rows[0]!.id, name: 'Ylva Aske' }, course: null, then: 'not on the roster', now: 'on the roster' }] }]); // prettier-ignore
  expect((await look({ on: '2027-03-02', known: 'now' })).people).toBe(6);
  // of whom nobody recorded when they came: since they joined
  await house.db.query("delete from person_changes where person_id = $1::bigint and kind = 'added'", [added.rows[0]!.id]);
  expect([(await look({ on: '2027-03-02' })).people, (await look({ on: '2027-01-31' })).people]).toEqual([6, 5]);
  expect((await courseReport(house.db, lifting, ReportQuery.parse({ on: '2027-03-02' }), house.clock.at)).asOf!.differs.count).toBe(0);
});
