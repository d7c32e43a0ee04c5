import { expect, test, type Page } from '@playwright/test';
import { area, choose, findMail, list, press, signInAs } from './pages.ts';

/** Opens the newest mail to an address whose subject has these words. */
async function openMail(page: Page, address: string, subject: string | RegExp): Promise<void> {
  await page.goto('/post-room');
  await findMail(page, address);
  await page.getByRole('row', { name: subject }).filter({ hasText: address }).first().click();
  await page.getByRole('button', { name: 'plain text' }).click();
}
async function writeBack(page: Page, words: string): Promise<void> {
  await page.getByLabel('Write back as its reader').fill(words);
  await page.getByRole('button', { name: 'Send the reply' }).click();
  await expect(page.getByText(/Nudrik said: “250/)).toBeVisible();
}

test('a reply stands with its message, is answered in Nudrik and by mail, and each word arrives', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/post-room');
  const mails = page.locator('table.list tbody tr[data-row]');
  await expect(async () => {
    if ((await mails.count()) === 0) await press(page, 'next notice');
    await expect(mails.first()).toBeVisible({ timeout: 3_000 });
  }).toPass();
  const [, address, subject] = (await mails.first().locator('td').allInnerTexts()) as [string, string, string];
  await mails.first().click();
  await writeBack(page, 'I was at sea all week. Can I have until Friday?');

  await area(page, 'Today');
  const waits = page.getByRole('row', { name: /Reply waits/ }).filter({ hasText: 'Can I have until Friday?' });
  await waits.getByRole('link', { name: 'Answer' }).click();
  const sheet = page.getByRole('complementary', { name: 'The conversation' });
  await expect(sheet.getByRole('list', { name: 'What was said' })).toContainText('I was at sea all week.');
  // what the mail repeats is there on wish, without anybody's personal link
  await sheet.getByRole('button', { name: 'with what it repeats' }).click();
  await expect(sheet.getByRole('list', { name: 'What was said' })).not.toContainText('/go/');
  const told = (await sheet.getByText(/^told at /).innerText()).replace('told at ', '');
  await sheet.getByLabel(/^Answer, by mail to/).fill('Friday is fine, but not later.');
  await sheet.locator('input[type=file]').setInputFiles({ name: 'form.txt', mimeType: 'text/plain', buffer: Buffer.from('Sign here.') });
  await expect(sheet.getByRole('list', { name: 'Files that go with it' })).toContainText('form.txt');
  await sheet.getByRole('button', { name: 'Send the answer' }).click();
  await expect(sheet.getByText(`sent to ${address}`)).toBeVisible();
  await expect(sheet.getByRole('link', { name: 'form.txt' })).toBeVisible();
  await area(page, 'Today');
  await expect(page.getByText('Goes out next')).toBeVisible();
  await expect(waits).toHaveCount(0);

  await openMail(page, address, /^.*Re: /);
  await expect(page.getByText('Friday is fine, but not later.').first()).toBeVisible();
  await writeBack(page, 'Thank you!');

  // whoever takes care of it is told by mail, and answers there
  await openMail(page, told, /: Re: /);
  await expect(page.getByText(/Thank you!/).first()).toBeVisible();
  await writeBack(page, 'See you aboard.');
  await openMail(page, address, /Re: /);
  await expect(page.getByText('See you aboard.').first()).toBeVisible();

  // and the message that was answered says so
  await page.goto('/replies');
  await page.getByRole('row').filter({ hasText: 'See you aboard.' }).click();
  await sheet.getByRole('button', { name: 'Done without an answer' }).click();
  await expect(sheet.getByText('Done, says Sigrid Aune.')).toBeVisible();
  await sheet.getByRole('link').first().click();
  await expect(page.getByText('replied', { exact: true })).toBeVisible();
  await expect(page.getByRole('complementary').getByText(subject).first()).toBeVisible();
});

