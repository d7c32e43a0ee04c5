import { expect, test } from '@playwright/test';
import { area, choose, list, signInAs } from './pages.ts';

test('the matrix by keys alone: walked, opened, several chosen and given more time; a group leads to its people', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Matrix');
  await choose(list(page, 'Order'), 'most late first');
  const grid = page.getByRole('grid', { name: 'Matrix' });
  await expect(grid.getByRole('row').nth(2)).toContainText('2'); // whoever is late twice stands first
  await expect(grid.getByRole('gridcell', { name: /^late, was due/ }).first()).toBeVisible();
  await grid.focus();
  await page.keyboard.press('Control+ArrowRight');
  await page.keyboard.press('Enter');
  const sheet = page.getByRole('region', { name: /, Safe Lifting$/ });
  await expect(sheet.getByText('Last notice')).toBeVisible();
  // two rows are chosen: what is open in them is extended
  await grid.focus();
  await page.keyboard.press('Shift+ArrowDown');
  const picked = page.getByRole('region', { name: 'On what is chosen' });
  await expect(picked).toContainText('2 cells chosen');
  await picked.getByLabel('Reason').fill('dry dock');
  await picked.getByRole('button', { name: 'Extend' }).click();
  await expect(page.getByRole('status').first()).toContainText(/^\s*Extended Safe Lifting of/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('status').first()).toContainText('Taken back');
  // never asked leads to assigning it
  await page.goto('/matrix?state=none&course=4&department=Office');
  await grid.getByRole('gridcell', { name: 'not asked' }).first().click();
  await expect(page.getByText('Nobody ever asked for it.')).toBeVisible();
  await page.getByRole('link', { name: 'Assign it' }).click();
  await expect(page).toHaveURL(/\/assign\?course=\d+&people=\d+/);
});

test('a group’s cell leads to its people, and its sums are theirs', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/matrix?by=department');
  const cell = page.getByRole('grid').getByRole('row').filter({ hasText: 'Engine' }).getByRole('gridcell', { name: /hold it/ }).first(); // prettier-ignore
  const words = (await cell.getAttribute('aria-label'))!;
  const title = (await cell.getAttribute('title'))!;
  await cell.click();
  await expect(page).toHaveURL(/department=Engine/);
  await expect(page.getByRole('grid').getByRole('row').nth(1)).toContainText('who fit');
  await expect(page.getByRole('grid').getByRole('gridcell', { name: words, exact: true }).first()).toBeVisible();
  expect(title).toContain('Engine');
});
