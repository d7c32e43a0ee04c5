import { expect, test, type Browser, type Page } from '@playwright/test';
import { area, choose, list, press, signInAs } from './pages.ts';

/** Opens the newest mail with these words in its subject. @returns the download link in it */
async function linkIn(page: Page, subject: string): Promise<string> {
  await page.goto('/post-room');
  await page.getByPlaceholder('address or subject').fill(subject);
  await expect(page.getByRole('row', { name: '@' }).filter({ hasNotText: subject })).toHaveCount(0);
  await page.getByRole('row', { name: subject }).first().click({ timeout: 3_000 });
  await page.getByRole('button', { name: 'plain text' }).click();
  const text = page.getByText(/\/download\/[\w-]+/).first();
  await expect(text).toBeVisible({ timeout: 3_000 });
  return /\/download\/[\w-]+/.exec(await text.innerText())![0];
}

/** A link on a device of its own, which nobody is signed in on. */
async function elsewhere(browser: Browser, link: string): Promise<Page> {
  const page = await (await browser.newContext({ baseURL: test.info().project.use.baseURL! })).newPage();
  await page.goto(link);
  await expect(page.getByRole('heading', { name: 'Hose checks.txt' })).toBeVisible();
  return page;
}

test('a file goes as a download: opened once, passed on it opens nothing, and it is asked for anew', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page.getByText('Fire Teams Aboard').first().click();
  await page
    .getByRole('button', { name: /^Late, / })
    .first()
    .click();
  await page.getByRole('button', { name: 'Edit message' }).click();
  const writer = page.getByRole('dialog');
  const files = writer.getByRole('group', { name: 'Files with it' });
  // what is a program is refused, with a sentence
  const field = files.locator('.adds input[type=file]');
  await field.setInputFiles({ name: 'hoses.exe', mimeType: 'application/octet-stream', buffer: Buffer.from('MZ\u0090\u0000') });
  await expect(files.getByRole('alert')).toContainText('hoses.exe');
  await field.setInputFiles({ name: 'Hose checks.txt', mimeType: 'text/plain', buffer: Buffer.from('On the first of each month.\n') });
  const file = files.getByRole('group', { name: 'Hose checks.txt' });
  await choose(list(file, 'How it goes'), 'to download');
  await choose(list(file, 'How often'), 'so often:');
  await expect(file.getByLabel('may be asked for anew')).toBeChecked();
  await expect(writer.frameLocator('iframe').first().getByText('Hose checks.txt')).toBeVisible();
  await writer.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: 'Publish changes…' }).click();
  const publish = page.getByRole('button', { name: /^Publish version/ });
  await publish.click();
  await expect(page.getByText(/^Version \d+ is published/)).toBeVisible();

  let link = '';
  await expect(async () => {
    await page.goto('/post-room');
    await press(page, '+1 day');
    link = await linkIn(page, 'Fire Teams Aboard');
  }).toPass({ timeout: 90_000 });

  const own = await elsewhere(browser, link);
  const [download] = await Promise.all([own.waitForEvent('download'), own.getByRole('button', { name: 'Download' }).click()]);
  expect(download.suggestedFilename()).toBe('Hose checks.txt');
  await expect(own.getByRole('status')).toContainText('in the downloads of this device');
  const other = await elsewhere(browser, link);
  await expect(other.getByText('This link was used; it opened once.')).toBeVisible();
  await other.getByRole('button', { name: 'Send me a new link' }).click();
  await expect(other.getByRole('status')).toContainText('A new link is on its way');

  const next = await linkIn(page, 'Your new link to Hose checks.txt');
  expect(next).not.toBe(link);
  const again = await elsewhere(browser, next);
  const [second] = await Promise.all([again.waitForEvent('download'), again.getByRole('button', { name: 'Download' }).click()]);
  expect(second.suggestedFilename()).toBe('Hose checks.txt');
  await other.goto(link);
  await expect(other.getByText(/^This link ended/)).toBeVisible();
});
