import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import request from 'supertest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { createApp } from '../app.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { rows } from '../db/db.ts';
import { drain } from '../worker.ts';
import { dropPlanDraft, savePlanDraft } from './draft.ts';
import { findPlan, findVersion, listChoices, listPlans, listVersions } from './plans.repo.ts';
import { previewPlan, publishPlan } from './publish.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, [crew['runa']!, crew['kari']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());
const draft = (version: number, change: (step: PlanStep) => PlanStep = (step) => step, note?: string) => ({ version, steps: STANDARD_PLAN.map(change), note }) as never; // prettier-ignore
const off = (step: PlanStep): PlanStep => (step.id === 'late' ? { ...step, on: false } : step);

describe('versions of a plan', () => {
  it('are kept with who, when and why, and brought back as what they were', async () => {
    await publishPlan(house.deps, course, draft(1, off, 'Nobody is late in winter'), 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    const late = async () => (await rows<{ state: string }>(house.db, "select state from notices where step_id = 'late'")).map(({ state }) => state); // prettier-ignore
    expect(new Set(await late())).toEqual(new Set(['cancelled']));
    expect(await listVersions(house.db, course)).toMatchObject([
      { version: 2, publishedBy: 'Sigrid Aune', note: 'Nobody is late in winter', steps: 6, on: 5 },
      { version: 1, publishedBy: 'Tora Aske', note: null, steps: 6, on: 6 },
    ]);
    const first = (await findVersion(house.db, course, 1))!;
    expect(await previewPlan(house.deps, course, { version: 2, steps: first } as never)).toMatchObject({ dropped: 0, added: 8, moved: 0 });
    await publishPlan(house.deps, course, { version: 2, steps: first } as never, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    expect(new Set(await late())).toEqual(new Set(['planned']));
    expect((await findPlan(house.db, course, '2027-03-01'))!.version).toBe(3);
    await expect(publishPlan(house.deps, course, draft(2), 'x')).rejects.toThrow('Version 3 of this plan was published');
  });

  it('what is switched off shows when it would go if it were on, and moves nothing', async () => {
    const { people, added, dropped } = await previewPlan(house.deps, course, draft(3, off));
    expect([added, dropped]).toEqual([0, 8]);
    for (const { notices } of people) expect(notices.filter(({ step }) => step === 'late').map(({ outcome }) => outcome)).toEqual(Array(4).fill('send')); // prettier-ignore
  });

  it('a draft is kept, sends nothing, is refused over a newer one, and ends with publishing', async () => {
    const steps = STANDARD_PLAN.map(off);
    const save = (written: number, key = randomUUID(), by = 'Sigrid Aune') => savePlanDraft(house.deps, course, { version: 3, written, save: key, steps } as never, by); // prettier-ignore
    const key = randomUUID();
    expect(await save(0, key)).toMatchObject({ written: 1 });
    // its answer was lost: it comes again, and is done once
    expect(await save(0, key)).toMatchObject({ written: 1 });
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, "select 1 from notices where step_id = 'late' and state = 'planned'")).toHaveLength(8);
    await expect(save(0, randomUUID(), 'Tora Aske')).rejects.toThrow('Sigrid Aune kept a draft of this plan on Mon 1 Mar 10:30, while you worked on yours.'); // prettier-ignore
    expect((await findPlan(house.db, course, '2027-03-01'))!.draft).toMatchObject({ version: 3, written: 1, savedBy: 'Sigrid Aune' });
    expect((await listPlans(house.db, '2027-03-01'))[0]!.draft).toMatchObject({ savedBy: 'Sigrid Aune' });
    await expect(publishPlan(house.deps, course, { version: 3, steps, written: 0 } as never, 'Tora Aske')).rejects.toThrow('Sigrid Aune kept a draft'); // prettier-ignore
    await expect(dropPlanDraft(house.deps, course, { written: 7 })).rejects.toThrow('Sigrid Aune kept a draft');
    await publishPlan(house.deps, course, { version: 3, steps, written: 1 } as never, 'Sigrid Aune');
    expect((await findPlan(house.db, course, '2027-03-01'))!).toMatchObject({ version: 4, draft: null });
    await expect(save(1)).rejects.toThrow('was published or dropped by somebody else meanwhile');
    await save(0);
    expect(await dropPlanDraft(house.deps, course, { written: 1 })).toEqual({ written: 0 });
    expect(await dropPlanDraft(house.deps, course, { written: 1 })).toEqual({ written: 0 });
  });

  it('offers what its steps choose from', async () => {
    const choices = await listChoices(house.db, course);
    expect(choices.units.map(({ title, kind }) => [title, kind])).toEqual([['First', 'page'], ['Second', 'page']]); // prettier-ignore
    expect([choices.sections.length, choices.departments.some(({ name }) => name === 'Office'), choices.courses.some(({ id }) => id === course)]).toEqual([1, true, true]); // prettier-ignore
  });

  it('is asked for by who may, and told what is not there', async () => {
    const app = createApp(house.deps, null);
    await request(app).get(`/api/plans/${course}/versions`).expect(401);
  });

  it.each<[string, (step: PlanStep) => PlanStep, RegExp]>([
    ['nobody that is known', (step) => ({ ...step, to: ['everyone'] }), /it goes to “everyone”; expected employee/],
    ['a section without one', (step) => ({ ...step, anchor: { event: 'section-finished' } }), /needs a section/],
  ])('refuses a step to %s', async (_, change, words) => {
    const { faults } = await previewPlan(
      house.deps,
      course,
      draft(3, (step) => (step.id === 'late' ? change(step) : step)),
    );
    expect(faults.map(({ message }) => message).join()).toMatch(words);
  });
});
