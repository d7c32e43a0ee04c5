import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { CompletionsRequest } from '@nudrik/contract';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { publishPlan, previewPlan } from '../plans/publish.ts';
import { rows } from '../db/db.ts';
import { addLeave } from '../people/leave.ts';
import { changePerson } from '../people/change.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listActs, undoAct } from './acts.ts';
import { assign, close, extend } from './change.ts';
import { recordCompletions } from './completions.ts';
import { previewAssign } from './preview.ts';

/** What an act by hand sends, when, and what becomes of what was held when it is taken back. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

const request = (who: string[], dueOn = '2027-03-19') => ({ courseId: course, personIds: who.map((name) => crew[name]!), departments: [], sites: [], groups: [], dueOn, dueTime: '17:00' }); // prettier-ignore
const play = async (until: string): Promise<void> => {
  const end = Date.parse(until);
  for (;;) {
    await drain(house.deps, house.mailer);
    const [next] = await rows<{ at: Date | null }>(house.db, 'select min(try_at) as at from notices where try_at > $1::timestamptz', [new Date(house.clock.at)]); // prettier-ignore
    if (!next?.at || next.at.getTime() > end) break;
    house.clock.at = next.at.getTime();
  }
  house.clock.at = end;
};
const ledger = async (): Promise<string[]> =>
  (await rows<{ step_id: string; state: string; at: Date; because: string | null; held_because: string | null }>(house.db, 'select step_id, state, at, because, held_because from notices order by at, id')).map(
    (n) => [n.step_id, n.at.toISOString().slice(5, 16), n.state, n.because ?? (n.state === 'held' ? n.held_because : null)].filter(Boolean).join(' '),
  ); // prettier-ignore
const one = async (): Promise<string> => (await rows<{ id: string }>(house.db, 'select id from assignments order by id'))[0]!.id;

describe('an act by hand settles', () => {
  it('what it sends waits, and is never sent where it is taken back in that time', async () => {
    const done = await assign(house.deps, request(['runa']), 'Sigrid Aune');
    expect(done).toMatchObject({ settlesAt: '2027-03-01T09:40:00.000Z', undoUntil: '2027-03-01T09:40:00.000Z' });
    await play('2027-03-01T09:39:00Z');
    expect(house.mailer.letters).toEqual([]);
    expect((await listActs(house.db, house.clock.at))[0]).toMatchObject({ settlesAt: new Date('2027-03-01T09:40:00Z') });
    await undoAct(house.deps, done.actId!, 'Sigrid Aune');
    await play('2027-03-03T12:00:00Z');
    expect([house.mailer.letters, (await listActs(house.db, house.clock.at))[0]!.undoUntil]).toEqual([[], null]);
  });
  it('goes when it has settled; from then on it cannot be taken back, and that is not offered', async () => {
    const { actId } = await assign(house.deps, request(['runa']), 'Sigrid Aune');
    await play('2027-03-01T09:40:00Z');
    expect(house.mailer.letters.map(({ subject }) => subject)).toEqual(['Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00']);
    expect((await listActs(house.db, house.clock.at))[0]!.undoUntil).toBeNull();
    await expect(undoAct(house.deps, actId!, 'Sigrid Aune')).rejects.toThrow('“Invitation” to Runa Aske went out because of this');
  });
  it('at once where the house says so', async () => {
    await house.db.query('update settings set settle_minutes = 0');
    expect((await assign(house.deps, request(['runa']), 'Sigrid Aune')).settlesAt).toBeNull();
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters).toHaveLength(1);
  });
  it('nobody’s night is broken: an invitation of the evening goes in the morning', async () => {
    house.clock.at = Date.parse('2027-03-01T20:00:00Z');
    await assign(house.deps, request(['runa']), 'Sigrid Aune');
    await play('2027-03-02T06:59:00Z');
    expect(house.mailer.letters).toEqual([]);
    await play('2027-03-02T07:00:00Z');
    expect(house.mailer.letters).toHaveLength(1);
  });
});

describe('extensions', () => {
  it.each([[['first', 'second']], [['second', 'first']]] as const)(
    'both taken back, the %s first: one due date everywhere',
    async (order) => {
      await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
      await drain(house.deps, house.mailer);
      const more = async (dueOn: string) => (await extend(house.deps, { assignmentIds: [await one()], dueOn, dueTime: '17:00', reason: 'x' }, 'A')).actId!; // prettier-ignore
      const acts = { first: await more('2027-04-09'), second: await more('2027-05-07') };
      await drain(house.deps, house.mailer);
      if (order[0] === 'first') {
        // another stands on it: that one first
        await expect(undoAct(house.deps, acts.first, 'A')).rejects.toThrow('was changed after this (extended)');
        return;
      }
      for (const which of order) await undoAct(house.deps, acts[which], 'A');
      await drain(house.deps, house.mailer);
      const [row] = await rows<{ due_at: Date; first_due_at: Date }>(house.db, 'select due_at, first_due_at from assignments');
      expect(row!.due_at).toEqual(row!.first_due_at);
      expect((await ledger()).filter((line) => line.startsWith('two-days') && line.includes('planned'))).toEqual([
        'two-days-to-go 03-17T16:00 planned',
      ]);
      // what hung on the dates that were taken back says so, and not that the plan was changed
      expect(await rows(house.db, "select distinct because from notices where state = 'cancelled'")).toEqual([{ because: 'undone' }]);
    },
  );
  it('taken back, what was held is held as it was, and nothing of it is decided anew', async () => {
    await addLeave(house.deps, crew['runa']!, { from: '2027-03-02', to: '2027-03-19', coverId: null }, 'A');
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-18T12:00:00Z');
    const before = (await ledger()).filter((line) => line.includes('held'));
    expect(before).toEqual(['onboarding 03-22T08:00 held leave', 'two-days-to-go 03-22T16:00 held leave']);
    const { actId } = await extend(house.deps, { assignmentIds: [await one()], dueOn: '2027-04-09', dueTime: '17:00', reason: 'x' }, 'A');
    await drain(house.deps, house.mailer);
    house.clock.at += 5 * 60_000;
    await undoAct(house.deps, actId!, 'A');
    await drain(house.deps, house.mailer);
    expect((await ledger()).filter((line) => line.includes('held'))).toEqual(before);
  });
});

describe('publishing a plan', () => {
  it('decides nothing that is held anew, unless the change set says so', async () => {
    const lacks: PlanStep = { ...STANDARD_PLAN[1]!, message: { ...STANDARD_PLAN[1]!.message, body: 'Code {course code}' } };
    await house.db.query('update plans set steps = $1::jsonb', [JSON.stringify([STANDARD_PLAN[0], lacks])]);
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-04T12:00:00Z');
    expect((await ledger())[1]).toBe('onboarding 03-03T08:00 held missing-value');
    const version = async (): Promise<number> => (await rows<{ version: number }>(house.db, 'select version from plans'))[0]!.version;
    await publishPlan(house.deps, course, { version: await version(), steps: [STANDARD_PLAN[0], lacks] as never }, 'A');
    await drain(house.deps, house.mailer);
    expect((await ledger())[1]).toBe('onboarding 03-03T08:00 held missing-value');
    const mended = { version: await version(), steps: [STANDARD_PLAN[0], STANDARD_PLAN[1]] as never };
    expect((await previewPlan(house.deps, course, mended)).changes).toEqual([
      { person: 'Runa Aske', stepName: 'Getting started', what: 'decided anew', from: 'held for a value', to: 'its text is another one' },
    ]);
    await publishPlan(house.deps, course, mended, 'A');
    await drain(house.deps, house.mailer);
    expect((await ledger())[1]).toBe('onboarding 03-03T08:00 sent');
  });
});

describe('a completion that is recorded', () => {
  const record = async (on: string) => recordCompletions(house.deps, CompletionsRequest.parse({ text: `person;course;finished on\nruna@orlasund.example;Fire Teams Aboard;${on}\n`, reason: 'old register' }), 'A'); // prettier-ignore
  it('of yesterday brings no certificate, and its notice is not held for one: it says why', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-04T09:00:00Z');
    await record('2027-03-04');
    await play('2027-03-05T12:00:00Z');
    const [notice] = await rows<{ state: string; because: string; sentence: string }>(house.db, "select state, because, sentence from notices where step_id = 'certificate'"); // prettier-ignore
    expect(notice).toMatchObject({ state: 'skipped', because: 'no-certificate' });
    expect(notice!.sentence).toContain('recorded as finished on 4 Mar 2027, and Nudrik issued no certificate');
  });
});

describe('after a change of manager', () => {
  it('what is planned is addressed to the new one, and says so', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z');
    await drain(house.deps, house.mailer);
    const to = async () => (await rows<{ recipient_name: string }>(house.db, "select recipient_name from notices where step_id = 'to-manager'"))[0]!.recipient_name; // prettier-ignore
    expect(await to()).toBe('Odd Aske');
    await changePerson(house.deps, crew['runa']!, { managerId: crew['kari']! }, 'A');
    await drain(house.deps, house.mailer);
    expect(await to()).toBe('Kari Aske');
  });
});

describe('the preview of assigning', () => {
  it('counts messages, not notices; says what goes at any hour, and by what the ledger may differ', async () => {
    const preview = await previewAssign(house.deps, request(['runa', 'per']));
    const toManager = preview.people
      .flatMap(({ notices }) => notices)
      .filter(({ step, outcome }) => step === 'to-manager' && outcome === 'send');
    expect(toManager).toHaveLength(2);
    const sends = preview.people.flatMap(({ notices }) => notices).filter(({ outcome }) => outcome === 'send').length;
    // both are in one mail to their manager
    expect(preview.mails).toBe(sends - 1);
    expect(preview.warnings.join('\n')).toMatch(
      /“Two days to go” .*at the exact moment[\s\S]*wait 10 minutes[\s\S]*limit of 3 messages a day/,
    );
  });
  it('says whom a requirement asks for an earlier date, and who holds it already', async () => {
    const { id } = await addRequirement(house.deps, { name: 'All by June', courseId: course, audience: { number: ['OF-9'] }, due: { kind: 'date', on: '2027-06-01' }, dueTime: '17:00', graceDays: 7, creditMonths: 0, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask' }, 'A'); // prettier-ignore
    await switchOn(house.deps, id, 1, 'A');
    await house.db.query("update people set personnel_number = 'OF-9' where id = $1::bigint", [crew['runa']]);
    const preview = await previewAssign(house.deps, request(['runa', 'per'], '2027-06-26'));
    expect(preview.people.map(({ name, due, note }) => [name, due, note])).toEqual([
      ['Per Aske', 'Sat 26 Jun 17:00', null],
      ['Runa Aske', 'Tue 1 Jun 17:00', '“All by June” asks for it by then already'],
    ]);
    await recordCompletions(house.deps, CompletionsRequest.parse({ text: 'person;course;finished on\nper@orlasund.example;Fire Teams Aboard;2027-02-01\n', reason: 'x' }), 'A'); // prettier-ignore
    expect((await previewAssign(house.deps, request(['per']))).covered).toEqual([
      { id: crew['per'], name: 'Per Aske', words: 'finished it on 1 Feb 2027' },
    ]);
  });
});

it('a closing names its reason for the record, and what the employee is told apart', async () => {
  await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
  await close(
    house.deps,
    'waived',
    { assignmentIds: [await one()], reason: 'asked her doctor', told: 'You need not take it this year.', until: null },
    'A',
  );
  expect(await rows(house.db, 'select closed_reason, closed_told from assignments')).toEqual([{ closed_reason: 'asked her doctor', closed_told: 'You need not take it this year.' }]); // prettier-ignore
});
