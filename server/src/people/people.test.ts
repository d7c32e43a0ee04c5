import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { PeopleQuery } from '@nudrik/contract';
import { planWaiting } from '../notices/plan.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { findPersonSheet, listPeople, peopleFacets } from './people.repo.ts';

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
    ['whose name begins with it first, then whose last name does', { find: 'o', sort: 'fit' }, ['Odd', 'Tora', 'Kari', 'Per', 'Runa']],
    ['who is written to on a day', { from: '2027-03-01', to: '2027-03-31' }, ['Odd', 'Runa']],
    ['who is written to on days', { from: '2027-01-01', to: '2027-02-01' }, []],
    ['nobody by a lone wild card', { find: '_____@' }, []],
  ])('lists %s', async (_, query, expected) => expect(await list(query)).toEqual(expected));

  it('counts departments and sites', async () => {
    const facets = await peopleFacets(house.db, '2027-03-01');
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
      leave: [{ id: expect.any(String), from: '2027-03-10', to: '2027-03-12', cover: 'Tora Aske' }],
    });
    const runa = await findPersonSheet(house.db, crew['runa']!, house.clock.at, '2027-03-01');
    expect(runa!.assignments).toMatchObject([
      { course: { title: 'Fire Teams Aboard' }, state: 'overdue', unitsDone: 0, unitsRequired: 2, certificate: null },
    ]);
    expect(await findPersonSheet(house.db, '999', house.clock.at, '2027-03-01')).toBeNull();
  });
});
