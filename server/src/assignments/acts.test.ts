import { afterAll, beforeEach, describe, expect, it, test } from 'vitest';
import { CompletionsRequest } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { insertFile } from '../files/files.repo.ts';
import { listCertificates } from '../certificates/certificates.repo.ts';
import { changePerson } from '../people/change.ts';
import { timelineOf } from '../people/timeline.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listActs, undoAct } from './acts.ts';
import { assign, close, extend } from './change.ts';
import { getProof, previewCompletions, recordCompletions } from './completions.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  // a Sunday: invitations go, everything else waits for Monday
  house = await openTestHouse('2027-02-28T12:00:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());
const play = async (at?: string): Promise<void> => {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
};
const both = (): string[] => [crew['runa']!, crew['kari']!];
const assignBoth = () => assign(house.deps, { courseId: course, personIds: both(), departments: [], sites: [], groups: [], dueOn: '2027-03-19', dueTime: '17:00' }, 'Sigrid Aune'); // prettier-ignore
const ids = async (): Promise<string[]> =>
  (await rows<{ id: string }>(house.db, 'select id from assignments order by id')).map(({ id }) => id);
const state = async (): Promise<string[]> =>
  (await rows<{ name: string; due_at: Date; closed_by: string | null; closed_because: string | null }>(house.db, 'select p.name, a.due_at, a.closed_by, a.closed_because from assignments a join people p on p.id = a.person_id order by a.id')).map(
    (row) => `${row.name.split(' ')[0]} ${row.closed_by ?? 'open'}${row.closed_because ? ` ${row.closed_because}` : ''} ${row.due_at.toISOString().slice(5, 16)}`,
  ); // prettier-ignore
const OPEN = ['Kari open 03-19T17:00', 'Runa open 03-19T16:00'];
const planned = async (): Promise<number> => (await rows(house.db, "select 1 from notices where state = 'planned'")).length;

describe('done by hand', () => {
  const extendBoth = async (dueOn = '2027-04-09') => extend(house.deps, { assignmentIds: await ids(), dueOn, dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune'); // prettier-ignore
  const closeBoth = async (how: 'waived' | 'withdrawn', until: string | null = null) => close(house.deps, how, { assignmentIds: await ids(), reason: 'dry dock', until }, 'Sigrid Aune'); // prettier-ignore

  test.each<[string, () => Promise<{ actId: string | null; words: string }>, string, string[]]>([
    ['an extension of many', () => extendBoth(), 'Extended Fire Teams Aboard of 2 people to Fri 9 Apr.', ['Kari open 04-09T16:00', 'Runa open 04-09T15:00']],
    ['a waiver', () => closeBoth('waived'), 'Waived Fire Teams Aboard of 2 people.', ['Kari waived 03-19T17:00', 'Runa waived 03-19T16:00']],
    ['a waiver until', () => closeBoth('waived', '2027-06-30'), 'Waived Fire Teams Aboard of 2 people until 30 Jun 2027.', ['Kari waived 03-19T17:00', 'Runa waived 03-19T16:00']],
    ['a withdrawal', () => closeBoth('withdrawn'), 'Withdrew Fire Teams Aboard of 2 people.', ['Kari withdrawn by-hand 03-19T17:00', 'Runa withdrawn by-hand 03-19T16:00']],
  ])('%s is on the record and can be taken back', async (_, act, words, after) => {
    await assignBoth();
    await play();
    const before = await planned();
    const done = await act();
    await play();
    expect([done.words, (await state()).sort()]).toEqual([words, after.sort()]);
    house.clock.at += 9 * 60_000;
    await undoAct(house.deps, done.actId!, 'Tora Aske');
    await play();
    expect([(await state()).sort(), await planned()]).toEqual([OPEN, before]);
    expect((await listActs(house.db, house.clock.at))[0]).toMatchObject({ byWhom: 'Sigrid Aune', reason: 'dry dock', words, undoneBy: 'Tora Aske', undoUntil: null });
    await expect(undoAct(house.deps, done.actId!, 'Tora Aske')).rejects.toThrow('taken back already');
  }); // prettier-ignore

  it('an assignment can be taken back before anything was sent, and a requirement is not kept out by it', async () => {
    const { actId } = await assignBoth();
    await undoAct(house.deps, actId!, 'Sigrid Aune');
    await play('2027-03-02T12:00:00Z');
    expect([(await state()).map((line) => line.split(' ').slice(0, 3).join(' ')).sort(), house.mailer.letters]).toEqual([['Kari withdrawn undone', 'Runa withdrawn undone'], []]); // prettier-ignore
    const { id } = await addRequirement(house.deps, { name: 'All', courseId: course, audience: { all: [] }, due: { kind: 'date', on: '2027-03-19' }, dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask' }, 'Sigrid Aune'); // prettier-ignore
    expect(await switchOn(house.deps, id, 1, 'Sigrid Aune')).toMatchObject({ assigned: 5 });
  });
  test.each<[string, (actId: string) => Promise<unknown>, RegExp]>([
    ['a notice went out', async () => play('2027-03-01T07:00:00Z').then(() => void (house.clock.at = Date.parse('2027-02-28T12:01:00Z'))), /“Invitation” to \w+ Aske went out because of this/],
    ['ten minutes passed', async () => void (house.clock.at += 11 * 60_000), /Sun 28 Feb 13:00, 11 minutes ago; it could be taken back for 10 minutes/],
    ['something was done since', async () => extendBoth(), /was changed after this \(extended\)/],
    ['it is not there', async () => house.db.query('truncate acts cascade'), /not on the record/],
  ])('cannot be taken back once %s', async (_, act, words) => {
    const { actId } = await assignBoth();
    await act(actId!);
    await expect(undoAct(house.deps, actId!, 'Sigrid Aune')).rejects.toThrow(words);
  }); // prettier-ignore
  it('the second extension taken back, the first one stands', async () => {
    await assignBoth();
    await extendBoth();
    const { actId } = await extendBoth('2027-05-07');
    await undoAct(house.deps, actId!, 'Sigrid Aune');
    expect((await state()).sort()).toEqual(['Kari open 04-09T16:00', 'Runa open 04-09T15:00']);
  });
  test.each<[string, () => Promise<unknown>, RegExp]>([
    ['an extension for one whose date is later', async () => { await assignAt(house, course, [crew['per']!], '2027-06-01T16:00:00Z'); await extendBoth(); }, /is not after the one of Per Aske in force/],
    ['a waiver that has ended', () => closeBoth('waived', '2027-02-27'), /27 Feb 2027, has passed, so the waiver would have ended already/],
    ['what is closed', async () => { await closeBoth('waived'); await closeBoth('withdrawn'); }, /\w+ Aske: this assignment is waived since Sun 28 Feb/],
    ['what is not there', () => close(house.deps, 'waived', { assignmentIds: ['1', '999'], reason: 'x', until: null }, 'x'), /no such assignment/],
  ])('refuses %s, and changes nothing', async (_, act, words) => {
    await assignBoth();
    await expect(act()).rejects.toThrow(words);
  }); // prettier-ignore
});

describe('earlier completions', () => {
  const request = (text: string, rest: object = {}): CompletionsRequest => CompletionsRequest.parse({ text, reason: 'from the old register', ...rest }); // prettier-ignore
  it('cover an open assignment or go on the record, with their proof, and can be taken back', async () => {
    await house.db.query("update courses set code = 'SAF-02'");
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await changePerson(house.deps, crew['per']!, { personnelNumber: 'OF-7' }, 'Sigrid Aune');
    await play();
    const proof = await insertFile(house.db, 'register.pdf', 'application/pdf', Buffer.from('%PDF-1.4'));
    const text = 'person;course;finished on\nruna@orlasund.example;SAF-02;12.01.2027\nof-7;fire teams aboard;13.01.2027\n';
    expect((await previewCompletions(house.deps, request(text))).rows.map(({ person, finishedOn, words }) => [person, finishedOn, words])).toEqual([
      ['Runa Aske', '2027-01-12', 'finishes the open assignment; its unsent notices are cancelled'],
      ['Per Aske', '2027-01-13', 'goes on the record as finished'],
    ]);
    const done = await recordCompletions(house.deps, request(text, { proofId: proof.id }), 'Sigrid Aune');
    await play();
    expect(done.words).toBe('Recorded Fire Teams Aboard for 2 people.');
    expect(await planned()).toBe(0);
    expect((await getProof(house.db, (await ids())[0]!)).content.toString()).toBe('%PDF-1.4');
    expect((await timelineOf(house.db, crew['per']!, house.clock.at)).find(({ what }) => what === 'finish')).toMatchObject({ words: 'Fire Teams Aboard recorded as finished on 13 Jan 2027: from the old register', byWhom: 'Sigrid Aune' });
    expect((await listCertificates(house.db, { page: 0, size: 10 } as never, '2027-03-01')).total).toBe(0);
    await undoAct(house.deps, done.actId!, 'Sigrid Aune');
    await play();
    expect(await state()).toEqual(['Runa open 03-19T16:00', expect.stringContaining('Per withdrawn undone')]);
    expect(await planned()).toBeGreaterThan(0);
  }); // prettier-ignore
  test.each<[string, string, string | null, RegExp]>([
    ['somebody who is not there', 'ghost@x.example,Fire Teams Aboard,2027-01-12', 'person', /neither an e-mail nor a personnel number/],
    ['a course that is not there', 'runa@orlasund.example,Knots,2027-01-12', 'course', /no course "Knots"/],
    ['a date mistyped', 'runa@orlasund.example,Fire Teams Aboard,2027-02-30', 'finished on', /"2027-02-30" is not a date/],
    ['a day to come', 'runa@orlasund.example,Fire Teams Aboard,2027-03-30', 'finished on', /30 Mar 2027 has not come yet/],
    ['the same twice', 'runa@orlasund.example,Fire Teams Aboard,2027-01-12\nruna@orlasund.example,Fire Teams Aboard,2027-01-12', 'person', /stand in row 2 already/],
  ])('a row with %s is refused with its reason', async (_, line, column, reason) => {
    const { rejected } = await previewCompletions(house.deps, request(`email,course,date\n${line}\n`));
    expect(rejected).toEqual([expect.objectContaining({ column, reason: expect.stringMatching(reason) })]);
  }); // prettier-ignore
  it('a register of one course names it once for all, and a row may still say another', async () => {
    const lines = await makeCourse(house, null, undefined, 'Lines and Gangway');
    const { rows: read, rejected } = await previewCompletions(house.deps, request('email,date\nruna@orlasund.example,2027-01-12\n', { courseId: course }));
    expect([read.map((row) => row.course), rejected]).toEqual([['Fire Teams Aboard'], []]);
    const mixed = await previewCompletions(house.deps, request('email,course,date\nruna@orlasund.example,,2027-01-12\nper@orlasund.example,Fire Teams Aboard,2027-01-12\n', { courseId: lines }));
    expect(mixed.rows.map((row) => row.course)).toEqual(['Lines and Gangway', 'Fire Teams Aboard']);
  }); // prettier-ignore
  it('without a reason, a header, or a single good row, nothing is recorded', async () => {
    const good = 'email,course,date\nruna@orlasund.example,Fire Teams Aboard,2027-01-12\n';
    await expect(recordCompletions(house.deps, request(good, { reason: '' }), 'x')).rejects.toThrow('Say where these completions come from'); // prettier-ignore
    await expect(recordCompletions(house.deps, request('email,date\na,b\n'), 'x')).rejects.toThrow('The column "course" is missing');
    expect(await ids()).toEqual([]);
  });
  it('count for requirements, until the course’s validity ends', async () => {
    await recordCompletions(house.deps, request('email,course,date\nruna@orlasund.example,Fire Teams Aboard,2027-01-12\n'), 'x');
    const { id } = await addRequirement(house.deps, { name: 'All', courseId: course, audience: { lacks: [course] }, due: { kind: 'date', on: '2027-03-19' }, dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask' }, 'x'); // prettier-ignore
    expect(await switchOn(house.deps, id, 1, 'x')).toMatchObject({ assigned: 4 });
    expect(await rows(house.db, 'select at from wakes where person_id = $1::bigint', [crew['runa']])).toEqual([{ at: new Date('2028-01-13T07:00:00Z') }]); // prettier-ignore
  });
});
