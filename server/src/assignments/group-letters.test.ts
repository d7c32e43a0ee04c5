import { randomUUID } from 'node:crypto';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { GROUP_TEXT, type Condition } from '@nudrik/core';
import { AssignRequest, RemindRequest } from '@nudrik/contract';
import { oneRow, rows } from '../db/db.ts';
import { changePerson } from '../people/change.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listActs, undoAct } from './acts.ts';
import { assign as give } from './change.ts';
import { endLetter, groupLetters } from './group-letters.ts';
import { previewRemind, remind } from './remind.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse('2027-03-01T08:00:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assign('runa', 'tora');
  await play('2027-03-01T09:00:00Z');
  house.mailer.letters = [];
});
afterAll(() => house.close());

const assign = (...who: string[]) =>
  assignAt(
    house,
    course,
    who.map((name) => crew[name]!),
    '2027-03-26T16:00:00Z',
  );
const play = async (at?: string): Promise<void> => {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
};
const onDeck = async (): Promise<Condition> => {
  const { id } = await oneRow<{ id: string }>(house.db, "select id::text from departments where name = 'Deck'");
  return { department: [id], below: true };
};
const message = { ...GROUP_TEXT, subject: 'The drill is moved' };
const request = async (rest: object = {}) => RemindRequest.parse({ group: { courseId: course, onlyIf: await onDeck() }, joinersUntil: '2027-03-05', name: 'Drill moved', message, alsoTold: true, key: randomUUID(), ...rest }); // prettier-ignore
const sent = (): string[] => house.mailer.letters.filter(({ subject }) => subject === 'The drill is moved').map(({ toAddress }) => toAddress.split('@')[0]!).sort(); // prettier-ignore
const ledger = async () => (await rows<{ name: string }>(house.db, "select p.name from notices n join people p on p.id = n.person_id where n.step_id like 'hand-%' and n.state <> 'cancelled' order by 1")).map(({ name }) => name.split(' ')[0]); // prettier-ignore

