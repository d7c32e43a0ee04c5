import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { PeopleQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { planWaiting } from '../notices/plan.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { changePerson } from './change.ts';
import { previewImport, takeImport } from './import.ts';
import { findPersonSheet, listPeople, peopleFacets } from './people.repo.ts';
import { readRosterFile } from './roster-file.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, [crew['runa']!], '2027-02-26T16:00:00Z');
  await planWaiting(house.deps);
});
afterAll(() => house.close());

const list = async (query: object): Promise<string[]> =>
  (await listPeople(house.db, PeopleQuery.parse(query), house.clock.at, '2027-03-01')).rows.map((row) => row.name.split(' ')[0]!);

describe('the roster', () => {
  test.each<[string, object, string[]]>([
    ['by name', {}, ['Kari', 'Odd', 'Per', 'Runa', 'Tora']],
    ['by name, backwards', { order: 'desc' }, ['Tora', 'Runa', 'Per', 'Odd', 'Kari']],
    ['who is late first', { sort: 'late', order: 'desc', size: 1 }, ['Runa']],
    ['by manager, those without last', { sort: 'manager', size: 1 }, ['Odd']],
    ['the second page', { size: 2, page: 1 }, ['Per', 'Runa']],
    ['found by part of an address', { find: 'per@' }, ['Per']],
    ['found by job', { find: 'deckh', department: 'Office' }, ['Tora']],
    ['one site', { site: 'Tarn Ness' }, ['Kari']],
    ['without a manager', { show: 'no-manager' }, ['Kari', 'Tora']],
    ['nobody by a lone wild card', { find: '_____@' }, []],
  ])('lists %s', async (_, query, expected) => expect(await list(query)).toEqual(expected));

  it('counts departments and sites', async () => {
    const facets = await peopleFacets(house.db);
    expect(facets.departments).toEqual([
      { name: 'Deck', people: 4 },
      { name: 'Office', people: 1 },
    ]);
    expect(facets.sites.map(({ name, zone, people }) => [name, zone, people])).toEqual([
      ['Orla Quay', 'Europe/Oslo', 4],
      ['Tarn Ness', 'Europe/London', 1],
    ]);
  });

  it('opens a person with the line, leave and courses', async () => {
    await house.db.query(
      "insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, '2027-03-10', '2027-03-12', $2::bigint)",
      [crew['odd'], crew['tora']],
    );
    const odd = await findPersonSheet(house.db, crew['odd']!, house.clock.at, '2027-03-01');
    expect(odd!.person).toMatchObject({
      team: 2,
      zone: 'Europe/Oslo',
      manager: { name: 'Kari Aske' },
      leave: [{ from: '2027-03-10', to: '2027-03-12', cover: 'Tora Aske' }],
    });
    const runa = await findPersonSheet(house.db, crew['runa']!, house.clock.at, '2027-03-01');
    expect(runa!.assignments).toMatchObject([
      { course: { title: 'Fire Teams Aboard' }, state: 'overdue', unitsDone: 0, unitsRequired: 2, certificate: null },
    ]);
    expect(await findPersonSheet(house.db, '999', house.clock.at, '2027-03-01')).toBeNull();
  });
});

describe('a correction', () => {
  it('of a manager plans the notices of the line again', async () => {
    const before = await rows<{ recipient_name: string }>(house.db, "select recipient_name from notices where step_id = 'to-manager'");
    expect(before[0]!.recipient_name).toBe('Odd Aske');
    await changePerson(house.deps, crew['runa']!, { managerId: crew['tora']! });
    expect(await rows(house.db, 'select 1 from replan')).toHaveLength(1);
    await planWaiting(house.deps);
    await changePerson(house.deps, crew['runa']!, { managerId: crew['odd']! });
    await planWaiting(house.deps);
  });
  test.each([
    ['of somebody who is not there', '999', { email: 'x@orlasund.example' }, 'not-found'],
    ['to a manager who is not there', null, { managerId: '999' }, '23503'],
  ])('%s is refused', async (_, id, change, code) => {
    await expect(changePerson(house.deps, id ?? crew['runa']!, change)).rejects.toMatchObject({ code });
  });
});

describe('reading a roster file', () => {
  test.each([
    ['semicolons', 'name;email\nBo;bo@x.example\n'],
    ['tabs', 'name\temail\nBo\tbo@x.example\n'],
    ['commas, and a byte order mark', '\ufeffname,email\nBo,bo@x.example\n'],
    ['quotation marks', '"name","email"\n"Bo","bo@x.example"\n'],
    ['line ends of Windows', 'name,email\r\nBo,bo@x.example\r\n'],
  ])('takes %s', (_, text) =>
    expect(readRosterFile(Buffer.from(text), 'roster.csv').slice(0, 2)).toEqual([
      ['name', 'email'],
      ['Bo', 'bo@x.example'],
    ]),
  );
  test.each([
    ['a workbook', Buffer.from('PK\u0003\u0004xxxx'), 'a ZIP or Excel workbook'],
    ['a picture', Buffer.concat([Buffer.from([0x89]), Buffer.from('PNG')]), 'a picture'],
    ['bytes of nothing', Buffer.from('a\0b'), 'not a text file'],
  ])('refuses %s by what it is', (_, bytes, words) => expect(() => readRosterFile(bytes, 'roster.csv')).toThrow(words));
});

describe('taking a file', () => {
  it('is one transaction: a row that the database refuses takes none', async () => {
    const bytes = Buffer.from(
      'name,email,department,site,personnel number\nA,a@orlasund.example,Deck,Orla Quay,1\nB,b@orlasund.example,Deck,Orla Quay,2\n',
    );
    const { mark } = await previewImport(house.deps, bytes, 'roster.csv');
    await house.db.query(
      "create function refuse_b() returns trigger language plpgsql as $$ begin if new.email = 'b@orlasund.example' then raise exception 'no'; end if; return new; end $$",
    );
    await house.db.query('create trigger refuse before insert on people for each row execute function refuse_b()');
    await expect(takeImport(house.deps, bytes, 'roster.csv', mark, 'Sigrid Aune')).rejects.toThrow('no');
    await house.db.query('drop trigger refuse on people');
    expect(await list({ find: 'a@orlasund' })).not.toContain('A');
    expect(await takeImport(house.deps, bytes, 'roster.csv', mark, 'Sigrid Aune')).toEqual({ added: 2, changed: 0, rejected: 0 });
    expect(await rows(house.db, 'select file_name, taken_by, added from imports')).toEqual([
      { file_name: 'roster.csv', taken_by: 'Sigrid Aune', added: 2 },
    ]);
  });
  it('two takers of the same preview: one takes, the other is told', async () => {
    const bytes = Buffer.from('name,email,department,site\nC,c@orlasund.example,Deck,Orla Quay\n');
    const { mark } = await previewImport(house.deps, bytes, 'roster.csv');
    const results = await Promise.allSettled([1, 2].map(() => takeImport(house.deps, bytes, 'roster.csv', mark, 'Sigrid Aune')));
    expect(results.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    expect(results.find(({ status }) => status === 'rejected')).toMatchObject({ reason: { code: 'stale' } });
  });
});
