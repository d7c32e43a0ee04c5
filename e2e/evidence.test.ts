import { expect, test } from '@playwright/test';
import { area, choose, list, signInAs } from './pages.ts';

test('who held this on 1 March, and how do you know: what was known then and what is known now, who was told, who finished, and all of it as files', async ({
  page,
  browser,
}) => {
  // what nobody knew on 1 March is recorded today
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/requirements/completions');
  await page.getByRole('textbox', { name: 'Completions' }).fill('person,course,finished on\nduncan.farquhar@orlasund.example,Safe Lifting,2026-02-20'); // prettier-ignore
  await expect(page.getByTestId('completions')).toContainText('Duncan Farquhar');
  await page.getByLabel('Where they come from, for the record').fill('course register 2026');
  await page.getByRole('button', { name: 'Record 1' }).click();
  await expect(page.getByRole('status')).toContainText('Recorded Safe Lifting for Duncan Farquhar');

  const auditor = await (await browser.newContext()).newPage();
  await signInAs(auditor, 'Elias Brekke');
  await area(auditor, 'Matrix');
  const day = auditor.getByRole('textbox', { name: 'As of' });
  await day.fill('1.3.2026');
  await day.press('Enter');
  const strip = auditor.getByRole('region', { name: 'As of a day that has passed' });
  await expect(strip).toContainText('At the end of Sun 1 Mar 2026');
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Farquhar');
  const grid = auditor.getByRole('grid', { name: 'Matrix' });
  const row = grid.getByRole('row', { name: /Duncan Farquhar/ });
  await expect(row.getByRole('gridcell', { name: /holds it until 20 Feb/ })).toBeHidden();
  await strip.getByText('1 entry went on the record later').click();
  await expect(strip.getByRole('row', { name: /Duncan Farquhar.*Safe Lifting.*not asked.*holds it/ })).toBeVisible();
  await choose(list(auditor, 'By what is known when'), 'as is known now');
  const cell = row.getByRole('gridcell', { name: /^holds it/ }).last();
  await expect(cell).toBeVisible();

  // how do you know: who finished, and how
  await cell.click();
  await auditor.getByRole('link', { name: 'Safe Lifting', exact: true }).click();
  await expect(auditor).toHaveURL(/\/matrix\/\d+\?on=2026-03-01&known=now/);
  await auditor.getByRole('link', { name: 'Who finished' }).click();
  await expect(auditor).toHaveURL(/finished\?on=2026-03-01&known=now/);
  await expect(strip).toContainText('At the end of Sun 1 Mar 2026');
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Duncan Farquhar');
  await expect(
    auditor.getByRole('row', { name: /Duncan Farquhar.*20 Feb 2026.*recorded by Sigrid Aune: course register 2026/ }),
  ).toBeVisible();
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar/ })).toHaveCount(1);
  for (const kind of ['CSV', 'XLSX', 'PDF']) {
    const coming = auditor.waitForEvent('download');
    await auditor.getByRole('button', { name: kind, exact: true }).click();
    expect((await coming).suggestedFilename()).toBe(`Who finished, Safe Lifting, 2026-03-01.${kind.toLowerCase()}`);
  }
  // known then he was not among them
  await choose(list(auditor, 'By what is known when'), 'as it was known then');
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar/ })).toHaveCount(0);

  // who was told, and why he was not
  await auditor.getByRole('link', { name: 'Who was notified' }).click();
  await auditor.getByRole('button', { name: 'Back to now' }).click();
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Duncan Farquhar');
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar.*not told/ })).toBeVisible();
  await auditor.getByRole('button', { name: 'Invitation', exact: true }).click();
  await expect(auditor.getByRole('heading', { level: 2 })).toContainText('“Invitation”');

  // figures: each number leads to whom it counts
  await auditor.goto('/matrix/figures');
  const late = auditor.getByRole('region', { name: 'How long people are late' });
  await late.getByText('The numbers').click();
  const number = late.getByRole('row').nth(1).getByRole('link').last();
  const count = Number(await number.innerText());
  await number.click();
  await expect(auditor.getByRole('heading', { level: 1 })).toBeVisible();
  await expect(auditor.locator('tbody tr')).toHaveCount(Math.min(50, count));
  // and an auditor changes nothing
  await expect(auditor.getByRole('button', { name: /Extend|Waive|Remind/ })).toHaveCount(0);
});
