import { expect, test } from '@playwright/test';
import { area, choose, list, signInAs } from './pages.ts';

test('somebody who left is erased: nobody finds them, what was done stays, the record stands, and it is told who did it and why', async ({
  page,
  browser,
}) => {
  test.setTimeout(240_000);
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'People');
  const find = page.getByRole('searchbox', { name: 'Find', exact: true });
  await find.fill('Runa Moe');
  await page.getByRole('cell', { name: 'Runa Moe', exact: true }).click();
  const sheet = page.getByRole('complementary', { name: 'Person' });
  // whoever is here is not erased: it is not even offered
  await expect(sheet.getByRole('button', { name: 'Edit' })).toBeVisible();
  await expect(sheet.getByRole('button', { name: 'Erase', exact: true })).toBeHidden();
  await sheet.getByRole('button', { name: 'Edit' }).click();
  await sheet.getByRole('textbox', { name: 'Left on, first day away' }).fill('4.5.2026');
  await sheet.getByRole('button', { name: 'Save' }).click();
  await sheet.getByRole('button', { name: 'Erase', exact: true }).click();
  const form = sheet.getByRole('form', { name: 'Erase' });
  await expect(form).toContainText('cannot be undone');
  await expect(form).toContainText(/messages that they read, as texts: \d+/);
  await expect(form).toContainText(/certificates: \d+/);
  const pseudonym = /Person [0-9A-Z]{4}-[0-9A-Z]{4}/.exec(await form.innerText())![0];
  const erase = form.getByRole('button', { name: 'Erase for good' });
  await form.getByRole('textbox', { name: /once more/ }).fill('Runa Mo');
  await expect(erase).toBeDisabled();
  await form.getByRole('textbox', { name: /once more/ }).fill('Runa Moe');
  await erase.click();
  await expect(form.getByRole('alert')).toContainText('expected why they are erased');
  await form.getByRole('textbox', { name: 'Why' }).fill('asked for by Runa Moe on 4 May');
  await erase.click();
  await expect(sheet.getByRole('heading', { name: pseudonym })).toBeVisible({ timeout: 60_000 });
  await expect(sheet.getByRole('note')).toContainText('Erased');
  await expect(sheet.getByRole('button', { name: 'Edit' })).toBeHidden();
  // what stays: certificates by their serial, and that messages went
  await sheet
    .getByRole('link', { name: /^[0-9A-Z]{4}-[0-9A-Z]{4}-[0-9A-Z]$/ })
    .first()
    .click();
  await expect(page.getByText(pseudonym).first()).toBeVisible();

  // nobody finds them any more
  await area(page, 'People');
  await choose(list(page, 'Show'), 'everyone');
  await find.fill('Runa Moe');
  await expect(page.getByText('0 shown')).toBeVisible();
  for (const address of ['/ledger', '/certificates', '/conversations']) {
    await page.goto(address);
    await page.waitForLoadState('networkidle');
    await expect(page.getByText('Runa Moe')).toHaveCount(0);
  }

  // by whom and why is told, to an auditor too, and the record stands
  const auditor = await (await browser.newContext()).newPage();
  await signInAs(auditor, 'Elias Brekke');
  await auditor.goto('/settings/keeping');
  await expect(
    auditor.getByRole('row', { name: new RegExp(`${pseudonym}.*asked for by ${pseudonym} on 4 May.*Sigrid Aune`) }),
  ).toBeVisible();
  await auditor.goto('/ledger/seals');
  await auditor.getByRole('button', { name: 'Look whether all stands' }).click();
  await expect(auditor.getByText(/stand as they were written\..*were sealed anew after erasing/)).toBeVisible({ timeout: 60_000 });
});

test('how long something is kept is set after seeing what would go', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Settings').catch(() => page.goto('/settings'));
  await page.getByRole('link', { name: 'How long it is kept' }).click();
  const row = page.getByRole('row', { name: /^What messages said/ });
  await choose(list(page, 'How long is kept: What messages said'), '3 years');
  await expect(row).toContainText(/Nothing is from before \d+ May 2023/);
  await choose(list(page, 'How long is kept: What messages said'), '6 months');
  await expect(row).toContainText(/\d+ entries from before 6 Nov 2025 go/);
  await row.getByRole('button', { name: 'Keep it for 6 months' }).click();
  await expect(row).toContainText('for the first time in the night to 8 May 2026');
  await expect(
    page.getByRole('row', { name: /How long it is kept: What messages said kept for 6 months, before kept for always.*Sigrid Aune/ }),
  ).toBeVisible();
  await choose(list(page, 'How long is kept: What messages said'), 'for always');
  await row.getByRole('button', { name: 'Keep it for always' }).click();
  await expect(row).toContainText('nothing');
});
