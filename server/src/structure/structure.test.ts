import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { listHouseChanges } from '../house/record.ts';
import { rows } from '../db/db.ts';
import { DIRECTORY } from '../db/migrate.ts';
import { planWaiting } from '../notices/plan.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { addPerson, changePerson } from '../people/change.ts';
import { readHolidays } from './holidays-file.ts';
import { addLeave, endLeave, removeLeave } from '../people/leave.ts';
import { resolvePeople } from '../people/resolve.ts';
import { changeMembers, removeDepartment, removeGroup, saveDepartment, saveGroup, listHolidays, saveHolidays, saveSite, structureView } from './structure.ts'; // prettier-ignore
import { timelineOf } from '../people/timeline.ts';

let house: TestHouse;
let crew: Record<string, string>;
let assignment: string;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());
const view = () => structureView(house.db, '2027-03-01');
const replanned = async (): Promise<string[]> => {
  const ids = (await rows<{ id: string }>(house.db, 'select distinct assignment_id as id from replan')).map(({ id }) => id);
  await planWaiting(house.deps);
  return ids;
};

describe('departments', () => {
  it('stand below each other, and never below themselves', async () => {
    const [deck] = (await view()).departments;
    const boats = await saveDepartment(house.deps, null, { name: 'Boats', parentId: deck!.id }, 'Sigrid Aune');
    const rafts = await saveDepartment(house.deps, null, { name: 'Rafts', parentId: boats }, 'Sigrid Aune');
    await expect(saveDepartment(house.deps, deck!.id, { name: 'Deck', parentId: rafts }, 'Sigrid Aune')).rejects.toThrow('Deck would stand below itself: Deck → Boats → Rafts → Deck.'); // prettier-ignore
    await expect(saveDepartment(house.deps, null, { name: 'boats', parentId: null }, 'Sigrid Aune')).rejects.toThrow(
      'There is a department “boats” already',
    );
    await saveDepartment(house.deps, rafts, { name: 'Life rafts', parentId: deck!.id, version: 1 }, 'Sigrid Aune');
    await expect(saveDepartment(house.deps, rafts, { name: 'Rafts', parentId: deck!.id, version: 1 }, 'Sigrid Aune')).rejects.toThrow('Version 2 of this department was saved while you worked on version 1'); // prettier-ignore
    expect((await view()).departments.map(({ name, people, parentId }) => [name, people, parentId === deck!.id])).toEqual([
      ['Boats', 0, true],
      ['Deck', 4, false],
      ['Life rafts', 0, true],
      ['Office', 1, false],
    ]);
    await expect(removeDepartment(house.deps, deck!.id, 'Sigrid Aune')).rejects.toThrow('it has 4 people and 2 departments below it');
    await removeDepartment(house.deps, rafts, 'Sigrid Aune');
    await removeDepartment(house.deps, boats, 'Sigrid Aune');
  });
});

const versionOf = async (table: 'sites' | 'groups', id: string): Promise<number> =>
  (await rows<{ version: number }>(house.db, `select version from ${table} where id = $1::bigint`, [id]))[0]!.version;

