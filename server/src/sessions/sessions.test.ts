import ICAL from 'ical.js';
import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { NEW_SESSIONS, NEW_SIGN_OFF, STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import type { SessionDraft } from '@nudrik/contract';
import { keepVersion, insertCourse, saveSections } from '../courses/courses.repo.ts';
import { oneRow, rows, transaction } from '../db/db.ts';
import { calendarOf, setCalendar } from '../learning/calendar.ts';
import { putPlan } from '../plans/plans.repo.ts';
import { mySignOffs, recordSignOffs, signOffView } from '../sign-offs/sign-offs.ts';
import { assignAt, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { cancelSession, changeSession, foreseeChange, giveUpSeat, learningSessions, makeSession, mySessions, sessionsView, takeSeat } from './sessions.ts'; // prettier-ignore

let house: TestHouse;
let crew: Record<string, string>;
let site: string;
let course: string;
let unit: string;
let n = 0;

const base = STANDARD_PLAN.find(({ id }) => id === 'certificate')!;
const step = (id: string, event: PlanStep['anchor']['event'], subject: string, rest: Partial<PlanStep> = {}): PlanStep => ({ ...base, id, name: id, kind: 'follow-up', window: 'exact', anchor: { event }, offset: { amount: 0, unit: 'minutes' }, message: { subject, body: 'At {session place}.', button: null, withDate: true }, ...rest }); // prettier-ignore
const STEPS = [
  step('seat', 'seat-given', 'A seat: {session}, {session starts}'),
  step('moved', 'session-moved', 'Moved to {session starts}'),
  step('lost', 'seat-lost', 'No seat any more: {session}', { message: { subject: 'No seat any more: {session}', body: 'Sorry. {reason given|As you wished.}', button: null, withDate: true } }),
  step('waits', 'seat-waiting', 'You wait for {session}', { message: { subject: 'You wait for {session}', body: 'Soon.', button: null } }),
  step('day-before', 'session-starts', 'Tomorrow: {session}', { offset: { amount: -1, unit: 'days' }, at: '09:00', window: 'earlier' }),
]; // prettier-ignore

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0, daily_limit = null');
  site = (await oneRow<{ id: string }>(house.db, "select id from sites where name = 'Orla Quay'")).id;
});
afterAll(() => house.close());
beforeEach(() => begin());

async function begin(rules: Partial<typeof NEW_SESSIONS> = {}): Promise<void> {
  house.clock.at = Date.parse('2027-03-01T09:30:00Z');
  house.mailer = new TestMailer();
  await house.db.query('delete from leaves');
  await house.db.query('delete from training_sessions');
  ({ course, unit } = await transaction(house.db, async (client) => {
    const id = await insertCourse(client, { title: `Drills ${++n}`, ownerId: crew['tora']!, sections: [] });
    await saveSections(client, id, [{ id: null, title: 'One', units: [{ id: null, kind: 'session', title: 'The drill', required: true, signOff: { ...NEW_SIGN_OFF, criteria: [] }, session: { ...NEW_SESSIONS, ...rules } }] }]); // prettier-ignore
    await client.query("update courses set state = 'live' where id = $1::bigint", [id]);
    await keepVersion(client, id, house.clock.at - 86_400_000, 'Tora Aske');
    await putPlan(client, id, 1, house.clock.at - 86_400_000, 'Tora Aske', STEPS);
    const { id: unitId } = await oneRow<{ id: string }>(client, 'select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint', [id]); // prettier-ignore
    return { course: id, unit: unitId };
  }));
}

