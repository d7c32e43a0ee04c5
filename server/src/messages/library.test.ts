import { afterAll, beforeAll, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { messageLibrary, messageVersions } from './library.ts';

let house: TestHouse;
let fire: string;
let cash: string;
beforeAll(async () => {
  house = await openTestHouse();
  const crew = await makeCrew(house);
  [fire, cash] = [await makeCourse(house, crew['tora']!), await makeCourse(house, crew['tora']!, undefined, 'Cash')];
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await assignAt(house, fire, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());

const saying = (body: string, rest: Partial<PlanStep> = {}): PlanStep[] =>
  STANDARD_PLAN.map((step) => (step.id === 'two-days-to-go' ? { ...step, ...rest, message: { ...step.message, body } } : step));
const publish = (version: number, steps: PlanStep[], note: string) => publishPlan(house.deps, fire, { version, steps, note } as never, 'Sigrid Aune'); // prettier-ignore

it('has every message of plans in force, with whether it goes and how often', async () => {
  const list = await messageLibrary(house.db, '2027-03-01');
  expect(list).toHaveLength(2 * STANDARD_PLAN.length);
  const of = (course: string, step: string) => list.find((one) => one.course.id === course && one.step.id === step)!;
  expect(of(fire, 'two-days-to-go')).toMatchObject({ course: { title: 'Fire Teams Aboard' }, step: { name: 'Two days to go', on: true }, next28: 2, isFollowing: false }); // prettier-ignore
  expect(of(cash, 'two-days-to-go').next28).toBe(0);
  await house.db.query("update courses set state = 'retired' where id = $1", [cash]);
  expect((await messageLibrary(house.db, '2027-03-01')).every(({ course }) => course.id === fire)).toBe(true);
});

it('tells what a step said before: each text once, with the version that brought it', async () => {
  await publish(1, saying('Second.'), 'Shorter');
  await publish(2, saying('Second.', { on: false }), 'Off in summer');
  await publish(3, saying('Third.', { on: false }), 'Again');
  expect((await messageVersions(house.db, fire, 'two-days-to-go')).map(({ version, note, publishedBy, message }) => [version, note, publishedBy, String(message.body).slice(0, 7)])).toEqual([
    [4, 'Again', 'Sigrid Aune', 'Third.'],
    [2, 'Shorter', 'Sigrid Aune', 'Second.'],
    [1, null, expect.anything(), 'Hello {'],
  ]); // prettier-ignore
  expect(await messageVersions(house.db, fire, 'nothing')).toEqual([]);
});
