import { randomUUID } from 'node:crypto';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { RemindRequest } from '@nudrik/contract';
import { remind } from '../assignments/remind.ts';
import { extend } from '../assignments/change.ts';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { actOnNotice } from './by-hand.ts';
import { findNoticeSheet } from './ledger.query.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let assignment: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  await play();
});
afterAll(() => house.close());
async function play(at?: string): Promise<void> {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
}
const noticeOf = async (step: string): Promise<string> => (await rows<{ id: string }>(house.db, 'select id from notices where step_id = $1::text order by id', [step]))[0]!.id; // prettier-ignore
const act = (id: string, what: 'skip' | 'send' | 'restore', reason?: string) =>
  actOnNotice(house.deps, id, { what, reason }, 'Sigrid Aune');
const subjects = (): string[] => house.mailer.letters.map(({ subject }) => subject);

describe('what is done to one notice by hand', () => {
  it('skipped, it does not go, whatever is planned anew; who and why stand on it', async () => {
    const id = await noticeOf('onboarding');
    await act(id, 'skip', 'she asked for it');
    await extend(house.deps, { assignmentIds: [assignment], dueOn: '2027-04-09', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune');
    house.mailer.letters = [];
    await play('2027-03-04T12:00:00Z');
    expect(subjects()).toEqual([]);
    const sheet = await findNoticeSheet(house.deps, id);
    expect(sheet.sentence).toBe('Skipped: Sigrid Aune skipped it by hand: she asked for it.');
    expect(sheet.timeline.find(({ what }) => what === 'by hand')!.words).toBe(
      'Sigrid Aune skipped it on Mon 1 Mar 10:30: she asked for it',
    );
    expect(sheet.acts).toEqual([]); // its moment has passed
  });

  it('a skip is taken back before its moment, and it goes', async () => {
    const id = await noticeOf('onboarding');
    await act(id, 'skip');
    expect((await findNoticeSheet(house.deps, id)).acts).toEqual(['restore']);
    await act(id, 'restore');
    await play();
    expect((await findNoticeSheet(house.deps, id)).notice!.state).toBe('planned');
    house.mailer.letters = [];
    await play('2027-03-03T08:00:00Z');
    expect(subjects()).toEqual(['Getting started with Fire Teams Aboard']);
    await expect(act(id, 'restore')).rejects.toThrow('was not skipped by hand');
  });

  it('sent now, it goes once, before its moment, by the same checks', async () => {
    const id = await noticeOf('two-days-to-go');
    house.mailer.letters = [];
    await act(id, 'send');
    await play();
    expect(subjects()).toEqual(['Fire Teams Aboard is due in 18 days']);
    expect((await findNoticeSheet(house.deps, id)).timeline.find(({ what }) => what === 'by hand')!.words).toMatch(/^Sigrid Aune sent it before its moment, on Mon 1 Mar/); // prettier-ignore
    house.mailer.letters = [];
    await play('2027-03-17T16:00:00Z');
    expect(subjects().filter((subject) => subject.includes('is due'))).toEqual([]);
    await expect(act(id, 'send')).rejects.toThrow('“Two days to go” is sent already, so it cannot be sent. Nothing was changed.');
    await expect(act('999999', 'skip')).rejects.toThrow('no such notice');
  });

  it('goes again with the text of its step, on purpose, to who still has the course open', async () => {
    await play('2027-03-03T08:30:00Z');
    const id = await noticeOf('onboarding');
    const { again } = await findNoticeSheet(house.deps, id);
    expect(again).toMatchObject({ assignmentId: assignment, name: 'Again: Getting started' });
    const { assignmentId, ...rest } = again!;
    await remind(house.deps, RemindRequest.parse({ assignmentIds: [assignmentId], ...rest, alsoTold: true, key: randomUUID() }), 'Sigrid Aune'); // prettier-ignore
    house.mailer.letters = [];
    await play('2027-03-03T08:40:00Z');
    expect(subjects()).toEqual(['Getting started with Fire Teams Aboard']);
    expect(await rows(house.db, "select step_name from notices where step_id like 'hand-%'")).toEqual([{ step_name: 'Again: Getting started, by Sigrid Aune' }]); // prettier-ignore
  });
});