test('a reply that lies in a mailbox is fetched, and stands with its message like any other', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/post-room');
  const way = list(page, 'What comes back');
  await choose(way, 'lies in the mailbox');
  await expect(way).toContainText('lies in the mailbox');
  await page.locator('table.list tbody tr[data-row]').first().click();
  await page.getByLabel('Write back as its reader').fill('Does the old jacket do?');
  await page.getByRole('button', { name: 'Send the reply' }).click();
  await expect(page.getByText('Nudrik said: “It lies in the mailbox.”')).toBeVisible();
  await page.goto('/replies');
  await page.getByRole('row').filter({ hasText: 'Does the old jacket do?' }).click();
  const sheet = page.getByRole('complementary', { name: 'The conversation' });
  await sheet.getByRole('button', { name: 'Done without an answer' }).click();
  await expect(sheet.getByText('Done, says Sigrid Aune.')).toBeVisible();
  await page.goto('/settings');
  await expect(page.locator('nk-mailbox')).toContainText(/replies@orlasund\.example at 127\.0\.0\.1, INBOX.*\d+ mails? taken so far/s);
  await page.goto('/post-room');
  await choose(way, 'is handed over');
  await expect(way).toContainText('is handed over');
});

test('whoever is away is not taken for somebody who writes; mail that comes back later is on Today with the server’s words', async ({
  page,
}) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/post-room');
  const behave = async (address: string, how: string): Promise<void> => {
    await page.getByLabel('Let an address or a domain misbehave').fill(address);
    await page.getByRole('combobox', { name: 'How it behaves' }).click();
    await page.getByRole('option', { name: how, exact: true }).click();
    await page.getByRole('button', { name: 'Set it' }).click();
    await expect(page.getByRole('button', { name: `Mend ${address}` })).toBeVisible();
  };
  await behave('@orlasund.example', 'is away, and says so by itself');
  await press(page, 'next notice');
  const mails = page.locator('table.list tbody tr[data-row]');
  const [, away] = (await mails.first().locator('td').allInnerTexts()) as [string, string];
  await page.goto('/replies/others?show=all');
  await expect(page.getByRole('row', { name: /automatic answer/ }).first()).toContainText('I am at sea until the end of the week');
  await page.goto('/replies');
  await expect(page.getByText(/nobody waits/)).toBeVisible();

  await page.goto('/post-room');
  await behave('@orlasund.example', 'takes mail, and returns it later');
  const arrived = async (): Promise<number> => Number((await page.getByText(/^\d+ arrived$/).innerText()).split(' ')[0]);
  const before = await arrived();
  await expect(async () => {
    await press(page, 'next notice');
    expect(await arrived()).toBeGreaterThan(before);
  }).toPass();
  await page.getByRole('button', { name: 'Mend @orlasund.example' }).click();
  await expect(page.getByText('@orlasund.example', { exact: true })).toHaveCount(0);
  await area(page, 'Today');
  // of those that came back one for whom something waits; the demo has one of before
  const bounced = page
    .getByRole('row', { name: /Bounced/ })
    .filter({ hasText: 'no such mailbox' })
    .filter({ hasNotText: 'elin.strand@' });
  await expect(bounced.first()).toBeVisible();
  const returned = /<([^>]+)>: no such mailbox/.exec(await bounced.first().innerText())![1]!;
  const row = page.getByRole('row', { name: /Bounced/ }).filter({ hasText: `<${returned}>: no such mailbox` });
  // the same address is given again, since it is mended: what waits goes
  await row.getByRole('link', { name: 'Correct the address' }).click();
  await page.getByLabel('E-mail; notices that wait').fill(returned);
  await page.getByRole('button', { name: 'Save the address' }).click();
  await area(page, 'Today');
  await expect(page.getByText('Goes out next')).toBeVisible();
  await expect(row).toHaveCount(0);
  expect(away).toContain('@orlasund.example');
});
