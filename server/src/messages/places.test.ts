import { afterAll, beforeAll, expect, it } from 'vitest';
import { bareStep, type PlanStep } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { markUnitDone } from '../learning/learn.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';

let house: TestHouse;
beforeAll(async () => {
  house = await openTestHouse();
});
afterAll(() => house.close());

const body = {
  type: 'doc',
  content: [
    { type: 'paragraph', content: [{ type: 'text', text: 'the unit', marks: [{ type: 'link', attrs: { href: 'to:unit' } }] }] },
    { type: 'button', attrs: { href: 'to:unit' }, content: [{ type: 'text', text: 'Look at it again' }] },
  ],
};
const step = (id: string, rest: Partial<PlanStep>): PlanStep =>
  bareStep(id, { name: id, kind: 'follow-up', anchor: { event: 'unit-finished' }, offset: { amount: 0, unit: 'minutes' }, message: { subject: id, body, button: null } as never, ...rest }); // prettier-ignore

it('a link to the unit leads its reader into it, from the course where a step hangs on none, and nobody else anywhere', async () => {
  const crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null, settle_minutes = 0');
  const course = await makeCourse(house, crew['tora']!);
  await publishPlan(house.deps, course, { version: 1, steps: [step('done', {}), step('begun', { anchor: { event: 'assigned' } }), step('told', { to: ['manager'] })] } as never, 'Tora'); // prettier-ignore
  const [id] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  const [unit] = (await rows<{ id: string }>(house.db, 'select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint order by u.id', [course])) as [{ id: string }]; // prettier-ignore
  const link = await linkInto(house, id);
  await markUnitDone(house.deps, link, unit.id);
  await drain(house.deps, house.mailer);
  const said = (subject: string): string => house.mailer.letters.find((letter) => letter.subject === subject)!.text;
  expect(said('done')).toContain(`the unit (http://nudrik.example/go/${link}/unit-${unit.id})`);
  expect(said('done')).toContain(`Look at it again:\nhttp://nudrik.example/go/${link}/unit-${unit.id}`);
  expect(said('begun')).toContain(`the unit (http://nudrik.example/go/${link})`);
  expect(said('told')).not.toContain('/go/');
  // others who read the letter see that a link stands there, and nothing of it
  const [notice] = await rows<{ id: string }>(house.db, "select id from notices where step_id = 'done'");
  const { mail } = await findNoticeSheet(house.deps, notice!.id);
  for (const text of [mail!.html, mail!.text]) expect(text).not.toMatch(/unit-\d|\/go\//);
});
