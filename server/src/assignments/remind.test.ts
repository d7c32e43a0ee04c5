import { randomUUID } from 'node:crypto';
import { afterAll, beforeEach, describe, expect, it, test } from 'vitest';
import { HAND_TEXT } from '@nudrik/core';
import { RemindRequest } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { changePerson } from '../people/change.ts';
import { findPlan } from '../plans/plans.repo.ts';
import { previewPlan, publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listActs, undoAct } from './acts.ts';
import { close, extend } from './change.ts';
import { previewRemind, remind } from './remind.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse('2027-02-22T08:00:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, [crew['runa']!, crew['kari']!], '2027-03-26T16:00:00Z');
  // a Wednesday, when only the welcome and the beginning went
  for (const at of ['2027-02-22T09:00:00Z', '2027-02-24T12:00:00Z', '2027-03-03T10:00:00Z']) await play(at);
  house.mailer.letters = [];
});
afterAll(() => house.close());

const play = async (at?: string): Promise<void> => {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
};
const assignments = async (): Promise<string[]> => (await rows<{ id: string }>(house.db, 'select id from assignments order by id')).map(({ id }) => id); // prettier-ignore
const request = async (rest: object = {}): Promise<RemindRequest> => RemindRequest.parse({ assignmentIds: 'underWay' in rest ? [] : await assignments(), message: HAND_TEXT, key: randomUUID(), ...rest }); // prettier-ignore
const letters = (): string[] => house.mailer.letters.map(({ toAddress, subject }) => `${toAddress.split('@')[0]}: ${subject}`).sort();
const ledger = () => rows<{ name: string; step_name: string; kind: string; state: string; because: string | null; sentence: string | null }>(house.db, "select p.name, n.step_name, n.kind, n.state, n.because, n.sentence from notices n join people p on p.id = n.person_id where n.step_id like 'hand-%' order by p.name, n.id"); // prettier-ignore
const BOTH = ['kari: Fire Teams Aboard: not finished yet', 'runa: Fire Teams Aboard: not finished yet'];