describe('sites', () => {
  it('have holidays by year; who lives by them is planned anew', async () => {
    const site = (await view()).sites.find(({ name }) => name === 'Orla Quay')!;
    const holidays = [...site.holidays, { on: '2027-03-22', name: 'Quay day' }];
    await saveHolidays(house.deps, site.id, { version: await versionOf('sites', site.id), year: 2027, holidays }, 'Sigrid Aune');
    expect(await replanned()).toEqual([assignment]);
    // late, one working day after Friday 19 March: Monday is off now
    const [late] = await rows<{ moment: Date }>(house.db, "select moment from notices where step_id = 'late' and occurrence = 0");
    expect(late!.moment.toISOString()).toBe('2027-03-23T08:00:00.000Z');
    await saveHolidays(
      house.deps,
      site.id,
      {
        version: await versionOf('sites', site.id),
        year: 2028,
        holidays: [{ on: '2028-05-01', name: 'Labour Day' }],
      },
      'Sigrid Aune',
    );
    expect((await view()).sites.find(({ id }) => id === site.id)!.holidays.map(({ on }) => on)).toEqual(['2027-03-22', '2027-03-26', '2027-03-29', '2028-05-01']); // prettier-ignore
    expect(await listHolidays(house.db)).toContainEqual({ on: '2028-05-01', name: 'Labour Day', siteId: site.id, site: site.name });
    await saveHolidays(
      house.deps,
      site.id,
      { version: await versionOf('sites', site.id), year: 2027, holidays: site.holidays },
      'Sigrid Aune',
    );
    await planWaiting(house.deps);
  });
  test.each<[string, () => Promise<unknown>, string]>([
    ['a holiday of another year', () => saveHolidays(house.deps, '1', { version: 1, year: 2027, holidays: [{ on: '2028-01-01', name: 'New Year' }] }, 'Sigrid Aune'), 'The holiday New Year, 2028-01-01, is not in 2027'],
    ['a date twice', () => saveHolidays(house.deps, '1', { version: 1, year: 2027, holidays: [{ on: '2027-01-01', name: 'A' }, { on: '2027-01-01', name: 'B' }] }, 'Sigrid Aune'), 'stands there twice'],
    ['a zone that there is not', () => saveSite(house.deps, null, { name: 'X', zone: 'Europe/Orlasund', workingDays: [1] }, 'Sigrid Aune'), 'no time zone “Europe/Orlasund”'],
    ['a name that is taken', () => saveSite(house.deps, null, { name: 'orla quay', zone: 'Europe/Oslo', workingDays: [1] }, 'Sigrid Aune'), 'There is a site “orla quay” already'],
  ])('refuse %s', async (_, act, words) => expect(act()).rejects.toThrow(words)); // prettier-ignore
  it('take another zone, and everything local moves with it', async () => {
    const site = (await view()).sites.find(({ name }) => name === 'Orla Quay')!;
    await saveSite(
      house.deps,
      site.id,
      {
        version: await versionOf('sites', site.id),
        name: 'Orla Quay',
        zone: 'Europe/Helsinki',
        workingDays: [1, 2, 3, 4, 5],
      },
      'Sigrid Aune',
    );
    expect(await replanned()).toEqual([assignment]);
    const [late] = await rows<{ moment: Date }>(house.db, "select moment from notices where step_id = 'late' and occurrence = 0");
    expect(late!.moment.toISOString()).toBe('2027-03-22T07:00:00.000Z');
    await saveSite(
      house.deps,
      site.id,
      {
        version: await versionOf('sites', site.id),
        name: 'Orla Quay',
        zone: 'Europe/Oslo',
        workingDays: [1, 2, 3, 4, 5],
      },
      'Sigrid Aune',
    );
    await planWaiting(house.deps);
  });
});