const draft = (rest: Partial<SessionDraft> = {}): SessionDraft => ({ title: 'Quay drill', on: '2027-03-10', starts: '09:00', endsOn: '2027-03-10', ends: '11:00', site, place: 'North quay', link: null, seats: 2, trainerId: crew['tora']!, ...rest }); // prettier-ignore
async function session(rest: Partial<SessionDraft> = {}): Promise<string> {
  return (await makeSession(house.deps, course, unit, { ...draft(rest), save: `save-${++n}-000` }, 'Sigrid Aune')).id!;
}
async function assigned(...who: string[]): Promise<Record<string, string>> {
  const ids = await assignAt(house, course, who.map((one) => crew[one]!), '2027-03-19T16:00:00Z'); // prettier-ignore
  return Object.fromEntries(who.map((one, i) => [one, ids[i]!]));
}
const seat = (id: string, assignmentId: string, right: 'employees' | 'office' | 'managers' = 'employees', anyway = false) =>
  takeSeat(house.deps, id, { assignmentId, byWhom: 'they themselves', right, anyway });
async function mails(): Promise<string[]> {
  house.mailer = new TestMailer();
  await drain(house.deps, house.mailer);
  house.clock.at += 60_000;
  return house.mailer.letters.map(({ toName, subject }) => `${toName.split(' ')[0]}: ${subject}`).sort();
}
/** The messages of the day before, in this course: those that went and those that will. */
const daysBefore = async (): Promise<string[]> =>
  (await rows<{ state: string; on_day: string }>(house.db, "select state, on_day from notices where course_id = $1::bigint and step_id = 'day-before' and state <> 'cancelled' order by id", [course])).map(({ state, on_day }) => `${state} ${on_day}`); // prettier-ignore
const taken = async (): Promise<string[]> =>
  (await sessionsView(house.deps, course, unit)).sessions.flatMap((one) => one.people.map(({ person, state }) => `${one.title}: ${person.name.split(' ')[0]} ${state}`)); // prettier-ignore