describe('reminding by hand', () => {
  it('shows where a value is missing that would hold it, and does not fall over it', async () => {
    await house.db.query("update people set job = null where name = 'Kari Aske'");
    const preview = await previewRemind(
      house.deps,
      await request({ message: { ...HAND_TEXT, body: 'You are {job} of ours.' } }),
      'Sigrid Aune',
    );
    expect(preview.missing).toMatchObject([{ field: 'job', people: ['Kari Aske'] }]);
    expect(preview.letter!.text).toContain('You are ‹no job› of ours.');
    expect(preview.letter!.text).toContain('-- \nSafety training, Orlasund Ferries. Stuck? Just reply.');
  });

  it('goes once it has settled, as what it is and by whom, and is on the record', async () => {
    const preview = await previewRemind(house.deps, await request(), 'Sigrid Aune');
    expect(preview).toMatchObject({ count: 2, toldLately: 0, closed: 0, fault: null, settles: 10, letter: { to: 'Kari Aske', subject: 'Fire Teams Aboard: not finished yet' } }); // prettier-ignore
    expect(preview.people.flatMap(({ notices }) => notices.map(({ outcome, at }) => [outcome, at]))).toEqual([['send', '2027-03-03T10:10:00.000Z'], ['send', '2027-03-03T10:10:00.000Z']]); // prettier-ignore
    expect(preview.letter!.html).not.toMatch(/\/go\//);
    const done = await remind(house.deps, await request(), 'Sigrid Aune');
    expect(done).toMatchObject({ reminded: 2, leftOut: 0, words: 'Reminded by hand: Fire Teams Aboard of 2 people.', settlesAt: '2027-03-03T10:10:00.000Z' }); // prettier-ignore
    await play('2027-03-03T10:09:00Z');
    expect(letters()).toEqual([]);
    await play('2027-03-03T10:10:00Z');
    expect(letters()).toEqual(BOTH);
    expect((await ledger()).map(({ step_name, kind, state }) => [step_name, kind, state])).toEqual(Array(2).fill(['Reminder by hand, by Sigrid Aune', 'reminder', 'sent'])); // prettier-ignore
    expect((await listActs(house.db, house.clock.at))[0]).toMatchObject({ kind: 'remind', byWhom: 'Sigrid Aune', undoUntil: null });
    // planning again, and publishing the plan, leave it alone
    const plan = (await findPlan(house.db, course, '2027-03-03'))!;
    const draft = { version: plan.version, steps: plan.steps.map((step) => ({ ...step, name: `${step.name}!` })) } as never;
    expect(await previewPlan(house.deps, course, draft)).toMatchObject({ dropped: 0, added: 0 });
    await publishPlan(house.deps, course, draft, 'Sigrid Aune');
    await play('2027-03-03T12:00:00Z');
    expect([letters(), (await ledger()).map(({ state }) => state)]).toEqual([BOTH, ['sent', 'sent']]);
  });

  it('leaves out who was told within 48 hours, by whomever, unless they are included on purpose', async () => {
    const [first] = await assignments();
    await remind(house.deps, await request({ assignmentIds: [first] }), 'Tora Hauge');
    // it has not even gone: the other one who reminds is told of it all the same
    const preview = await previewRemind(house.deps, await request(), 'Sigrid Aune');
    expect(preview).toMatchObject({ count: 1, toldLately: 1, told: [{ words: '“Reminder by hand, by Tora Hauge” Wed 3 Mar 11:00' }] });
    expect(await remind(house.deps, await request(), 'Sigrid Aune')).toMatchObject({ reminded: 1, leftOut: 1 });
    await play('2027-03-03T10:10:00Z');
    expect(letters()).toEqual(BOTH);
    await expect(remind(house.deps, await request(), 'Sigrid Aune')).rejects.toThrow('2 people were told within the last 48 hours, and left out. Nobody was reminded.'); // prettier-ignore
    expect(await remind(house.deps, await request({ alsoTold: true }), 'Sigrid Aune')).toMatchObject({ reminded: 2, leftOut: 0 });
    await play('2027-03-03T10:30:00Z');
    expect(letters()).toEqual([...BOTH, ...BOTH].sort());
    house.clock.at = Date.parse('2027-03-05T10:31:00Z');
    expect(await previewRemind(house.deps, await request(), 'Sigrid Aune')).toMatchObject({ count: 2, toldLately: 0 });
  });

  it('the same request that comes again, or twice at once, is done once', async () => {
    const same = await request({ alsoTold: true });
    const [one, other] = await Promise.all([remind(house.deps, same, 'Sigrid Aune'), remind(house.deps, same, 'Sigrid Aune')]);
    expect([one.actId, other.reminded]).toEqual([other.actId, 2]);
    await play('2027-03-03T10:10:00Z');
    expect(letters()).toEqual(BOTH);
    await expect(remind(house.deps, same, 'Somebody Else')).rejects.toThrow('went already');
  });

  it('two who remind the same people at once do not write to them twice', async () => {
    const results = await Promise.allSettled([remind(house.deps, await request(), 'Sigrid Aune'), remind(house.deps, await request(), 'Tora Hauge')]); // prettier-ignore
    expect(results.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    await play('2027-03-03T10:10:00Z');
    expect(letters()).toEqual(BOTH);
  });

  it('is taken back while it settles, whatever else was sent or done meanwhile, and stands in nobody’s way', async () => {
    const done = await remind(house.deps, await request(), 'Sigrid Aune');
    await play();
    const ids = await assignments();
    const moved = await extend(house.deps, { assignmentIds: ids, dueOn: '2027-04-16', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune'); // prettier-ignore
    await undoAct(house.deps, done.actId!, 'Sigrid Aune');
    await play('2027-03-03T10:15:00Z');
    expect([letters(), (await ledger()).map(({ state, because }) => [state, because])]).toEqual([[], [['cancelled', 'undone'], ['cancelled', 'undone']]]); // prettier-ignore
    // taken back, it counts for nobody as told
    expect(await previewRemind(house.deps, await request(), 'Sigrid Aune')).toMatchObject({ count: 2, toldLately: 0 });
    house.clock.at = Date.parse('2027-03-03T10:09:00Z');
    await undoAct(house.deps, moved.actId!, 'Sigrid Aune');
  });

  test.each<[string, () => Promise<unknown>, string, string | null]>([
    ["it waived meanwhile", async () => close(house.deps, 'waived', { assignmentIds: [(await assignments())[0]!], reason: 'x', until: null }, 'x'), 'cancelled', 'waived'], // prettier-ignore
    ["no address that works", async () => house.db.query("update people set address_state = 'bounced' where id = $1", [crew['runa']]), 'held', 'unreachable'], // prettier-ignore
  ])('who has %s does not get it, and the ledger says why', async (_, happens, state, because) => {
    await remind(house.deps, await request(), 'Sigrid Aune');
    await play();
    await happens();
    await play('2027-03-03T10:10:00Z');
    expect(letters()).toEqual([BOTH[0]]);
    const found = (await ledger()).find(({ name }) => name === 'Runa Aske')!;
    expect(found.state).toBe(state);
    if (state === 'cancelled') expect(found.because).toBe(because);
  });

  it('a text with a fault, or a field that somebody lacks, is said before anything goes', async () => {
    const wrong = { ...HAND_TEXT, subject: '{cuorse}' };
    expect(await previewRemind(house.deps, await request({ message: wrong }), 'x')).toMatchObject({ fault: expect.stringContaining('cuorse'), letter: null }); // prettier-ignore
    await expect(remind(house.deps, await request({ message: wrong }), 'x')).rejects.toThrow('Nobody was reminded.');
    await changePerson(house.deps, crew['runa']!, { job: null } as never, 'x');
    const { missing } = await previewRemind(house.deps, await request({ message: { ...HAND_TEXT, body: '{job}' } }), 'x');
    expect(missing.flatMap(({ field, people }) => people.map((person) => [field, person]))).toContainEqual(['job', 'Runa Aske']);
  });

  it('goes to all of a course whom something is the matter with', async () => {
    const all = { courseId: course, who: 'unopened', days: 7 };
    expect(await previewRemind(house.deps, await request({ underWay: all }), 'x')).toMatchObject({ count: 2 });
    await house.db.query('update assignments set started_at = assigned_at where person_id = $1', [crew['kari']]);
    expect(await remind(house.deps, await request({ underWay: all }), 'Sigrid Aune')).toMatchObject({ words: 'Reminded by hand: Fire Teams Aboard of Runa Aske.' }); // prettier-ignore
    await expect(remind(house.deps, await request({ underWay: { ...all, who: 'late' } }), 'x')).rejects.toThrow(
      'There is nobody to remind.',
    );
  });

  it('a plan may not take the place of a letter by hand', async () => {
    const plan = (await findPlan(house.db, course, '2027-03-03'))!;
    const [step, ...rest] = plan.steps;
    const { faults } = await previewPlan(house.deps, course, { version: plan.version, steps: [{ ...step!, id: 'hand-1' }, ...rest] } as never); // prettier-ignore
    expect(faults).toEqual([{ step: 'hand-1', message: expect.stringContaining('letter by hand') }]);
  });
});
