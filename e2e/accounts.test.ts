import { expect, test, type Page } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { choose, findMail, list, signInAs } from './pages.ts';

/** Who may enter: invited, with a password of their own, changed and ended; a manager by a link; a certificate revoked. */

/** Opens the link of the newest mail to an address, as its reader would. */
async function openLinkOf(office: Page, reader: Page, address: string, name: string): Promise<void> {
  await expect(async () => {
    await office.goto('/post-room');
    await findMail(office, address);
    await expect(office.getByRole('row').filter({ hasText: address }).first()).toBeVisible({ timeout: 2_000 });
  }).toPass({ timeout: 30_000 });
  await office.getByRole('row').filter({ hasText: address }).first().click();
  const href = await office.frameLocator('iframe').getByRole('link', { name }).getAttribute('href');
  await reader.goto(new URL(href!).pathname);
}

test('an administrator invites an auditor, who chooses a password, reads, and is ended at once', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/settings');
  await page.getByRole('link', { name: 'Who may enter' }).click();
  await page.getByRole('button', { name: 'Invite somebody' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Eva Dahl');
  await page.getByLabel('E-mail').fill('eva.dahl@outside.example');
  await choose(list(page, 'As'), 'auditor');
  await page.getByRole('button', { name: 'Send the invitation' }).click();
  await expect(page.getByRole('status')).toContainText('Eva Dahl was invited; the mail server took the mail');

  const reader = await (await browser.newContext()).newPage();
  await openLinkOf(page, reader, 'eva.dahl@outside.example', 'Choose a password and enter');
  await expect(reader.getByRole('heading', { name: 'Welcome, Eva Dahl' })).toBeVisible();
  await reader.getByLabel(/^Password/).fill('eva reads everything');
  await reader.getByRole('button', { name: 'Keep it and enter' }).click();
  await expect(reader.getByRole('heading', { name: 'Needs you' })).toBeVisible();
  await reader.goto('/account');
  await expect(reader.getByRole('row', { name: /\(here\)/ })).toBeVisible();

  await page.goto('/settings/accounts');
  await page.getByRole('button', { name: 'End the account of Eva Dahl' }).click();
  await page.getByRole('button', { name: 'End it', exact: true }).click();
  await expect(page.getByRole('status')).toContainText('The account of Eva Dahl has ended');
  await reader.goto('/ledger');
  await expect(reader).toHaveURL(/sign-in/);
  await reader.getByLabel('E-mail').fill('eva.dahl@outside.example');
  await reader.getByLabel('Password').fill('eva reads everything');
  await reader.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(reader.getByRole('alert')).toBeVisible();
  await reader.close();
});

test('a manager without an account asks for a link and comes to their people; the link opens once', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  const manager = (await (await page.request.get('/api/people?find=Isak%20Vik')).json()) as { rows: { email: string; name: string }[] };
  const { email, name } = manager.rows[0]!;
  const reader = await (await browser.newContext()).newPage();
  await reader.goto('/sign-in');
  await reader.getByLabel('E-mail').fill(email);
  await reader.getByRole('button', { name: 'Send me a link' }).click();
  await expect(reader.getByRole('status')).toContainText('a link is on its way there');
  await openLinkOf(page, reader, email, 'Enter');
  const url = reader.url();
  await reader.getByRole('button', { name: 'Enter' }).click();
  await expect(reader.getByRole('heading', { name: 'My team' })).toBeVisible();
  await expect(reader.getByText(`down the line of ${name}`)).toBeVisible();
  await reader.goto(url);
  await expect(reader.getByRole('alert')).toContainText('opened before, or has run out');
  await reader.close();
});

test('a certificate is revoked with a reason, and whoever checks it is told', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/certificates?state=current');
  const button = page.getByRole('button', { name: /^Revoke / }).first();
  const serial = (await button.getAttribute('aria-label'))!.slice('Revoke '.length);
  await button.click();
  await page.getByLabel('Why is it revoked?').fill('The practical part was not done');
  await page.getByRole('button', { name: 'Revoke it for good' }).click();
  await expect(page.getByRole('status')).toContainText('is revoked; what it was good for is asked for again');
  await page.goto(`/certificates?find=${serial}`);
  await expect(page.getByRole('row', { name: new RegExp(serial) })).toContainText('by Sigrid Aune: The practical part was not done');
  await page.goto(`/verify/${serial}`);
  await expect(page.getByText(/revoked/i).first()).toBeVisible();
});

test('a second factor is set up, asked for, and taken off for a lost phone', async ({ page, browser }) => {
  const enter = async (own: Page): Promise<void> => {
    await own.goto('/sign-in');
    await own.getByLabel('E-mail').fill('elias.brekke@orlasund.example');
    await own.getByLabel('Password').fill('orlasund');
    await own.getByRole('button', { name: 'Sign in', exact: true }).click();
  };
  const open = async (): Promise<Page> => (await browser.newContext()).newPage();
  const first = await open();
  await enter(first);
  await expect(first.getByRole('heading', { name: 'Needs you' })).toBeVisible();
  await first.goto('/account');
  await first.getByRole('button', { name: 'Set it up' }).click();
  await first.getByLabel('Your password').fill('orlasund');
  await first.getByRole('button', { name: 'Go on' }).click();
  const secret = await first.getByText(/^([A-Z2-7]{4} ){7}[A-Z2-7]{4}$/).innerText();
  const code = new TOTP({ secret: Secret.fromBase32(secret.replaceAll(' ', '')) }).generate();
  await first.getByLabel('The six digits that it shows now').fill(code);
  await first.getByRole('button', { name: 'Switch it on' }).click();
  const spare = await first.getByRole('list', { name: 'Spare codes' }).getByRole('listitem').first().innerText();

  const second = await open();
  await enter(second);
  await second.getByLabel(/^Code/).fill(code);
  await second.keyboard.press('Enter');
  await expect(second.getByRole('alert')).toContainText('was used already');
  await second.getByLabel(/^Code/).fill(spare);
  await second.keyboard.press('Enter');
  await expect(second.getByRole('heading', { name: 'Needs you' })).toBeVisible();

  await signInAs(page, 'Sigrid Aune');
  await page.goto('/settings/accounts');
  await page.getByRole('button', { name: 'Second factor of Elias Brekke: phone lost' }).click();
  await page.getByRole('button', { name: 'Take it off' }).click();
  await expect(page.getByRole('status')).toContainText('Elias Brekke enters with the password alone now');
  const third = await open();
  await enter(third);
  await expect(third.getByRole('heading', { name: 'Needs you' })).toBeVisible();
  for (const own of [first, second, third]) await own.close();
});

test('who is known to the sign-in service comes in as what they are here; a guest is told whom to ask', async ({ page }) => {
  await page.goto('/sign-in?back=/my-team');
  await page.getByRole('link', { name: 'Go on with the Orlasund account' }).click();
  await page.getByRole('button', { name: 'A guest of the harbour office' }).click();
  await expect(page.getByRole('alert')).toContainText('Ask an administrator to invite you');
  await page.getByRole('link', { name: 'Go on with the Orlasund account' }).click();
  await page.getByRole('button', { name: 'Kari Nes' }).click();
  await expect(page.getByText('down the line of Kari Nes')).toBeVisible();
});
