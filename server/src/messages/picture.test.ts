import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { afterAll, beforeAll, expect, it, test } from 'vitest';
import { STANDARD_PLAN, type Doc } from '@nudrik/core';
import { LetterRequest, TemplateSchema } from '@nudrik/contract';
import { planFile } from '../plans/plan-file.ts';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { letterView } from './letters.ts';
import { mailOf } from './mail-channel.ts';
import { addPicture, findPicture } from './picture.ts';

/** A picture of one pixel. */
const PNG = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

const text = (file: string, alt = 'The "hooks" & slings'): Doc => {
  const picture = { type: 'picture' as const, attrs: { file, alt, width: 320 } };
  const words = { type: 'paragraph' as const, content: [{ type: 'text' as const, text: 'Look:' }] };
  return { type: 'doc', content: [words, picture, { type: 'part', attrs: { onlyIf: { job: ['Deckhand'] } }, content: [picture] }] };
};
const steps = (body: Doc) => STANDARD_PLAN.map((step) => (step.id === 'invitation' ? { ...step, message: { ...step.message, body } } : step)); // prettier-ignore
async function mailTo(person: string) {
  house.mailer.letters = [];
  await assignAt(house, course, [crew[person]!], '2027-03-19T16:00:00Z');
  house.clock.at += 15 * 60_000;
  await drain(house.deps, house.mailer);
  const written = await createTransport({ streamTransport: true, buffer: true }).sendMail(mailOf(house.mailer.letters[0]!));
  return simpleParser(written.message as Buffer, { keepCidLinks: true });
}

it('a picture of a text comes with the mail, once however often it stands there, or is fetched; and is looked at before', async () => {
  const { id, width, height } = await addPicture(house.deps, { name: 'hooks.png', content: PNG });
  expect([width, height]).toEqual([1, 1]);
  const step = steps(text(id))[0]!;
  const view = await letterView(house.deps, course, LetterRequest.parse({ step, as: null }));
  expect(view.fault).toBeNull();
  expect(view.letter!.html).toContain(`<img src="/api/brand/${id}" alt="The &quot;hooks&quot; &amp; slings" width="320"`);
  expect(view.letter!.text).toContain('[The "hooks" & slings]');
  await publishPlan(house.deps, course, { version: 1, steps: steps(text(id)) } as never, 'Sigrid Aune');
  const mail = await mailTo('runa');
  expect(mail.attachments).toHaveLength(1);
  expect(mail.attachments[0]).toMatchObject({ contentType: 'image/png', content: PNG, related: true });
  expect(String(mail.html).split(`src="cid:${mail.attachments[0]!.cid}"`)).toHaveLength(3);
  await house.db.query('update settings set logo_embedded = false');
  const fetched = await mailTo('per');
  expect(fetched.attachments).toEqual([]);
  expect(fetched.html).toContain(`src="http://nudrik.example/api/brand/${id}"`);
  expect(await findPicture(house.db, id)).toMatchObject({ name: 'hooks.png', content: PNG });
});

it('a picture that is not there keeps a message from being looked at and published; and it goes into no plan file', async () => {
  const step = steps(text('999999'))[0]!;
  const view = await letterView(house.deps, course, LetterRequest.parse({ step, as: null }));
  expect(view.fault).toBe('“Invitation”: A picture of the text is not there any more. Take it out, or choose it again.');
  await expect(publishPlan(house.deps, course, { version: 2, steps: steps(text('999999')) } as never, 'Sigrid Aune')).rejects.toThrow(/picture of the text is not there/); // prettier-ignore
  const file = JSON.stringify(await planFile(house.deps.db, course, steps(text('1')) as never));
  expect(file).toContain('Look:');
  expect(file).not.toContain('picture');
});

test.each([
  ['of somebody’s words', { file: '1" onerror="x', alt: '', width: 10 }],
  ['wider than a text', { file: '1', alt: '', width: 5_000 }],
  ['with more', { file: '1', alt: '', width: 100, src: 'https://x.example/a.png' }],
])('a picture %s is refused', (_, attrs) =>
  expect(TemplateSchema.safeParse({ subject: 's', body: { type: 'doc', content: [{ type: 'picture', attrs }] }, button: null }).success).toBe(false)); // prettier-ignore

test.each([
  ['no picture', Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"/>'), 'expected a picture as PNG, JPEG or GIF'],
  ['too large', Buffer.concat([PNG, Buffer.alloc(200_001)]), 'expected at most 200 kB'],
])('a file that is %s is refused', (_, content, words) => expect(addPicture(house.deps, { name: 'x', content })).rejects.toThrow(words));
