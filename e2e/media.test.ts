import { readFileSync } from 'node:fs';
import { expect, test, type Browser, type Page } from '@playwright/test';
import { strToU8, zipSync } from 'fflate';
import { area, signInAs } from './pages.ts';

/** Files of all kinds dropped on a course, cut off and gone on with; a package and a film as an employee goes through them. */
test.describe.configure({ mode: 'serial' });

let page: Page;
let reader: Page;
test.beforeAll(async ({ browser }: { browser: Browser }) => {
  page = await browser.newPage();
  reader = await browser.newPage({ viewport: { width: 390, height: 800 } });
});
test.afterAll(async () => {
  await page.close();
  await reader.close();
});

const box = (kind: string, content: Buffer): Buffer => {
  const head = Buffer.alloc(8);
  head.writeUInt32BE(8 + content.length, 0);
  head.write(kind, 4, 'latin1');
  return Buffer.concat([head, content]);
};
const film = Buffer.concat([box('ftyp', Buffer.from('isom\0\0\u0002\0isomiso2avc1mp41', 'latin1')), box('moov', Buffer.alloc(8)), box('mdat', Buffer.alloc(12_000_000, 1))]); // prettier-ignore
const file = (name: string, content: Buffer | string, mimeType = 'application/octet-stream') => ({ name, mimeType, buffer: Buffer.from(content as Buffer) }); // prettier-ignore
const docx = Buffer.from(
  zipSync({
    '[Content_Types].xml': strToU8('<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>'),
    '_rels/.rels': strToU8('<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>'),
    'word/document.xml': strToU8('<?xml version="1.0"?><w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p><w:r><w:t>Close the hatch before the squall.</w:t></w:r></w:p></w:body></w:document>'),
  }),
); // prettier-ignore

test('files dropped on a section become its units, each by what stands in it', async () => {
  await signInAs(page, 'Tora Hauge');
  await area(page, 'Courses');
  await page.getByRole('link', { name: 'New course' }).click();
  await page.getByLabel('Title, as it stands in every message').fill('Bridge Films');
  await expect(page.getByRole('button', { name: 'Begin' })).toBeEnabled();
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/courses\/\d+$/);
  await page
    .getByLabel('Files for First section')
    .setInputFiles([
      file('hatches.docx', docx),
      file('notes-for-the-watch.txt', 'Two on the bridge.'),
      file('plan.pdf', '<!doctype html><script>1</script>'),
    ]);
  const line = (title: string) => page.locator('.line.unit', { has: page.locator(`input[aria-label^="Unit"]`) }).filter({ has: page.getByRole('button', { name: `Open ${title}` }) }); // prettier-ignore
  await expect(line('Hatches').locator('.kind')).toHaveText('page');
  await expect(line('Notes for the watch').locator('.kind')).toHaveText('file');
  await line('Plan').getByRole('button', { name: 'was not taken' }).click();
  const sheet = page.locator('nk-unit-sheet');
  await expect(sheet.getByRole('alert')).toContainText('plan.pdf: this is a web page, which may carry script');
  await page.getByRole('button', { name: 'Open Hatches' }).click();
  await expect(sheet.getByRole('textbox', { name: 'Text of the page' })).toContainText('Close the hatch before the squall.');
  // and the text is written on: a table, and a call-out
  await sheet.getByRole('textbox', { name: 'Text of the page' }).click();
  await page.keyboard.press('Control+End');
  const kept = page.waitForResponse(
    (answer) => answer.request().method() === 'PUT' && (answer.request().postData() ?? '').includes('danger'),
  );
  await sheet.getByRole('button', { name: 'Danger' }).click();
  await kept;
  await expect(sheet.locator('aside.danger')).toContainText('Close the hatch before the squall.');
  await expect(page.getByText(/^\s*saved \d\d:\d\d/)).toBeVisible();
  await expect(page).toHaveURL(/unit=\d+$/);
  await page.reload();
  await expect(sheet.locator('aside.danger')).toContainText('Close the hatch before the squall.');
});

test('an upload that is cut off says so and goes on where it was', async () => {
  const offsets: string[] = [];
  let isCut = false;
  await page.route('**/api/uploads/*', async (route) => {
    const request = route.request();
    if (request.method() !== 'PATCH') return isCut ? route.abort('connectionfailed') : route.continue();
    const offset = request.headers()['upload-offset']!;
    if (offset !== '0' && offsets.length === 1) isCut = true;
    offsets.push(offset);
    return isCut ? route.abort('connectionfailed') : route.continue();
  });
  await page.getByLabel('Files for First section').setInputFiles([file('abandon.mp4', film)]);
  await page.getByRole('button', { name: 'Open Abandon' }).click();
  const sheet = page.locator('nk-unit-sheet');
  await expect(sheet.getByText('The connection is cut. It goes on where it was')).toBeVisible();
  isCut = false;
  await expect(sheet.getByText(/MP4 video, 11 MB/)).toBeVisible({ timeout: 60_000 });
  await page.unroute('**/api/uploads/*');
  // what came before was not sent again
  expect(offsets.filter((offset) => offset === '0')).toHaveLength(1);
  await expect(
    page
      .getByRole('combobox', { name: 'Kind' })
      .or(sheet.getByText('video', { exact: true }))
      .first(),
  ).toBeVisible();
});