describe('an iCalendar file', () => {
  const file = (...lines: string[]): Buffer =>
    Buffer.from(['BEGIN:VCALENDAR', 'VERSION:2.0', 'PRODID:-//Orlasund//EN', ...lines, 'END:VCALENDAR', ''].join('\r\n'));
  const event = (...lines: string[]): string[] => ['BEGIN:VEVENT', `UID:${lines.join('')}`, ...lines, 'END:VEVENT'];
  test.each<[string, string[]]>([
    ['a day that February never has', ['RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30']],
    ['the 31st of months of 30 days', ['RRULE:FREQ=MONTHLY;BYMONTH=4,6,9;BYMONTHDAY=31']],
    ['the week 54', ['RRULE:FREQ=YEARLY;BYWEEKNO=54']],
    ['each second', ['RRULE:FREQ=SECONDLY']],
    ['the sixth Monday', ['RRULE:FREQ=MONTHLY;BYDAY=6MO']],
    ['the 400th of a set', ['RRULE:FREQ=YEARLY;BYDAY=MO;BYSETPOS=400']],
    ['a date that is none', ['DTSTART;VALUE=DATE:2027']],
    ['the year 0', ['DTSTART;VALUE=DATE:00000101']],
    ['a rule that is none', ['RRULE:EVERYTIME']],
  ])('names what it does not read, and reads the rest: %s', (_, lines) => {
    const one = [
      'BEGIN:VEVENT',
      'SUMMARY:Odd',
      ...(lines[0]!.startsWith('DTSTART') ? [] : ['DTSTART;VALUE=DATE:20200101']),
      ...lines,
      'END:VEVENT',
    ];
    const two = ['BEGIN:VEVENT', 'SUMMARY:Feast', 'DTSTART;VALUE=DATE:20270322', 'END:VEVENT'];
    const file = Buffer.from(['BEGIN:VCALENDAR', 'VERSION:2.0', ...one, ...two, 'END:VCALENDAR', ''].join('\r\n'));
    let found: ReturnType<typeof readHolidays>;
    try {
      found = readHolidays(file, 'days.ics', { from: 2027, to: 2028 });
    } catch (error) {
      return expect((error as Error).message).toContain('days.ics: this cannot be read');
    }
    expect(found.holidays).toEqual([{ on: '2027-03-22', name: 'Feast' }]);
    expect(found.passedOver[0]).toMatch(/^Odd/);
  });
  const read = (bytes: Buffer) => readHolidays(bytes, 'days.ics', { from: 2027, to: 2028 });
  test.each<[string, string[], [string, string][]]>([
    ['one day', event('SUMMARY:Quay day', 'DTSTART;VALUE=DATE:20270322', 'DTEND;VALUE=DATE:20270323'), [['2027-03-22', 'Quay day']]],
    ['two days, the end exclusive', event('SUMMARY:Feast', 'DTSTART;VALUE=DATE:20270322', 'DTEND;VALUE=DATE:20270324'), [['2027-03-22', 'Feast'], ['2027-03-23', 'Feast']]],
    ['without an end', event('SUMMARY:Feast', 'DTSTART;VALUE=DATE:20270322'), [['2027-03-22', 'Feast']]],
    ['each year since long', event('SUMMARY:Old Day', 'DTSTART;VALUE=DATE:19700105', 'RRULE:FREQ=WEEKLY;UNTIL=20270120'), [['2027-01-04', 'Old Day'], ['2027-01-11', 'Old Day'], ['2027-01-18', 'Old Day']]],
    ['the first Monday of May', event('SUMMARY:May Day', 'DTSTART;VALUE=DATE:20200504', 'RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO'), [['2027-05-03', 'May Day'], ['2028-05-01', 'May Day']]],
    ['each year', event('SUMMARY:Labour Day', 'DTSTART;VALUE=DATE:20200501', 'RRULE:FREQ=YEARLY'), [['2027-05-01', 'Labour Day'], ['2028-05-01', 'Labour Day']]],
    ['an escaped comma and a folded line', event('SUMMARY:Good Friday\\, quay', '  closed', 'DTSTART;VALUE=DATE:20270326'), [['2027-03-26', 'Good Friday, quay closed']]],
    ['of other years', event('SUMMARY:Old', 'DTSTART;VALUE=DATE:20190322'), []],
  ])('%s', (_, lines, expected) => expect(read(file(...lines)).holidays.map(({ on, name }) => [on, name])).toEqual(expected)); // prettier-ignore
  it('says what it passes over', () =>
    expect(read(file(...event('SUMMARY:Meeting', 'DTSTART:20270322T090000Z'), ...event('SUMMARY:Off', 'STATUS:CANCELLED', 'DTSTART;VALUE=DATE:20270322'))).passedOver).toEqual([
      'Meeting, 2027-03-22: it has a time of day, so it is no whole day off',
      'Off, 2027-03-22: cancelled',
    ])); // prettier-ignore
  test.each([
    ['text', Buffer.from('hello')],
    ['another component', Buffer.from('BEGIN:VCARD\r\nEND:VCARD\r\n')],
  ])('refuses %s', (_, bytes) => expect(() => read(bytes)).toThrow(/days\.ics: this/));
});

describe('groups', () => {
  it('are made by hand, with the record of who came in and went out', async () => {
    const id = await saveGroup(house.deps, null, { name: 'Night boat', about: null }, 'Sigrid Aune');
    await changeMembers(house.deps, id, { add: [crew['runa']!, crew['per']!], remove: [] }, 'Sigrid Aune');
    await changeMembers(house.deps, id, { add: [crew['runa']!], remove: [crew['per']!] }, 'Sigrid Aune');
    expect((await view()).groups).toMatchObject([{ name: 'Night boat', people: 1 }]);
    await removeGroup(house.deps, id, 'Sigrid Aune');
    const words = (await timelineOf(house.db, crew['runa']!, house.clock.at)).filter(({ what }) => what === 'change').map((entry) => entry.words); // prettier-ignore
    expect(words).toEqual(['Put into the group Night boat', 'Taken out of the group Night boat']);
  });
});

