import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { PeopleQuery, ReportQuery } from '@nudrik/contract';
import { Zone } from '@nudrik/core';
import { listCourses } from '../courses/courses.repo.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { changePerson } from '../people/change.ts';
import { listAssignmentLines, listPeople, peopleFacets } from '../people/people.repo.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { courseReport, overTime } from './course-report.ts';
import { written } from './table.ts';
import { teamOf } from './team.repo.ts';
import { todayView } from './today.ts';
import { todayNeeds } from './needs.ts';

/** One fact, told on several pages: they say the same, before somebody leaves and after. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
const TODAY = '2027-03-08';
const finish = async (assignment: string): Promise<void> => {
  const link = await linkInto(house, assignment);
  for (const section of (await findLearning(house.deps, link)).sections)
    for (const unit of section.units) await markUnitDone(house.deps, link, unit.id);
};
let ids: Record<string, string>;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const people = ['runa', 'per', 'odd', 'kari'];
  const made = await assignAt(house, course, people.map((name) => crew[name]!), '2027-03-05T16:00:00Z'); // prettier-ignore
  ids = Object.fromEntries(people.map((name, i) => [name, made[i]!]));
  await drain(house.deps, house.mailer);
  await finish(ids['runa']!);
  await finish(ids['per']!);
  house.clock.at = Date.parse('2027-03-08T09:00:00Z');
  await changePerson(house.deps, crew['per']!, { leftOn: TODAY }, 'A');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());

describe('the figures of a course', () => {
  it('leave out who left, but not what they finished', async () => {
    const [row] = await listCourses(house.db, house.clock.at, TODAY);
    expect(row).toMatchObject({ open: 2, late: 2, current: 1, asked: 3, finished: 2 });
    const today = (await todayView(house.deps)).courses[0];
    expect(today).toMatchObject({ current: 1, asked: 3, late: 2 });
    const report = await courseReport(house.db, course, ReportQuery.parse({}), house.clock.at);
    expect([report.finishedPeople, report.counts.finished, report.counts.late]).toEqual([2, 2, 2]);
  });
  it('a picker counts the people that it chooses', async () => {
    const { departments } = await peopleFacets(house.db, TODAY);
    for (const { name, people } of departments)
      expect((await listPeople(house.db, PeopleQuery.parse({ department: name }), house.clock.at, TODAY)).total).toBe(people);
    expect(departments.find(({ name }) => name === 'Deck')!.people).toBe(3);
  });
  it('a manager’s team leaves out who left, in its list and in its count', async () => {
    const team = await teamOf(house.db, crew['odd']!, house.clock.at, TODAY);
    expect([team.people, team.rows.length]).toEqual([1, 0]);
  });
  it('are drawn as they were: in progress is who had begun', async () => {
    const point = (await overTime(house.db, course, house.clock.at)).points.at(-1);
    expect(point).toEqual({ day: '2027-03-08', finished: 2, started: 0, waiting: 0, late: 2 });
  });
});

describe('today', () => {
  it('nobody falls silent after the last notice: it says who is late with nothing more planned', async () => {
    await house.db.query("update notices set state = 'cancelled', try_at = null where state = 'planned'");
    const silent = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'silent');
    expect(silent).toEqual([
      { kind: 'silent', label: 'Silent', words: '2 people are late on Fire Teams Aboard, and nothing more is planned: no notice follows by itself.', act: { label: 'Show the 2', link: `/matrix/${course}?state=silent`, does: null } },
    ]); // prettier-ignore
    // and that shows two
    expect((await courseReport(house.db, course, ReportQuery.parse({ state: 'silent' }), house.clock.at)).rows).toHaveLength(2);
  });
  it('says what runs out without anybody asking for it again', async () => {
    await house.db.query("update certificates set expires_on = '2027-03-20'");
    const expiring = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'expiring').map(({ words }) => words);
    expect(expiring).toEqual(['What Runa Aske holds of Fire Teams Aboard runs out, on 20 Mar 2027, and no requirement renews it.']);
  });
});

it('a course that grows makes nobody “2 of 3, finished”', async () => {
  await republish(house, course, (content) => {
    const { units, ...section } = content.sections[0]!;
    const more = { ...units[0]!, id: null, title: 'Third' };
    return {
      ...content,
      sections: [
        { ...section, units: [...units, more] },
        { id: null, title: 'Empty', units: [] },
      ],
    };
  });
  expect(await listAssignmentLines(house.db, crew['runa']!, house.clock.at, TODAY)).toMatchObject([{ state: 'finished', unitsDone: 2, unitsRequired: 2 }]); // prettier-ignore
  expect(await listAssignmentLines(house.db, crew['odd']!, house.clock.at, TODAY)).toMatchObject([{ unitsDone: 0, unitsRequired: 3 }]);
  // and a section with nothing in it is nothing to an employee
  const link = await linkInto(house, ids['odd']!);
  expect((await findLearning(house.deps, link)).sections.map(({ title }) => title)).toEqual(['One']);
});

it.each([
  ['2027-03-01T09:30:00Z', 'Europe/Oslo', '2027-03-01 10:30 +01:00'],
  ['2027-06-30T22:30:00Z', 'Europe/Oslo', '2027-07-01 00:30 +02:00'],
  ['2027-01-05T02:00:00Z', 'America/St_Johns', '2027-01-04 22:30 -03:30'],
])('%s in %s stands in a file as %s', (iso, zone, words) => expect(written(iso, Zone.of(zone))).toBe(words));

it('are counted anew where they were found astray, or rows came in without triggers', async () => {
  const client = await house.db.connect();
  await client.query('set session_replication_role = replica');
  await client.query("update notices set state = 'skipped' where id in (select id from notices where state = 'planned' limit 3)");
  await client.query("update assignments set due_at = due_at + interval '3 days' where closed_by is null");
  await client.query('delete from certificates');
  await client.query('update figures set count = count + 7');
  await client.query('delete from notice_sums');
  await client.query('set session_replication_role = origin');
  client.release();
  expect((await house.db.query('select * from figures_astray() limit 1')).rowCount).toBe(1);
  await house.db.query('select recount_figures()');
  expect((await house.db.query('select * from figures_astray() limit 1')).rowCount).toBe(0);
});