test('an employee goes through a package, and is where they left it', async () => {
  await signInAs(reader, 'Runa Aske');
  await reader.goto('/my-training');
  await reader.getByRole('link', { name: 'Go on with Gangway and Line Handling' }).click();
  await reader.getByRole('button', { name: /a drill/ }).click();
  const drill = reader.frameLocator('nk-unit-package iframe');
  await drill.getByRole('button', { name: 'Put on a life-jacket and jump after' }).click();
  await drill.getByRole('button', { name: /Shout “man overboard”/ }).click();
  await expect(reader.getByText('Where you are is kept.')).toBeVisible();
  await expect(drill.getByRole('heading', { name: 'The ring is in the water' })).toBeVisible();
  await reader.reload();
  await reader.getByRole('button', { name: /a drill/ }).click();
  await expect(drill.getByRole('heading', { name: 'The ring is in the water' })).toBeVisible();
  // nothing of ours is within its reach
  const frame = reader.frames().find((one) => one.url().includes('/api/packages/'))!;
  expect(await frame.evaluate(() => [location.origin === self.origin, self.origin, document.cookie])).toEqual([false, 'null', '']);
  await drill.getByRole('button', { name: 'One person who does nothing else' }).click();
  await drill.getByRole('button', { name: /Two at the least/ }).click();
  await expect(drill.getByText('With 1 wrong turn.')).toBeVisible();
  await expect(reader.getByText('Done, and kept.')).toBeVisible();
  await expect(reader.getByRole('button', { name: /a drill/ })).toContainText('done');
});

test('a film counts when it was played, and not when it was dragged over', async () => {
  await reader.goto('/my-training');
  await reader.getByRole('link', { name: 'Look at Muster and Abandon Ship again' }).first().click();
  await reader.getByRole('button', { name: /The muster, as it should look/ }).click();
  const player = reader.locator('video');
  await expect.poll(() => player.evaluate((one: HTMLVideoElement) => one.readyState)).toBeGreaterThan(0);
  await player.evaluate(async (one: HTMLVideoElement) => {
    one.muted = true;
    await one.play();
    one.currentTime = 22;
  });
  await expect.poll(() => player.evaluate((one: HTMLVideoElement) => one.ended), { timeout: 30_000 }).toBe(true);
  await expect(reader.getByText(/% of it played; it counts as watched from 90 % on/)).toBeVisible();
  await expect(reader.getByRole('button', { name: /The muster, as it should look/ })).not.toContainText('done');
});

test('a PDF is shown in the page', async () => {
  await reader.getByRole('button', { name: /Muster card/ }).click();
  await expect(reader.getByText('Page 1 of 1')).toBeVisible();
  await expect(reader.locator('nk-unit-pdf .text')).toContainText('Muster card, to print');
});

test('a course is looked at as an employee, on a later day, and nothing of it is recorded', async () => {
  await area(page, 'Courses');
  await page.getByText('Cash and Ticket Data').first().click();
  await page.getByRole('link', { name: 'Look as the employee' }).click();
  const screen = page.locator('nk-learn');
  await expect(screen.getByRole('heading', { name: 'Cash and Ticket Data' })).toBeVisible();
  await screen.getByRole('button', { name: /Till and tickets/ }).click();
  await screen.getByRole('button', { name: 'Begin' }).click();
  await screen.getByRole('button', { name: 'Submit' }).click();
  await screen.getByRole('button', { name: /Submit/ }).click();
  await expect(screen.getByText(/not passed/i).first()).toBeVisible();
  await expect(page.getByText('Nothing that you do here is recorded')).toBeVisible();
  await expect(page.locator('.notice-line').first()).toContainText('Invitation');
  await page.getByRole('button', { name: 'A week later' }).click();
  await expect(page.locator('.notice-line').first()).toContainText('gone');
  await page.getByRole('link', { name: 'Under way' }).click();
  await expect(page.getByText('Somebody New')).toHaveCount(0);
  await expect(page.getByText(/\d+ under way/)).toBeVisible();
});

test('a course goes out as a file and comes in again', async () => {
  const waiting = page.waitForEvent('download');
  await page.getByRole('button', { name: 'More', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Download it as a file' }).click();
  const path = await (await waiting).path();
  await area(page, 'Courses');
  await page.getByLabel('A course as a file').setInputFiles({ name: 'cash.zip', mimeType: 'application/zip', buffer: readFileSync(path) });
  await expect(page.getByText(/There is a course “Cash and Ticket Data” already/)).toBeVisible();
  await page.getByRole('link', { name: 'Cash and Ticket Data (2)' }).click();
  await expect(page.getByLabel('Unit 1 of Data')).toHaveValue('What we may keep');
});

test('a survey is answered without a name', async () => {
  await signInAs(reader, 'Runa Aske');
  await page.goto('/courses');
  await page.getByText('Passenger Assistance').first().click();
  await page.getByRole('link', { name: 'Look as the employee' }).click();
  const screen = page.locator('nk-learn');
  await screen.getByRole('button', { name: /How was this for you/ }).click();
  await screen.getByRole('button', { name: 'Send it' }).click();
  await expect(screen.getByRole('alert')).toHaveText('Question 1 asks for an answer.');
  await screen.getByRole('radio', { name: '4' }).check();
  await screen.getByRole('button', { name: 'Send it' }).click();
  await expect(screen.getByText('Answered, thank you.')).toBeVisible();
});
