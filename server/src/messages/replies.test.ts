import { afterAll, beforeEach, expect, it } from 'vitest';
import { rows } from '../db/db.ts';
import { findLearning } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';

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
});
afterAll(() => house.close());

/** Whom the reply to the first message reaches, who its text says reads it, and who the page that it opens says does. */
async function told(): Promise<object> {
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await drain(house.deps, house.mailer);
  const [letter] = house.mailer.letters;
  const [kept] = await rows<{ reply_to: string }>(house.db, 'select reply_to from messages order by id limit 1');
  expect(kept!.reply_to).toBe(letter!.replyTo);
  const reader = (text: string): string | null => /Just reply, (.*) reads it\./.exec(text)?.[1] ?? null;
  expect(reader(letter!.html)).toBe(reader(letter!.text));
  const { trainer } = await findLearning(house.deps, await linkInto(house, assignment));
  return { to: letter!.replyTo, reader: reader(letter!.text), page: trainer };
}
const set = (rest: string): Promise<unknown> => house.db.query(`update settings set ${rest}`);

it('goes to the house, and promises nobody by name who does not get it', async () => {
  await set("reply_to = 'training@orlasund.example'");
  expect(await told()).toEqual({ to: 'training@orlasund.example', reader: null, page: null });
});

it('names the trainer where the house’s address is theirs', async () => {
  await set("reply_to = 'tora@orlasund.example'");
  expect(await told()).toEqual({ to: 'tora@orlasund.example', reader: 'Tora Aske', page: 'Tora Aske' });
});

it('goes to the trainer of the course where the house says so', async () => {
  await set("reply_to = 'training@orlasund.example', replies_to_trainer = true");
  expect(await told()).toEqual({ to: 'tora@orlasund.example', reader: 'Tora Aske', page: 'Tora Aske' });
});

it.each([
  ['has left', "update people set left_on = '2027-02-01' where name = 'Tora Aske'"],
  ['gets no mail', "update people set address_state = 'bounced' where name = 'Tora Aske'"],
  ['is none', 'update courses set owner_id = null'],
])('goes to the house where the trainer %s', async (_, change) => {
  await set("reply_to = 'training@orlasund.example', replies_to_trainer = true");
  await house.db.query(change);
  expect(await told()).toEqual({ to: 'training@orlasund.example', reader: null, page: null });
});
