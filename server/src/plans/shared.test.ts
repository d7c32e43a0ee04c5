import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { savePlanDraft } from './draft.ts';
import { previewPlan, publishPlan } from './publish.ts';
import { findFollowed, followPlan, listFollowers } from './shared.ts';

let house: TestHouse;
let crew: Record<string, string>;
let fire: string;
let cash: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  fire = await makeCourse(house, crew['tora']!);
  cash = await makeCourse(
    house,
    crew['tora']!,
    STANDARD_PLAN.filter(({ id }) => id !== 'onboarding'),
    'Cash',
  );
  await assignAt(house, cash, [crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
  await assignAt(house, fire, [crew['runa']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());

const follow = (course: string, follows: string | null) => followPlan(house.deps, course, { follows }, 'Sigrid Aune');
const planned = async (course: string): Promise<Record<string, number>> =>
  Object.fromEntries(
    (
      await rows<{ step_id: string; count: number }>(
        house.db,
        "select step_id, count(*)::integer as count from notices where course_id = $1::bigint and state = 'planned' group by 1",
        [course],
      )
    ).map((row) => [row.step_id, row.count]),
  );
const without = (id: string): PlanStep[] => STANDARD_PLAN.filter((step) => step.id !== id);
const version = async (course: string): Promise<number> =>
  (await rows<{ version: number }>(house.db, 'select version from plans where course_id = $1::bigint', [course]))[0]!.version;

describe('one plan for several courses', () => {
  it('who goes by it has its steps at once, and each version that is published there', async () => {
    expect((await planned(cash))['onboarding']).toBeUndefined();
    expect(await follow(cash, fire)).toEqual({ version: 2 });
    await drain(house.deps, house.mailer);
    expect((await planned(cash))['onboarding']).toBe(2);
    expect(await findFollowed(house.db, cash)).toMatchObject({ title: 'Fire Teams Aboard' });
    expect(await listFollowers(house.db, fire)).toMatchObject([{ title: 'Cash', open: 2 }]);
    const draft = { version: 1, steps: without('late'), note: 'once is enough' };
    expect((await previewPlan(house.deps, fire, draft as never)).followers).toMatchObject([
      { course: { title: 'Cash' }, open: 2, added: 0, dropped: 8 },
    ]);
    await publishPlan(house.deps, fire, draft as never, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    expect([(await planned(fire))['late'], (await planned(cash))['late']]).toEqual([undefined, undefined]);
    expect(
      await rows(house.db, 'select note from plan_versions where course_id = $1::bigint order by version desc limit 1', [cash]),
    ).toEqual([{ note: 'once is enough' }]);
  });

  it('a plan of its own again begins with the same steps, and goes its own way', async () => {
    await follow(cash, fire);
    await follow(cash, null);
    expect(await version(cash)).toBe(2);
    await publishPlan(house.deps, fire, { version: 1, steps: without('late') } as never, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    expect((await planned(cash))['late']).toBe(8);
  });

  it('is written where it belongs: not in a course that goes by another one', async () => {
    await follow(cash, fire);
    const words = 'This course goes by the plan of Fire Teams Aboard. Give it a plan of its own first; nothing was changed.';
    await expect(publishPlan(house.deps, cash, { version: 2, steps: without('late') } as never, 'Tora')).rejects.toThrow(words);
    const draft = { version: 2, written: 0, save: '00000000-0000-4000-8000-000000000001', steps: without('late') };
    await expect(savePlanDraft(house.deps, cash, draft as never, 'Tora')).rejects.toThrow(words);
  });

  it('does not share steps that speak of units, neither before nor after', async () => {
    const [unit] = await rows<{ id: string }>(
      house.db,
      'select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint limit 1',
      [fire],
    );
    const own: PlanStep[] = [
      ...STANDARD_PLAN,
      { ...STANDARD_PLAN[1]!, id: 'own', name: 'Own', anchor: { event: 'unit-finished', unit: unit!.id } },
    ];
    await follow(cash, fire);
    await expect(publishPlan(house.deps, fire, { version: 1, steps: own } as never, 'Tora')).rejects.toThrow(
      'Other courses go by this plan: “Own” speaks of units of one course, which other courses do not have. Nothing was published.',
    );
    await follow(cash, null);
    await publishPlan(house.deps, fire, { version: 1, steps: own } as never, 'Tora');
    await expect(follow(cash, fire)).rejects.toThrow('The plan of Fire Teams Aboard cannot be shared: “Own” speaks of units');
  });

  it('makes no chains and no rings, and goes over nobody’s draft', async () => {
    await expect(follow(fire, fire)).rejects.toThrow('A course cannot go by its own plan.');
    await follow(cash, fire);
    await expect(follow(fire, cash)).rejects.toThrow('Cash goes by the plan of Fire Teams Aboard itself; choose that one.');
    const third = await makeCourse(house, crew['tora']!, STANDARD_PLAN, 'Ropes');
    await expect(follow(third, cash)).rejects.toThrow('Cash goes by the plan of Fire Teams Aboard itself');
    await expect(follow(fire, third)).rejects.toThrow('Cash goes by the plan of this course, so it cannot go by another one.');
    const draft = { version: 1, written: 0, save: '00000000-0000-4000-8000-000000000001', steps: without('late') };
    await savePlanDraft(house.deps, third, draft as never, 'Tora Aske');
    await expect(follow(third, fire)).rejects.toThrow('Tora Aske has a draft of this plan that is not published');
    await expect(follow(third, '99999')).rejects.toThrow('There is no such plan');
  });

  it('two that want to go by each other in one moment: one does', async () => {
    const both = await Promise.allSettled([follow(cash, fire), follow(fire, cash)]);
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  });
});