describe('seats', () => {
  it('are taken, waited for, given up, and moved up to; each hears of it, with the date for their calendar', async () => {
    const id = await session();
    const a = await assigned('runa', 'odd', 'per');
    expect((await seat(id, a['runa']!)).words).toBe('Runa Aske has a seat in “Quay drill”, Wed 10 Mar 09:00.');
    await seat(id, a['odd']!);
    expect(await seat(id, a['per']!)).toMatchObject({ state: 'waiting', words: expect.stringContaining('Per Aske waits for a seat') as string }); // prettier-ignore
    expect(await mails()).toEqual(['Odd: A seat: Quay drill, Wed 10 Mar 09:00', 'Per: You wait for Quay drill', 'Runa: A seat: Quay drill, Wed 10 Mar 09:00']); // prettier-ignore
    const own = house.mailer.letters.find(({ toName }) => toName === 'Runa Aske')!.calendar!;
    for (const line of ['METHOD:REQUEST', `UID:session-${unit}-${a['runa']}@`, 'DTSTART:20270310T080000Z', 'DTEND:20270310T100000Z', 'LOCATION:North quay', 'TRANSP:OPAQUE']) expect(own).toContain(line); // prettier-ignore
    await giveUpSeat(house.deps, id, { assignmentId: a['runa']!, byWhom: 'Runa', right: 'employees' });
    expect(await mails()).toEqual(['Per: A seat: Quay drill, Wed 10 Mar 09:00', 'Runa: No seat any more: Quay drill']);
    expect(house.mailer.letters.find(({ toName }) => toName === 'Runa Aske')!.calendar).toContain('METHOD:CANCEL');
    expect(await taken()).toEqual(['Quay drill: Odd seat', 'Quay drill: Per seat']);
    // the day before, whoever has a seat then
    house.clock.at = Date.parse('2027-03-09T08:10:00Z');
    expect(await mails()).toEqual(['Odd: Tomorrow: Quay drill', 'Per: Tomorrow: Quay drill']);
  });

  it('stand in the calendar that somebody subscribed to, in their language, move there, and are taken out', async () => {
    const [first, second] = [await session(), await session({ title: 'Evening drill', on: '2027-03-11', endsOn: '2027-03-11', place: null, link: 'https://meet.example/2' })];
    const a = await assigned('runa', 'odd', 'per');
    await house.db.query("update people set language = 'nb' where id = $1::bigint", [crew['runa']]);
    const address = (await setCalendar(house.deps, crew['runa']!, true)).address!.split('/').at(-1)!;
    const own = async (): Promise<(string | null)[]> => {
      const calendar = new ICAL.Component(ICAL.parse(await calendarOf(house.deps, address)) as unknown as string);
      return calendar.getAllSubcomponents('vevent').flatMap((event) => {
        const get = (name: string): string => String(event.getFirstPropertyValue(name) ?? '-');
        return get('uid').includes(String(a['runa'])) ? [`${get('summary').replace(/Drills \d+/, 'Drills')}, ${get('dtstart').slice(0, 16)}, ${get('location')}, ${get('status')}`] : [];
      });
    };
    expect(await own()).toEqual(['Frist: Drills, 2027-03-19T16:00, -, CONFIRMED']);
    await seat(first, a['runa']!);
    expect(await own()).toEqual(['Frist: Drills, 2027-03-19T16:00, -, CONFIRMED', 'Quay drill: Drills, 2027-03-10T08:00, North quay, CONFIRMED']);
    await seat(second, a['runa']!); // the same unit: one entry, at another time
    expect((await own())[1]).toBe('Evening drill: Drills, 2027-03-11T08:00, https://meet.example/2, CONFIRMED');
    await giveUpSeat(house.deps, second, { assignmentId: a['runa']!, byWhom: 'Runa', right: 'employees' });
    expect((await own())[1]).toMatch(/^(Quay|Evening) drill: Drills, .*, CANCELLED$/);
    // a place on the waiting list is no date
    const full = await session({ title: 'Last drill', seats: 1, on: '2027-03-12', endsOn: '2027-03-12' });
    await seat(full, a['odd']!);
    await seat(full, a['runa']!);
    expect((await own()).join()).not.toContain('Last drill');
    await house.db.query("update people set language = null where id = $1::bigint", [crew['runa']]);
  }); // prettier-ignore

  it('are never more than there are, whoever asks at once', async () => {
    const id = await session({ seats: 1 });
    const a = await assigned('runa', 'odd', 'per', 'kari');
    const states = await Promise.all(['runa', 'odd', 'per', 'kari'].map((who) => seat(id, a[who]!)));
    expect(states.map(({ state }) => state).sort()).toEqual(['seat', 'waiting', 'waiting', 'waiting']);
  });

  it('that clash are said, and taken only anyway; that of another session of the unit is given up for it', async () => {
    const first = await session();
    const second = await session({ title: 'Evening drill', starts: '10:00', ends: '12:00' });
    const a = await assigned('runa', 'odd');
    await seat(first, a['runa']!);
    // the same unit: they change over
    expect((await seat(second, a['runa']!)).state).toBe('seat');
    expect(await taken()).toEqual(['Evening drill: Runa seat']);
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-08', '2027-03-12')", [crew['odd']]);
    await expect(seat(first, a['odd']!)).rejects.toThrow('Odd Aske is on leave Mon 8 Mar to Fri 12 Mar. Nothing was changed.');
    expect((await learningSessions(house.deps, unit, a['odd']!)).sessions.map(({ clash }) => clash)).toEqual(['is on leave Mon 8 Mar to Fri 12 Mar', 'is on leave Mon 8 Mar to Fri 12 Mar']); // prettier-ignore
    expect((await seat(first, a['odd']!, 'employees', true)).state).toBe('seat');
  });

  test.each([
    ['when it is too late to choose', {}, { closes: 24 * 20 }, 'are taken until 480 hours before it starts'],
    ['where employees do not choose', {}, { employees: false }, 'Employees do not choose sessions here'],
  ])('are refused %s', async (_, rest, rules, words) => {
    await begin(rules);
    const id = await session(rest);
    const a = await assigned('runa');
    await expect(seat(id, a['runa']!)).rejects.toThrow(words);
    expect((await seat(id, a['runa']!, 'office')).state).toBe('seat');
  });

  it('are given by rule, the most urgent first, in the next session that does not clash; nobody again where they gave it up', async () => {
    await begin({ rule: true });
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-10', '2027-03-10')", [crew['odd']]);
    const a = await assigned('runa', 'odd', 'per');
    const first = await session({ seats: 2 });
    await session({ title: 'Later drill', on: '2027-03-17', endsOn: '2027-03-17', seats: 5 });
    expect(await taken()).toEqual(['Quay drill: Per seat', 'Quay drill: Runa seat', 'Later drill: Odd seat']);
    await giveUpSeat(house.deps, first, { assignmentId: a['runa']!, byWhom: 'Runa', right: 'employees' });
    await drain(house.deps, house.mailer);
    expect(await taken()).toEqual(['Quay drill: Per seat', 'Later drill: Odd seat', 'Later drill: Runa seat']);
    // who joins later is seated with the next round; who is withdrawn leaves their seat
    await assigned('kari');
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-17', null)", [crew['per']]);
    await drain(house.deps, house.mailer);
    expect(await taken()).toContain('Quay drill: Kari seat');
  });

  it('that nobody has are not given up; giving one up twice is once', async () => {
    const id = await session();
    const a = await assigned('runa');
    const giveUp = () => giveUpSeat(house.deps, id, { assignmentId: a['runa']!, byWhom: 'Runa', right: 'employees' });
    await expect(giveUp()).rejects.toThrow('There is no such seat.');
    await seat(id, a['runa']!);
    expect([(await giveUp()).state, (await giveUp()).state]).toEqual(['given-up', 'given-up']);
  });

  it('of people down a line are seen by their manager', async () => {
    const id = await session();
    const a = await assigned('runa', 'per');
    await seat(id, a['runa']!, 'managers');
    const [mine] = await mySessions(house.deps, [crew['runa']!, crew['per']!]);
    expect(mine!.people.map(({ person, state }) => [person.name, state])).toEqual([['Per Aske', null], ['Runa Aske', 'seat']]); // prettier-ignore
    expect(await mySessions(house.deps, [crew['kari']!])).toEqual([]);
  });
});