describe('a message to a group', () => {
  it('goes to who is in it, and to who joins until a day, each once; it stands in the ledger at once', async () => {
    const preview = await previewRemind(house.deps, await request(), 'Tora Aske');
    expect(preview).toMatchObject({ count: 1, fault: null, letter: { to: 'Runa Aske' } });
    const done = await remind(house.deps, await request(), 'Tora Aske');
    expect(done.words).toBe('Reminded by hand: Fire Teams Aboard of Runa Aske, and whoever joins until 5 Mar 2027.');
    await play('2027-03-01T09:11:00Z');
    expect(sent()).toEqual(['runa']);
    // who gets the course is in the group; who gets it and is not, is not
    await assign('odd');
    await play('2027-03-02T10:00:00Z');
    expect(sent()).toEqual(['odd', 'runa']);
    expect(await ledger()).toEqual(['Odd', 'Runa']);
    // who has the course already, and comes to be in the group
    await changePerson(house.deps, crew['tora']!, { department: 'Deck' }, 'Sigrid Aune');
    await play('2027-03-03T10:00:00Z');
    expect(sent()).toEqual(['odd', 'runa', 'tora']);
    await changePerson(house.deps, crew['tora']!, { department: 'Office' }, 'Sigrid Aune');
    await changePerson(house.deps, crew['tora']!, { department: 'Deck' }, 'Sigrid Aune');
    await play('2027-03-04T10:00:00Z');
    expect(sent()).toEqual(['odd', 'runa', 'tora']);
    expect(await groupLetters(house.deps, course)).toMatchObject([{ name: 'Drill moved, by Tora Aske', subject: 'The drill is moved', until: '2027-03-05', by: 'Tora Aske', reminded: 3, joined: 2, ended: null, goesOn: true }]); // prettier-ignore
    // the last day counts, and the one after it does not
    await assign('per');
    await play('2027-03-05T15:00:00Z');
    expect(sent()).toEqual(['odd', 'per', 'runa', 'tora']);
    await play('2027-03-06T10:00:00Z');
    await assign('kari');
    await play('2027-03-08T10:00:00Z');
    expect(sent()).toEqual(['odd', 'per', 'runa', 'tora']);
    expect((await groupLetters(house.deps, course))[0]).toMatchObject({ goesOn: false, ended: null });
  });

  it('reaches who has the course already and begins later, when they begin', async () => {
    await changePerson(house.deps, crew['per']!, { joinedOn: '2027-03-04' }, 'Sigrid Aune');
    await give(house.deps, AssignRequest.parse({ courseId: course, personIds: [crew['per']!], dueOn: '2027-03-26' }), 'Sigrid Aune');
    expect(await previewRemind(house.deps, await request(), 'Tora Aske')).toMatchObject({ count: 1, skipped: [] });
    await remind(house.deps, await request(), 'Tora Aske');
    await play('2027-03-01T09:11:00Z');
    await play('2027-03-03T10:00:00Z');
    expect(sent()).toEqual(['runa']);
    await play('2027-03-04T10:00:00Z');
    expect(sent()).toEqual(['per', 'runa']);
  });

  it('taken back before it went, it reaches nobody who joined meanwhile either, and where nobody was in it', async () => {
    await remind(house.deps, await request(), 'Tora Aske');
    await assign('odd');
    await play('2027-03-01T09:05:00Z');
    expect(await ledger()).toEqual(['Runa']);
    await undoAct(house.deps, (await listActs(house.db, house.clock.at))[0]!.id, 'Sigrid Aune');
    const { actId } = await remind(house.deps, await request({ group: { courseId: course, onlyIf: { job: ['Cook'] } } }), 'Tora Aske');
    await undoAct(house.deps, actId!, 'Sigrid Aune');
    await changePerson(house.deps, crew['runa']!, { job: 'Cook' }, 'Sigrid Aune');
    await play('2027-03-02T10:00:00Z');
    expect(sent()).toEqual([]);
    expect(await ledger()).toEqual([]);
    expect(await groupLetters(house.deps, course)).toEqual([]);
  });

  it('may be for who comes alone; ended, or taken back, it reaches nobody more', async () => {
    const none = { group: { courseId: course, onlyIf: { job: ['Cook'] } } };
    await expect(remind(house.deps, await request({ ...none, joinersUntil: null }), 'Tora Aske')).rejects.toThrow(/nobody to remind/);
    await expect(remind(house.deps, await request({ ...none, joinersUntil: '2027-02-27' }), 'Tora Aske')).rejects.toThrow(/has passed; expected today or later/); // prettier-ignore
    await remind(house.deps, await request(none), 'Tora Aske');
    await play('2027-03-01T09:11:00Z');
    expect(sent()).toEqual([]);
    await changePerson(house.deps, crew['runa']!, { job: 'Cook' }, 'Sigrid Aune');
    await play('2027-03-02T10:00:00Z');
    expect(sent()).toEqual(['runa']);
    const [letter] = await groupLetters(house.deps, course);
    expect((await endLetter(house.deps, letter!.id, 'Sigrid Aune'))[0]).toMatchObject({ goesOn: false, ended: { by: 'Sigrid Aune' } });
    await changePerson(house.deps, crew['tora']!, { job: 'Cook' }, 'Sigrid Aune');
    await play('2027-03-03T10:00:00Z');
    expect(sent()).toEqual(['runa']);

    await remind(house.deps, await request({ joinersUntil: '2027-03-20' }), 'Tora Aske');
    const [act] = await listActs(house.db, house.clock.at);
    await undoAct(house.deps, act!.id, 'Sigrid Aune');
    await assign('odd');
    await play('2027-03-04T10:00:00Z');
    expect(sent()).toEqual(['runa']);
    expect(await groupLetters(house.deps, course)).toHaveLength(1);
  });

  it('loses nobody who is made a member while the letter is written, and asks about what time alone changes once a day', async () => {
    const joined = { group: { courseId: course, onlyIf: { not: { joinedWithin: 2 } } } };
    await changePerson(house.deps, crew['runa']!, { joinedOn: '2027-02-28' }, 'Sigrid Aune');
    await remind(house.deps, await request(joined), 'Tora Aske');
    // as if the assignment had been made beside: nobody was asked about it
    await assign('odd');
    await house.db.query('delete from letter_checks');
    await changePerson(house.deps, crew['odd']!, { joinedOn: '2026-03-01' }, 'Sigrid Aune');
    await house.db.query('delete from letter_checks');
    await play('2027-03-01T10:00:00Z');
    expect(sent()).not.toContain('runa');
    await play('2027-03-04T10:00:00Z');
    expect(sent()).toContain('runa');
    expect(sent()).toContain('odd');
  });
});
