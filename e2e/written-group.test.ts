import { expect, test } from '@playwright/test';
import { area, choose, findMail, list, press, signInAs } from './pages.ts';

test('a message to a group reaches who is in it, and who joins it later; ended, it reaches nobody more', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Courses');
  await page
    .getByRole('row', { name: /Safe Lifting/ })
    .first()
    .click();
  await page.getByRole('link', { name: 'Under way' }).click();
  await page.getByRole('button', { name: 'Write to a group …' }).click();
  const dialog = page.getByRole('dialog', { name: 'Write to a group' });
  await expect(dialog.getByText(/\d+ people get it\./)).toBeVisible();
  // nothing is written yet: nothing can go
  await expect(dialog.getByRole('button', { name: /^Write to \d+ people/ })).toBeDisabled();
  await expect(dialog.locator(':focus')).toHaveCount(1);
  const text = dialog.getByRole('textbox', { name: 'Text', exact: true });
  await text.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.press('Enter');
  await page.keyboard.type('The lifting drill is moved to the yard.');
  await expect(text).toContainText('moved to the yard.');
  const until = dialog.getByRole('textbox', { name: 'Who comes later gets it until' });
  await until.fill('2026-12-31');
  await page.keyboard.press('Tab');
  await expect(dialog.getByText('Who comes later gets it too.')).toBeVisible();
  await dialog.getByRole('button', { name: /^Write to \d+ people/ }).click();
  await expect(page.getByText(/and whoever joins until 31 Dec 2026/)).toBeVisible();
  const letters = page.locator('nk-group-letters');
  await expect(letters).toContainText('Goes on until 31 Dec 2026.');

  // somebody new gets the course
  await page.goto('/people');
  await page.getByRole('button', { name: 'Add a person' }).click();
  const form = page.getByRole('form', { name: 'Add a person' });
  await form.getByLabel('Name', { exact: true }).fill('Eira Nygaard');
  await form.getByLabel('E-mail', { exact: true }).fill('eira.nygaard@orlasund.example');
  await form.getByRole('combobox', { name: 'Department' }).fill('Yard');
  await page.keyboard.press('Tab');
  await choose(list(form, 'Site'), 'Skerry Yard');
  await form.getByRole('button', { name: 'Add to the roster' }).click();
  await expect(page.getByRole('heading', { name: 'Eira Nygaard' })).toBeVisible();
  await page.goto('/people?find=nygaard');
  await page.getByRole('checkbox', { name: 'Choose Eira Nygaard' }).check();
  await page.getByRole('button', { name: 'Assign to 1 chosen' }).click();
  await choose(list(page, 'Course'), 'Safe Lifting');
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-12-11');
  await expect(page.getByTestId('preview')).toContainText('Fri 11 Dec 17:00');
  await page.getByRole('button', { name: 'Assign to 1', exact: true }).click();
  await expect(page.getByText('Assigned to 1 person')).toBeVisible();
  // once the letter can be taken back no more, they get it as the others do
  const mail = page.getByRole('row', { name: /eira\.nygaard@.*About Safe Lifting/ });
  await page.goto('/post-room');
  await findMail(page, 'eira.nygaard');
  await expect(async () => {
    if ((await mail.count()) === 0) await press(page, 'next notice');
    await expect(mail).toHaveCount(1, { timeout: 3_000 });
  }).toPass();
  await expect(async () => {
    await page.goto('/ledger?find=nygaard');
    await expect(page.getByRole('row', { name: /Message to a group, by Sigrid Aune/ })).toBeVisible({ timeout: 2_000 });
  }).toPass();

  await area(page, 'Courses');
  await page
    .getByRole('row', { name: /Safe Lifting/ })
    .first()
    .click();
  await page.getByRole('link', { name: 'Under way' }).click();
  await expect(letters).toContainText('1 of them came later');
  await letters.getByRole('button', { name: /^End “Message to a group/ }).click();
  await expect(letters).toContainText('Ended by Sigrid Aune.');
});