describe('leave', () => {
  it('holds what goes to somebody, and taking it away lets it go at once', async () => {
    const id = await addLeave(house.deps, crew['runa']!, { from: '2027-03-02', to: '2027-03-12', coverId: crew['per']! }, 'Odd Aske');
    house.clock.at = Date.parse('2027-03-04T09:00:00Z');
    await drain(house.deps, house.mailer);
    const state = async () => (await rows<{ state: string }>(house.db, "select state from notices where step_id = 'onboarding'"))[0]!.state;
    expect(await state()).toBe('held');
    await removeLeave(house.deps, crew['runa']!, id, 'Odd Aske');
    await drain(house.deps, house.mailer);
    expect(await state()).toBe('sent');
  });
  it('without a last day holds without a moment, and entering the day says when it goes on', async () => {
    const person = crew['tora']!;
    const [made] = await assignAt(house, course, [person], '2027-03-30T16:00:00Z');
    const notice = async () =>
      (await rows<{ state: string; try_at: Date | null; sentence: string }>(
        house.db,
        "select state, try_at, sentence from notices where assignment_id = $1::bigint and kind = 'invitation'",
        [made],
      ))[0]!; // prettier-ignore
    const id = await addLeave(house.deps, person, { from: '2027-03-02', to: null, coverId: null }, 'Odd Aske');
    await drain(house.deps, house.mailer);
    expect(await notice()).toMatchObject({
      state: 'held',
      try_at: null,
      sentence: 'Held: on leave since Tue 2 Mar, until further notice, until its last day is entered.',
    });
    await expect(endLeave(house.deps, person, id, { to: '2027-03-01' }, 'Odd Aske')).rejects.toThrow(
      'expected a last day that is not before',
    );
    await endLeave(house.deps, person, id, { to: '2027-03-12' }, 'Odd Aske');
    await drain(house.deps, house.mailer);
    expect(await notice()).toMatchObject({
      state: 'held',
      sentence: expect.stringContaining('on leave to Fri 12 Mar, until Mon 15 Mar') as string,
    });
    await endLeave(house.deps, person, id, { to: '2027-03-03' }, 'Odd Aske');
    await drain(house.deps, house.mailer);
    expect((await notice()).state).toBe('sent');
    expect((await timelineOf(house.db, person, house.clock.at)).map(({ words }) => words)).toContain(
      'Leave changed: 2 Mar 2027 to 12 Mar 2027, without cover; before: from 2 Mar 2027 until further notice, without cover',
    );
  });
  test.each<[string, object, string]>([
    ['over another', { from: '2027-04-05', to: '2027-04-06', coverId: null }, 'is on leave already (5 Apr 2027 to 9 Apr 2027)'],
    ['covered by themselves', { from: '2027-05-01', to: '2027-05-02', coverId: 'self' }, 'cannot cover their own leave'],
    ['covered by nobody there is', { from: '2027-05-01', to: '2027-05-02', coverId: '999' }, 'There is no person 999'],
  ])('%s is refused', async (_, leave, words) => {
    await addLeave(house.deps, crew['per']!, { from: '2027-04-05', to: '2027-04-09', coverId: null }, 'Odd Aske').catch(() => undefined);
    const draft = { ...leave } as { from: string; to: string; coverId: string | null };
    if (draft.coverId === 'self') draft.coverId = crew['per']!;
    await expect(addLeave(house.deps, crew['per']!, draft, 'Odd Aske')).rejects.toThrow(words);
  });
});

describe('a change by hand', () => {
  const change = (who: string, rest: object) => changePerson(house.deps, crew[who]!, rest, 'Sigrid Aune');
  it('of a manager plans the notices of the line again', async () => {
    await planWaiting(house.deps);
    await change('odd', { managerId: crew['tora'] });
    expect(await replanned()).toEqual([assignment]);
    await change('odd', { managerId: crew['kari'] });
  });
  test.each<[string, string, object, RegExp]>([
    ['a loop, by name', 'kari', { managerId: 'runa' }, /circle: Kari Aske → Runa Aske → Odd Aske → Kari Aske/],
    ['to be one’s own manager', 'kari', { managerId: 'kari' }, /their own manager/],
    ['a manager who is not there', 'runa', { managerId: '999' }, /There is no person 999/],
    ['an address that is taken', 'runa', { email: 'PER@orlasund.example' }, /is the address of Per Aske/],
    ['a site that is not there', 'runa', { siteId: '999' }, /There is no site 999/],
    [
      'leaving before joining',
      'runa',
      { joinedOn: '2027-02-01', leftOn: '2027-01-01' },
      /would leave on 1 Jan 2027, before joining on 1 Feb 2027/,
    ],
  ])('refuses %s', async (_, who, rest, words) => {
    const managerId = (rest as { managerId?: string }).managerId;
    await expect(change(who, managerId ? { managerId: crew[managerId] ?? managerId } : rest)).rejects.toThrow(words);
  });
  it('knows since when somebody does another job, and keeps what changed', async () => {
    await change('per', { job: 'Boatswain', department: 'Rafts' });
    expect(await rows(house.db, 'select job_since from people where id = $1::bigint', [crew['per']])).toEqual([
      { job_since: '2027-03-04' },
    ]);
    const words = (await timelineOf(house.db, crew['per']!, house.clock.at)).filter(({ what }) => what === 'change').at(-1)!;
    expect(words).toMatchObject({ words: 'Changed department from Deck to Rafts; job from Deckhand to Boatswain', byWhom: 'Sigrid Aune' });
  });
  it('adds somebody', async () => {
    const id = await addPerson(house.deps, { name: 'Nils Tarvik', email: 'Nils@orlasund.example', department: 'Deck', siteId: '1', managerId: crew['odd']! }, 'Sigrid Aune'); // prettier-ignore
    expect(await rows(house.db, 'select name, email, manager_id from people where id = $1::bigint', [id])).toEqual([{ name: 'Nils Tarvik', email: 'nils@orlasund.example', manager_id: crew['odd'] }]); // prettier-ignore
    await expect(addPerson(house.deps, { name: 'Nobody' }, 'Sigrid Aune')).rejects.toThrow('email: expected a value');
  });
});