describe('a session that is moved', () => {
  it('shows first who hears what, then is said to exactly those, and moves what was planned', async () => {
    const id = await session();
    const a = await assigned('runa', 'odd');
    await seat(id, a['runa']!);
    await seat(id, a['odd']!);
    await mails();
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-15', '2027-03-15')", [crew['odd']]);
    const change = { ...draft({ on: '2027-03-15', endsOn: '2027-03-15' }), told: 'The quay is closed' };
    const foreseen = await foreseeChange(house.deps, id, change);
    expect(foreseen.falls).toBe(2);
    expect(foreseen.people.map(({ person, clash, messages }) => [person, clash, messages.filter(({ goes }) => goes).map(({ step: name }) => name)])).toEqual([
      ['Odd Aske', 'is on leave Mon 15 Mar to Mon 15 Mar', ['moved', 'day-before']],
      ['Runa Aske', null, ['moved', 'day-before']],
    ]); // prettier-ignore
    expect(await mails()).toEqual([]);
    expect((await changeSession(house.deps, id, change, 'Sigrid Aune')).words).toBe('“Quay drill”, Mon 15 Mar 09:00, is changed. It is news for 2 people.'); // prettier-ignore
    expect(await mails()).toEqual(['Odd: Moved to Mon 15 Mar 09:00', 'Runa: Moved to Mon 15 Mar 09:00']);
    const [sequence] = /SEQUENCE:\d+/.exec(house.mailer.letters[0]!.calendar!)!;
    expect(Number(sequence.slice(9))).toBeGreaterThan(1);
    house.clock.at = Date.parse('2027-03-09T12:00:00Z');
    await mails();
    expect(await daysBefore()).toEqual(['planned 2027-03-12', 'planned 2027-03-12']);
  });

  it('with more seats lets those in who wait; with fewer than are taken it is refused', async () => {
    const id = await session({ seats: 1 });
    const a = await assigned('runa', 'odd');
    await seat(id, a['runa']!);
    await seat(id, a['odd']!);
    const words = (await changeSession(house.deps, id, { ...draft({ seats: 3 }), told: null }, 'Sigrid Aune')).words;
    expect(words).toContain('1 person moved up from the waiting list.');
    await expect(changeSession(house.deps, id, { ...draft({ seats: 1 }), told: null }, 'Sigrid Aune')).rejects.toThrow('It has 1 seats, and 2 are taken'); // prettier-ignore
  });

  it('or cancelled is said, with why, and taken out of calendars; nothing more is changed in it', async () => {
    const id = await session();
    const a = await assigned('runa', 'odd', 'per');
    for (const who of ['runa', 'odd', 'per']) await seat(id, a[who]!);
    await mails();
    expect((await foreseeChange(house.deps, id, null)).people.map(({ messages }) => messages.filter(({ goes }) => goes).length)).toEqual([1, 1, 0]); // prettier-ignore
    await cancelSession(house.deps, id, 'Ice on the quay', 'Sigrid Aune');
    expect(await mails()).toEqual(['Odd: No seat any more: Quay drill', 'Runa: No seat any more: Quay drill']);
    expect(house.mailer.letters[0]!.text).toContain('Ice on the quay');
    expect(house.mailer.letters[0]!.calendar).toContain('METHOD:CANCEL');
    await expect(seat(id, a['per']!)).rejects.toThrow('was cancelled');
    await expect(cancelSession(house.deps, id, null, 'Sigrid Aune')).rejects.toThrow('was cancelled already');
    house.clock.at = Date.parse('2027-03-10T12:00:00Z');
    await mails();
    expect(await daysBefore()).toEqual([]);
  });
});

