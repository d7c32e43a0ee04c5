import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { ReportQuery, UnderWayQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone, startLearning } from '../learning/learn.ts';
import { keepPlace } from '../learning/work.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { courseReport } from './course-report.ts';
import { underWay } from './under-way.ts';

const DAY = 86_400_000;
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
const links: Record<string, string> = {};
const look = (query: object = {}) => underWay(house.deps, course, UnderWayQuery.parse(query));

/** Runa finished, Per is stuck, Odd is in it, Kari opened nothing and is late, Tora opened nothing. */
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const begun = house.clock.at;
  for (const name of ['runa', 'per', 'odd', 'kari', 'tora']) {
    const due = new Date(begun + (name === 'kari' ? 5 : 30) * DAY).toISOString();
    const [id] = await assignAt(house, course, [crew[name]!], due);
    links[name] = await linkInto(house, id!);
  }
  const units = (await findLearning(house.deps, links['runa']!)).sections[0]!.units.map(({ id }) => id);
  for (const name of ['runa', 'per', 'odd']) await startLearning(house.deps, links[name]!);
  for (const unit of units) await markUnitDone(house.deps, links['runa']!, unit);
  await markUnitDone(house.deps, links['per']!, units[0]!);
  house.clock.at = begun + 12 * DAY;
  await keepPlace(house.deps, { link: links['odd']!, signedIn: null }, units[1]!, { paragraph: 4 });
});
afterAll(() => house.close());

describe('a course that goes on', () => {
  test.each([
    ['all', ['kari', 'odd', 'per', 'tora']],
    ['unopened', ['kari', 'tora']],
    ['stuck', ['per']],
    ['late', ['kari']],
    ['waiting', []],
    ['packages', []],
  ] as const)('%s', async (who, names) => {
    const { rows: found, counts, total } = await look({ who });
    expect(found.map(({ person }) => Object.keys(crew).find((name) => crew[name] === person.id)).sort()).toEqual(names);
    expect([counts[who], total]).toEqual([names.length, names.length]);
  });

  it('says where somebody is, and nobody is stuck who only reads', async () => {
    const { rows: found } = await look();
    const odd = found.find(({ person }) => person.id === crew['odd'])!;
    expect(odd).toMatchObject({ where: { unit: 'Second', at: new Date(house.clock.at).toISOString() }, unitsDone: 0, unitsRequired: 2 });
    expect((await look({ who: 'stuck', days: 13 })).total).toBe(0);
  });

  it('agrees with the report, to the person', async () => {
    const report = await courseReport(house.db, course, ReportQuery.parse({ state: 'open' }), house.clock.at);
    const { rows: found, counts } = await look();
    const told = (list: readonly { person: { id: string }; state: string; unitsDone: number; unitsRequired: number; dueAt: string }[]) =>
      list.map(({ person, state, unitsDone, unitsRequired, dueAt }) => [person.id, state, unitsDone, unitsRequired, dueAt].join()).sort();
    expect(told(found)).toEqual(told(report.rows));
    expect(counts.all).toBe(report.total);
    expect((await courseReport(house.db, course, ReportQuery.parse({ state: 'late' }), house.clock.at)).total).toBe(counts.late);
  });

  it('tells what happened, the newest first', async () => {
    const { activity } = await look();
    expect(activity.length).toBeGreaterThan(5);
    expect(activity.map(({ words }) => words)).toContain('Finished “First” of the course');
    const ids = await rows<{ at: Date }>(house.db, 'select at from assignment_events order by id desc limit 1');
    expect(activity[0]!.at).toBe(ids[0]!.at.toISOString());
  });
});
