import { expect, test } from '@playwright/test';
import { area, signInAs } from './pages.ts';

test('a certificate is checked by its file, which tells when it was changed', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  // others are revoked by what is tried before
  await page.goto('/certificates?state=current');
  const link = page.getByRole('link', { name: /as PDF$/ }).first();
  const serial = await link.innerText();
  const pdf = await (await page.request.get((await link.getAttribute('href'))!)).body();
  const stranger = await (await browser.newContext()).newPage();
  await stranger.goto('/verify');
  const field = stranger.locator('input[type=file]');
  await field.setInputFiles({ name: 'mine.pdf', mimeType: 'application/pdf', buffer: pdf });
  await expect(stranger.getByRole('status')).toContainText(serial);
  await expect(stranger.getByRole('heading', { name: /Genuine/ })).toBeVisible();
  const changed = Buffer.from(pdf);
  changed[changed.length - 12]! ^= 1;
  await field.setInputFiles({ name: 'other.pdf', mimeType: 'application/pdf', buffer: changed });
  await expect(stranger.getByRole('heading', { name: 'Not known' })).toBeVisible();
  await expect(stranger.getByRole('status')).toContainText('it was changed, or made elsewhere');
  await stranger.getByLabel('Serial, as it stands on the certificate').fill(serial);
  await stranger.getByRole('button', { name: 'Check it' }).click();
  await expect(stranger.getByRole('heading', { name: /Genuine/ })).toBeVisible();
});

test('what runs out is counted by department; each number leads to who it is, and to what renews it', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Certificates');
  await page.getByRole('link', { name: 'What runs out' }).click();
  const number = page.getByRole('button', { name: /, in 90 days: \d+$/ }).first();
  const count = await number.innerText();
  await number.click();
  await expect(page.getByText(count === '1' ? '1 runs out' : `${count} run out`)).toBeVisible();
  // a requirement renews it by itself, and says when
  await page
    .getByRole('link', { name: /every year/ })
    .first()
    .click();
  await expect(page).toHaveURL(/\/requirements\/\d+/);
  await page.goto('/certificates/running-out?asked=no');
  await expect(page.getByText('Nothing that fits runs out within 90 days.')).toBeVisible();
});
