import { createHash } from 'node:crypto';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { RunningOutQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { changePerson } from '../people/change.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { certificatePdf, verify, verifyFile } from './certificates.repo.ts';
import { revokeCertificate } from './revoke.ts';
import { runningOut } from './running-out.repo.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

const TODAY = '2028-01-10';
const asked = (query: object = {}, today = TODAY) => runningOut(house.db, RunningOutQuery.parse(query), today);
const names = async (query: object = {}, today = TODAY) =>
  (await asked(query, today)).rows.map(({ person, until }) => `${person.name} ${until}`);
async function finish(who: string, at: string): Promise<string> {
  house.clock.at = Date.parse(at);
  const [assignment] = await assignAt(house, course, [crew[who]!], '2029-03-19T16:00:00Z');
  const link = await linkInto(house, assignment!);
  for (const { units } of (await findLearning(house.deps, link)).sections)
    for (const { id } of units) await markUnitDone(house.deps, link, id);
  return assignment!;
}

it('is counted by department and listed by name: once each, by the last day on which it is held', async () => {
  await finish('runa', '2027-02-01T10:00:00Z'); // until 1 Feb 2028
  await finish('per', '2027-03-01T10:00:00Z'); // until 1 Mar 2028
  await finish('tora', '2027-04-05T10:00:00Z'); // until 5 Apr 2028, Office
  await finish('odd', '2027-06-01T10:00:00Z'); // until 1 Jun 2028: not yet
  const [{ id: deck }] = (await rows<{ id: string }>(house.db, "select id from departments where name = 'Deck'")) as [{ id: string }];
  const { departments, courses, total } = await asked();
  expect(departments.map(({ id: _, ...rest }) => rest)).toEqual([
    { name: 'Deck', in30: 1, in60: 2, in90: 2, unasked: 2 },
    { name: 'Office', in30: 0, in60: 0, in90: 1, unasked: 1 },
  ]);
  expect([courses.map(({ title }) => title), total]).toEqual([['Fire Teams Aboard'], 3]);
  expect(await names()).toEqual(['Runa Aske 2028-02-01', 'Per Aske 2028-03-01', 'Tora Aske 2028-04-05']);
  // what a number says is what its list has
  for (const [within, key] of [
    [30, 'in30'],
    [60, 'in60'],
    [90, 'in90'],
  ] as const)
    for (const row of departments) expect((await asked({ within, department: row.id })).total).toBe(row[key]);
  expect(await names({ within: '60', department: deck })).toEqual(['Runa Aske 2028-02-01', 'Per Aske 2028-03-01']);
  expect(await names({ course: '999' })).toEqual([]);
});

it('is not what has a newer certificate, was asked for again, was revoked, or is held by who has left', async () => {
  // asked for again, and finished again: held for longer
  house.clock.at = Date.parse('2028-01-02T10:00:00Z');
  const [again] = await assignAt(house, course, [crew['runa']!], '2028-02-01T16:00:00Z');
  expect((await asked({ asked: 'yes' })).rows).toMatchObject([{ person: { name: 'Runa Aske' }, again: { assignmentId: again } }]);
  expect(await names({ asked: 'no' })).toEqual(['Per Aske 2028-03-01', 'Tora Aske 2028-04-05']);
  const link = await linkInto(house, again!);
  for (const { units } of (await findLearning(house.deps, link)).sections)
    for (const { id } of units) await markUnitDone(house.deps, link, id);
  await drain(house.deps, house.mailer);
  expect(await names()).toEqual(['Per Aske 2028-03-01', 'Tora Aske 2028-04-05']);
  const {
    rows: [per],
  } = await asked({ asked: 'no' });
  await revokeCertificate(house.deps, per!.serial!, 'Issued in error', 'Sigrid Aune');
  expect(await names()).toEqual(['Tora Aske 2028-04-05']);
  await changePerson(house.deps, crew['tora']!, { leftOn: '2028-01-09' }, 'Sigrid Aune');
  expect(await names()).toEqual([]);
});

it('is renewed by itself where a requirement asks for it again, and then nobody has to be reminded', async () => {
  await changePerson(house.deps, crew['tora']!, { leftOn: null }, 'Sigrid Aune');
  expect(await names({ asked: 'no' })).toEqual(['Tora Aske 2028-04-05']);
  const { id } = await addRequirement(
    house.deps,
    { name: 'Fire teams, every year', courseId: course, audience: { all: [] }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: { months: 12, leadDays: 30 }, from: null, until: null, takesJoiners: true, whenOut: 'ask' },
    'Sigrid Aune',
  ); // prettier-ignore
  await switchOn(house.deps, id, 1, 'Sigrid Aune');
  await drain(house.deps, house.mailer);
  const { rows: found, departments } = await asked();
  expect(found.find(({ person }) => person.name === 'Tora Aske')).toMatchObject({
    again: null,
    renewedBy: { name: 'Fire teams, every year', on: '2028-03-06' },
  });
  expect([await names({ asked: 'no' }), departments.map(({ unasked }) => unasked)]).toEqual([[], [0]]);
  // its day went by and nothing is open: it did not ask, and nobody is reassured that it will
  await house.db.query('update standings set open_id = null where person_id = $1::bigint', [crew['tora']]);
  expect(await names({ asked: 'no' }, '2028-03-07')).toEqual(['Tora Aske 2028-04-05']);
  await house.db.query('select refresh_standings(array[$1::bigint], array[$2::bigint])', [crew['tora'], course]);
});

it('a certificate is known by its file too, to the last letter', async () => {
  const [{ serial }] = (await rows<{ serial: string }>(house.db, 'select serial from certificates order by id limit 1')) as [
    { serial: string },
  ];
  const pdf = (await certificatePdf(house.db, serial, 'http://nudrik.example'))!;
  const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
  expect(await verifyFile(house.db, digest(pdf), '2027-03-01')).toEqual(await verify(house.db, serial, '2027-03-01'));
  expect(await verifyFile(house.db, digest(pdf), '2027-03-01')).toMatchObject({ answer: 'genuine', serial, name: 'Runa Aske' });
  const changed = Buffer.from(pdf);
  changed[changed.length - 20]! ^= 1;
  expect(await verifyFile(house.db, digest(changed), '2027-03-01')).toMatchObject({ answer: 'unknown' });
});
