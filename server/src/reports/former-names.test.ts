import { afterAll, beforeAll, expect, it } from 'vitest';
import { MatrixQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { changePerson } from '../people/change.ts';
import { changeMembers, removeDepartment, saveDepartment, saveGroup, saveSite } from '../structure/structure.ts';
import { makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { matrixView } from './matrix.ts';

/** Somebody was somewhere, went elsewhere, and where they were is called otherwise since, or gone. */
const BY = 'Sigrid Aune';
const DAY = 86_400_000;
let house: TestHouse;
let crew: Record<string, string>;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
});
afterAll(() => house.close());

const nextDay = (): void => void (house.clock.at += DAY);
const idOf = async (table: 'departments' | 'sites' | 'groups', name: string): Promise<string> =>
  (await rows<{ id: string }>(house.db, `select id from ${table} where name = $1::text`, [name]))[0]!.id;
const versionOf = async (id: string): Promise<number> =>
  (await rows<{ version: number }>(house.db, 'select version from departments where id = $1::bigint', [id]))[0]!.version;
const rename = async (from: string, name: string, parentId: string | null = null): Promise<void> => {
  const id = await idOf('departments', from);
  await saveDepartment(house.deps, id, { name, parentId, version: await versionOf(id) }, BY);
};
const runaAt = async (on: string, known: 'then' | 'now' = 'then'): Promise<string> =>
  (await matrixView(house.db, MatrixQuery.parse({ on, known, find: 'runa' }), house.clock.at)).rows[0]!.where!;
const inGroup = async (group: string, on: string): Promise<string[]> =>
  (await matrixView(house.db, MatrixQuery.parse({ on, known: 'then', group }), house.clock.at)).rows.map(({ name }) => name);

it('a department that is renamed after somebody left it is where they were, by both readings', async () => {
  nextDay();
  const before = await runaAt('2027-03-01');
  expect(before).toContain('Deck');
  await changePerson(house.deps, crew['runa']!, { department: 'Office' }, BY);
  nextDay();
  await rename('Deck', 'Deck and Boats');
  nextDay();
  await rename('Deck and Boats', 'Weather Deck');
  expect(await Promise.all([runaAt('2027-03-01'), runaAt('2027-03-01', 'now'), runaAt('2027-03-02')])).toEqual([
    before.replace('Deck', 'Weather Deck'),
    before.replace('Deck', 'Weather Deck'),
    before.replace('Deck', 'Office'),
  ]);
});

it('one that is called so since is another', async () => {
  nextDay();
  const made = await saveDepartment(house.deps, null, { name: 'Deck', parentId: null }, BY);
  nextDay();
  expect(await runaAt('2027-03-01')).toContain('Weather Deck');
  // who leaves that one was there
  await changePerson(house.deps, crew['runa']!, { department: 'Deck' }, BY);
  nextDay();
  await changePerson(house.deps, crew['runa']!, { department: 'Office' }, BY);
  nextDay();
  await rename('Deck', 'Foredeck');
  const groups = await matrixView(house.db, MatrixQuery.parse({ on: '2027-03-06', known: 'then', by: 'department' }), house.clock.at);
  expect(groups.rows.find(({ id }) => id === made)).toMatchObject({ name: 'Foredeck', people: 1 });
});

it('whoever was in one that is removed is told where it stood below', async () => {
  await rename('Foredeck', 'Bow', await idOf('departments', 'Weather Deck'));
  nextDay();
  await removeDepartment(house.deps, await idOf('departments', 'Bow'), BY);
  expect([await runaAt('2027-03-06'), await runaAt('2027-03-07')].map((where) => /Weather Deck|Office/.exec(where)?.[0])).toEqual(['Weather Deck', 'Office']); // prettier-ignore
});

it('a site and a group too', async () => {
  const group = await saveGroup(house.deps, null, { name: 'First aid', about: null }, BY);
  await changeMembers(house.deps, group, { add: [crew['runa']!], remove: [] }, BY);
  const there = house.clock.at;
  nextDay();
  await changeMembers(house.deps, group, { add: [], remove: [crew['runa']!] }, BY);
  nextDay();
  await saveGroup(house.deps, group, { name: 'First aiders', about: null, version: 1 }, BY);
  const on = new Date(there).toISOString().slice(0, 10);
  expect(await inGroup(group, on)).toEqual(['Runa Aske']);

  const site = (await rows<{ id: string; name: string; zone: string; working_days: number[]; version: number }>(house.db, 'select s.* from sites s join people p on p.site_id = s.id where p.id = $1::bigint', [crew['runa']]))[0]!; // prettier-ignore
  await changePerson(house.deps, crew['runa']!, { siteId: await idOf('sites', 'Tarn Ness') }, BY);
  nextDay();
  await saveSite(house.deps, site.id, { name: 'The Old Quay', zone: site.zone, workingDays: site.working_days, version: site.version }, BY);
  nextDay();
  const sites = await matrixView(house.db, MatrixQuery.parse({ on, known: 'then', by: 'site' }), house.clock.at);
  expect(sites.rows.map(({ name, people }) => [name, people])).toEqual([
    ['Tarn Ness', 1],
    ['The Old Quay', 4],
  ]);
});

it('a report that is sent and a view that is kept follow a name; what a report is narrowed down to is not removed under it', async () => {
  const { db } = house;
  const made = await saveDepartment(house.deps, null, { name: 'Galley', parentId: null }, BY);
  const narrow = { report: 'matrix', by: 'person', department: 'Galley' };
  await db.query("insert into sent_reports (name, of, kind, every, at_time, is_on, made_by, changed_by, changed_at) values ('Who cooks', $1::jsonb, 'xlsx', 'day', '08:00', true, $2::text, $2::text, now())", [narrow, BY]); // prettier-ignore
  await db.query("insert into kept_views (page, name, params, made_by, made_at, roles) values ('matrix', 'Cooks', $1::jsonb, $2::text, now(), '{auditor}')", [{ department: 'Galley', state: 'late' }, BY]); // prettier-ignore
  await rename('Galley', 'Galley and Stores');
  const [report] = await rows<{ of: object }>(db, 'select of from sent_reports', []);
  const [view] = await rows<{ params: object }>(db, 'select params from kept_views', []);
  expect([report!.of, view!.params]).toEqual([{ ...narrow, department: 'Galley and Stores' }, { department: 'Galley and Stores', state: 'late' }]); // prettier-ignore
  await expect(removeDepartment(house.deps, made, BY)).rejects.toThrow('Galley and Stores is what “Who cooks” is narrowed down to, which goes by mail. Change it there first'); // prettier-ignore
});
