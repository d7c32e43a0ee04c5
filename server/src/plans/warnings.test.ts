import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { previewAssign } from '../assignments/preview.ts';
import { transaction } from '../db/db.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { putPlan } from './plans.repo.ts';
import { previewPlan } from './publish.ts';
import { watchPlans } from './warnings.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

const steps = (change: Partial<PlanStep>): PlanStep[] =>
  STANDARD_PLAN.map((step) => (step.id === 'two-days-to-go' ? { ...step, name: 'Soon', ...change } : step));
const early = steps({ offset: { amount: -30, unit: 'days' } });
const said = { message: { subject: 'Due in two days', body: 'It is due in two days.', button: null } };
const put = (version: number, list: PlanStep[]) =>
  transaction(house.db, (client) => putPlan(client, course, version, house.clock.at, 'Tora Aske', list));
const watch = async (): Promise<number> => {
  let seen = 0;
  while (await watchPlans(house.deps)) seen += 1;
  return seen;
};

describe('what is to be known of a plan', () => {
  it('names the people it is about in the preview of a draft, with what mends it', async () => {
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    const { found } = await previewPlan(house.deps, course, { version: 1, steps: early } as never);
    expect(found).toMatchObject([
      {
        kind: 'before-assignment',
        stepName: 'Soon',
        count: 2,
        people: [{ name: 'Runa Aske' }, { name: 'Per Aske' }],
        mend: { words: 'Move it to 18 days before due' },
      },
    ]);
    const mended = steps(found[0]!.mend!.change as Partial<PlanStep>);
    expect((await previewPlan(house.deps, course, { version: 1, steps: mended } as never)).found).toEqual([]);
  });

  it('is told before somebody is assigned', async () => {
    await put(2, early);
    const request = {
      courseId: course,
      personIds: [crew['runa']!],
      departments: [],
      sites: [],
      groups: [],
      dueOn: '2027-03-19',
      dueTime: '17:00',
    };
    expect((await previewAssign(house.deps, request as never)).found).toMatchObject([{ kind: 'before-assignment', count: 1 }]);
  });

  it('of plans in force is looked at when they change and each day, and stands on Today', async () => {
    expect(await watch()).toBe(1);
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'plan')).toEqual([]);
    await put(2, steps({ ...said, offset: { amount: -72, unit: 'hours' } }));
    expect(await watch()).toBe(1);
    expect(await watch()).toBe(0);
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'plan')).toMatchObject([
      {
        words: 'Fire Teams Aboard: “Soon” says “in two days”, and it goes 72 hours before.',
        act: { label: 'Mend it', link: `/plans/${course}?step=two-days-to-go` },
      },
    ]);
    // a field in a part that only some read: of those who read it somebody lacks it
    await assignAt(house, course, [crew['runa']!, crew['kari']!], '2027-03-19T16:00:00Z');
    const p = (...content: object[]) => ({ type: 'paragraph', content });
    const field = { type: 'field', attrs: { name: 'manager', fallback: null } };
    const part = { type: 'part', attrs: { onlyIf: { line: [crew['odd']!] } }, content: [p(field)] };
    const written = (onlyIf: object) => steps({ message: { subject: 'Soon', body: { type: 'doc', content: [p({ type: 'text', text: 'Hello.' }), { ...part, attrs: { onlyIf } }] }, button: null } as never }); // prettier-ignore
    await put(3, written({ job: ['Captain'] }));
    await watch();
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'plan')).toEqual([]);
    await put(4, written({ not: { line: [crew['odd']!] } }));
    await watch();
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'plan').map(({ words }) => words)).toEqual([
      'Fire Teams Aboard: “Soon” would have a gap for Kari Aske and is held then: a part that they read prints {manager}, which has no value.',
    ]);
    // what was seen of a former version says nothing of this one
    await put(5, [...STANDARD_PLAN]);
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'plan')).toEqual([]);
    house.clock.at += 86_400_000;
    expect(await watch()).toBe(1);
  });
});