it('a pasted list finds people by address, number and name, and says who is not found', async () => {
  await changePerson(house.deps, crew['tora']!, { leftOn: '2027-02-01', personnelNumber: 'OF-9' }, 'Sigrid Aune');
  await changePerson(house.deps, crew['per']!, { personnelNumber: 'OF-7' }, 'Sigrid Aune');
  const { found, unknown } = await resolvePeople(house.db, 'Runa Aske <RUNA@orlasund.example>\nof-7; Kari Aske,\tghost@orlasund.example\nOF-9\nruna@orlasund.example', '2027-03-01'); // prettier-ignore
  expect(found.map(({ name }) => name)).toEqual(['Runa Aske', 'Per Aske', 'Kari Aske']);
  expect(unknown).toEqual([
    { text: 'ghost@orlasund.example', why: 'nobody on the roster' },
    { text: 'OF-9', why: 'Tora Aske left on 1 Feb 2027' },
  ]);
});

describe('the record', () => {
  it('says who changed what of the structure, from what to what; a save that changes nothing says nothing', async () => {
    await house.db.query('delete from house_changes');
    const below = await saveDepartment(house.deps, null, { name: 'Ramps', parentId: null }, 'Mina');
    const deck = (await view()).departments.find(({ name }) => name === 'Deck')!;
    await saveDepartment(house.deps, below, { name: 'Ramps', parentId: null, version: 1 }, 'Nobody');
    await saveDepartment(house.deps, below, { name: 'Bow ramps', parentId: deck.id, version: 2 }, 'Mina');
    await removeDepartment(house.deps, below, 'Mina');
    const site = await saveSite(house.deps, null, { name: 'North yard', zone: 'Europe/Oslo', workingDays: [5, 1, 1] }, 'Mina');
    await saveHolidays(house.deps, site, { version: 1, year: 2027, holidays: [{ on: '2027-05-17', name: 'National day' }] }, 'Mina');
    await saveSite(house.deps, site, { name: 'North yard', zone: 'Europe/London', workingDays: [1, 2, 3, 4, 5], version: 2 }, 'Mina');
    const group = await saveGroup(house.deps, null, { name: 'Smoke divers', about: null }, 'Mina');
    await saveGroup(house.deps, group, { name: 'Smoke divers', about: 'with a valid check', version: 1 }, 'Mina');
    await removeGroup(house.deps, group, 'Mina');
    expect((await listHouseChanges(house.db, 'structure')).map(({ byWhom, words }) => `${byWhom}: ${words}`).reverse()).toEqual([
      'Mina: The department Ramps was made: Name Ramps; Stands below nothing.',
      'Mina: The department Ramps: Name Bow ramps, before Ramps; Stands below Deck, before nothing.',
      'Mina: The department Bow ramps was removed.',
      'Mina: The site North yard was made: Name North yard; Time zone Europe/Oslo; Working days Mon, Fri.',
      'Mina: The site North yard: Holidays of 2027 17 May 2027 National day, before none.',
      'Mina: The site North yard: Time zone Europe/London, before Europe/Oslo; Working days Mon to Fri, before Mon, Fri.',
      'Mina: The group Smoke divers was made: Name Smoke divers; What it is for not said.',
      'Mina: The group Smoke divers: What it is for with a valid check, before not said.',
      'Mina: The group Smoke divers was removed.',
    ]);
    // a house in which it was not told apart takes it from this record; and where it is, nothing changes
    const gone = () => rows(house.db, 'select name, is_gone from former_names order by id');
    const kept = await gone();
    await house.db.query("update former_names set is_gone = false where name = 'Bow ramps'");
    const upgrade = await readFile(join(DIRECTORY, '0068_former_names_gone.sql'), 'utf8');
    for (let times = 0; times < 2; times++) {
      await house.db.query(upgrade);
      expect(await gone()).toEqual(kept);
    }
    expect(kept).toContainEqual({ name: 'Bow ramps', is_gone: true });
  });
});