describe('who was there', () => {
  it('is recorded from the list of the session, by whoever leads it; no-shows come out as absent, and may come again', async () => {
    const id = await session();
    const a = await assigned('runa', 'odd', 'per');
    await seat(id, a['runa']!);
    await seat(id, a['odd']!);
    const early = { key: 'attendance-9', session: id, entries: [{ assignmentId: a['runa']!, attended: true, met: [], remarks: null, place: null, on: '2027-03-01' }] }; // prettier-ignore
    await expect(recordSignOffs(house.deps, course, unit, { personId: crew['tora']!, name: 'Tora Aske', link: null }, early)).rejects.toThrow('“Quay drill” has not begun'); // prettier-ignore
    house.clock.at = Date.parse('2027-03-10T10:30:00Z');
    const tora = { personId: crew['tora']!, name: 'Tora Aske', link: null };
    expect((await mySignOffs(house.deps, crew['tora']!)).filter(({ course: { id: of } }) => of === course)).toMatchObject([{ session: { id, title: 'Quay drill' }, waiting: 2 }]); // prettier-ignore
    const view = await signOffView(house.deps, course, unit, tora, { session: id, find: '' });
    expect(view.people.map(({ person, because }) => [person.name, because])).toEqual([['Odd Aske', 'trainer of the session'], ['Runa Aske', 'trainer of the session']]); // prettier-ignore
    const entry = (assignmentId: string, attended: boolean) => ({ assignmentId, attended, met: [], remarks: null, place: null, on: '2027-03-10' }); // prettier-ignore
    await expect(recordSignOffs(house.deps, course, unit, tora, { key: 'attendance-0', session: id, entries: [entry(a['per']!, true)] })).rejects.toThrow('Load the list again'); // prettier-ignore
    await recordSignOffs(house.deps, course, unit, tora, { key: 'attendance-1', session: id, entries: [entry(a['runa']!, true), entry(a['odd']!, false)] }); // prettier-ignore
    expect(await rows(house.db, 'select closed_by from assignments where id = any($1::bigint[]) order by id', [[a['runa'], a['odd']]])).toEqual([{ closed_by: 'finished' }, { closed_by: null }]); // prettier-ignore
    const list = (await sessionsView(house.deps, course, unit)).sessions[0]!.people;
    expect(list.map(({ person, outcome }) => [person.name, outcome])).toEqual([
      ['Odd Aske', 'absent'],
      ['Runa Aske', 'met'],
    ]);
    house.clock.at = Date.parse('2027-03-11T10:30:00Z');
    const again = await session({ on: '2027-03-20', endsOn: '2027-03-20' });
    expect((await seat(again, a['odd']!)).state).toBe('seat');
  });
});
