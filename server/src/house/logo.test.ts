import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { afterAll, beforeAll, expect, it, test } from 'vitest';
import { contrastWithWhite } from '@nudrik/core';
import { SettingsDraft } from '@nudrik/contract';
import { mailOf } from '../messages/mail-channel.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { findPicture as findLogo } from '../messages/picture.ts';
import { setLogo } from './logo.ts';
import { listHouseChanges } from './record.ts';
import { saveSettings, settingsView } from './settings.ts';

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

/** The next mail, as a mail program reads it. */
async function mailTo(person: string): Promise<Awaited<ReturnType<typeof simpleParser>>> {
  house.mailer.letters = [];
  await assignAt(house, course, [crew[person]!], '2027-03-19T16:00:00Z');
  house.clock.at += 15 * 60_000;
  await drain(house.deps, house.mailer);
  const written = await createTransport({ streamTransport: true, buffer: true }).sendMail(mailOf(house.mailer.letters[0]!));
  return simpleParser(written.message as Buffer, { keepCidLinks: true });
}

it('stands around every message: the picture comes with it or is fetched, the colour and the postal words are the house’s', async () => {
  await setLogo(house.deps, { name: 'ship.png', content: PNG }, 'Sigrid Aune');
  const draft = SettingsDraft.parse(await settingsView(house.deps));
  await saveSettings(house.deps, { ...draft, frameColor: '#004d40', imprint: 'Orlasund Ferries, Quay 1\n5999 Orlasund' }, 'Sigrid Aune');
  const mail = await mailTo('runa');
  const [picture] = mail.attachments;
  expect(picture).toMatchObject({ contentType: 'image/png', content: PNG });
  expect(mail.html).toContain(`<img src="cid:${picture!.cid}" alt="Orlasund Ferries"`);
  expect(mail.html).toContain('background:#004D40');
  expect(mail.html).toContain('Orlasund Ferries, Quay 1<br>5999 Orlasund');
  expect(mail.text).toContain('Orlasund Ferries, Quay 1\n5999 Orlasund');

  await saveSettings(house.deps, { ...SettingsDraft.parse(await settingsView(house.deps)), logoEmbedded: false }, 'Sigrid Aune');
  const fetched = await mailTo('per');
  expect(fetched.attachments).toEqual([]);
  const [, id] = /<img src="http:\/\/nudrik\.example\/api\/brand\/(\d+)"/.exec(String(fetched.html))!;
  expect(await findLogo(house.db, id!)).toMatchObject({ type: 'image/png', content: PNG });

  // taken away: what went keeps its picture
  await setLogo(house.deps, null, 'Sigrid Aune');
  expect((await mailTo('odd')).html).not.toContain('<img');
  expect(await findLogo(house.db, id!)).toMatchObject({ name: 'ship.png' });
  expect((await listHouseChanges(house.db, 'settings')).map(({ words }) => words).join('\n')).toMatch(/Picture.*ship\.png/);
});

test.each([
  ['too large', Buffer.concat([PNG, Buffer.alloc(200_001)]), 'expected at most 200 kB'],
  [
    'no picture',
    Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'),
    'expected a picture as PNG, JPEG or GIF',
  ],
  ['broken', PNG.subarray(0, 12), 'Nothing was'],
  ['empty', Buffer.alloc(0), 'Nothing was'],
])('a picture that is %s is refused, and nothing changes', async (_, content, words) => {
  await expect(setLogo(house.deps, { name: 'x.png', content }, 'Sigrid Aune')).rejects.toThrow(words);
  expect((await settingsView(house.deps)).logo).toBeNull();
});

test.each([
  ['#000000', 21],
  ['#FFFFFF', 1],
  ['#767676', 4.54],
  ['#6C2A5E', 9.86],
])('white on %s has a contrast of %d', (color, contrast) => expect(contrastWithWhite(color)).toBeCloseTo(contrast, 1));

it('a colour on which white is not read is refused in a sentence', async () => {
  const parsed = SettingsDraft.safeParse({ ...(await settingsView(house.deps)), frameColor: '#FFEE88' });
  expect(parsed.error?.issues[0]?.message).toBe('expected a darker colour: white letters on it could not be read');
});
