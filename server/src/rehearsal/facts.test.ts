import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { forward, PLAINLY, rehearse, STANDARD_PLAN, type RehearsalFacts } from '@nudrik/core';
import { close, extend } from '../assignments/change.ts';
import { record } from '../assignments/record.ts';
import { transaction } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { makeHold } from '../holding/holding.ts';
import { actOnNotice } from '../notices/by-hand.ts';
import { loadFacts } from '../notices/facts.ts';
import { missingIn } from '../messages/compose.ts';
import { savePlanDraft } from '../plans/draft.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { rehearsalFacts } from './facts.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
const DAY = 86_400_000;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());
/** as it comes to a worker in a browser */
const facts = async (of: string | null = course): Promise<RehearsalFacts> =>
  JSON.parse(JSON.stringify(await rehearsalFacts(house.deps, of))) as RehearsalFacts;

describe('what a rehearsal in the browser looks at', () => {
  it('gives the very lines that the sender’s own facts give: leave, a hold, an extension, somebody who finished', async () => {
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-15', '2027-03-24')", [crew['per']]);
    await extend(house.deps, { assignmentIds: [ids[2]!], dueOn: '2027-03-25', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune');
    await transaction(house.db, (client) => record(client, [{ assignment: ids[0]!, event: { type: 'unit-finished', at: house.clock.at, unit: '1' } }], { byWhom: 'Runa' })); // prettier-ignore
    await makeHold(house.deps, { scope: 'person', of: crew['odd']!, until: '2027-03-24', reason: 'dry dock' }, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    const shown = forward(await facts(), { ...PLAINLY, days: 60 }, () => true);
    const own = await loadFacts(house.db, await getHouse(house.db), ids);
    const plan = own.plans.get(course)!;
    const lines = rehearse({
      from: house.clock.at,
      until: shown.supposed.until,
      roster: own.roster,
      plans: [{ course, publishedAt: plan.publishedAt, steps: plan.steps }],
      assignments: [...own.assignments.values()],
      withHeld: true,
      ledger: shown.supposed.ledger!,
      missingOf: missingIn(own, { baseUrl: '', certificates: new Map(), told: new Map() }),
    }).filter(({ outcome }) => outcome !== 'wait');
    expect(lines.length).toBeGreaterThan(15);
    expect(shown.lines).toEqual(lines);
    expect(shown.lines.some(({ held }) => held === 'on-hold') && shown.lines.some(({ held }) => held === 'leave')).toBe(true);
  });

  it('what went stays as it went: leave that was entered later sends nothing again, and what was skipped by hand stays skipped', async () => {
    house.clock.at = Date.parse('2027-03-03T09:00:00Z');
    await drain(house.deps, house.mailer); // “Getting started” went to all three
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-01', '2027-03-10')", [crew['per']]);
    const [reminder] = (await house.db.query<{ id: string }>("select id from notices where step_id = 'two-days-to-go' and person_id = $1::bigint", [crew['runa']])).rows; // prettier-ignore
    await actOnNotice(house.deps, reminder!.id, { what: 'skip' }, 'Sigrid Aune');
    const { lines } = forward(await facts(), PLAINLY);
    expect(lines.filter(({ step }) => step === 'onboarding')).toEqual([]);
    const reminded = lines.filter(({ step, outcome }) => step === 'two-days-to-go' && outcome === 'send');
    expect(new Set(reminded.map(({ person }) => person))).toEqual(new Set([crew['per'], crew['odd']]));
  });

  it('lets nobody act for anybody: no personal link is in it', async () => {
    const text = JSON.stringify(await facts());
    const { rows } = await house.db.query<{ token: string }>('select token from assignments union select team_token from people where team_token is not null'); // prettier-ignore
    expect(rows.length).toBeGreaterThan(2);
    for (const { token } of rows) expect(text).not.toContain(token);
  });

  it('knows the draft of a plan, and changes nothing by being looked at', async () => {
    const steps = STANDARD_PLAN.filter(({ id }) => id !== 'onboarding');
    await savePlanDraft(
      house.deps,
      course,
      { steps, version: 1, written: 0, save: '00000000-0000-4000-8000-000000000001' } as never,
      'Tora',
    );
    const found = await facts();
    expect(found.plans).toMatchObject([{ course, title: 'Fire Teams Aboard', draft: [{}, {}, {}, {}, {}] }]);
    expect(forward(found, { ...PLAINLY, withDraft: true }).lines.some(({ step }) => step === 'onboarding')).toBe(false);
    expect(house.mailer.letters).toHaveLength(3);
  });

  it('tells how fast people were: shares of their time, and how many never finished', async () => {
    await transaction(house.db, (client) => record(client, [{ assignment: ids[0]!, event: { type: 'finished', at: house.clock.at + 9 * DAY } }], { byWhom: 'Runa' })); // prettier-ignore
    house.clock.at += 40 * DAY;
    const { pace } = await facts();
    expect(pace[course]).toEqual({ shares: [expect.closeTo(0.493, 1)], never: 67 });
  });

  it('of all that is live; closed ones only while something of theirs is to come', async () => {
    await close(house.deps, 'waived', { assignmentIds: [ids[0]!], reason: 'on shore', until: null }, 'Sigrid Aune');
    house.clock.at += DAY;
    await drain(house.deps, house.mailer);
    const all = await facts(null);
    expect(all.plans.map(({ title }) => title)).toEqual(['Fire Teams Aboard']);
    expect(all.assignments.map(({ id }) => id)).toEqual(ids.slice(1));
    expect(all.leftOut).toBe(0);
    await expect(rehearsalFacts(house.deps, '99999')).rejects.toThrow('There is no such plan, or not any more.');
  });
});
