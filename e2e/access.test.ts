import AxeBuilder from '@axe-core/playwright';
import { expect, test } from '@playwright/test';
import { signInAs } from './pages.ts';

/** Every main view by the rules of WCAG 2.2 AA, and the keys that work everywhere. */
const VIEWS: [string, string, string][] = [
  ['Today', '/today', 'Goes out next'],
  ['People', '/people', 'on the roster'],
  ['a person', '/people/20', 'Notices'],
  ['Courses', '/courses', 'Required units'],
  ['a course', '/courses/2', 'Finished means'],
  ['Assign', '/assign', 'Before anything is assigned'],
  ['Plans', '/plans', 'Switched off'],
  ['a plan', '/plans/2', 'For these people it would be'],
  ['Ledger', '/ledger', 'Moment'],
  ['Matrix', '/matrix', 'Hold a current certificate'],
  ['a course report', '/matrix/2', 'Next notice'],
  ['Certificates', '/certificates', 'Valid until'],
  ['Post room', '/post-room', 'arrived'],
];

test('main views pass the accessibility rules', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  const found: string[] = [];
  for (const [name, path, words] of VIEWS) {
    await page.goto(path);
    await expect(page.getByText(words).first()).toBeVisible();
    const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
    found.push(...violations.map(({ id, nodes }) => `${name}: ${id}: ${nodes[0]!.html.slice(0, 160)}`));
  }
  expect(found).toEqual([]);
});

test('works without a mouse: rows by j and k, the sheet by Enter, days by [ and ], help by ?', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/ledger');
  await expect(page.locator('[data-row]').first()).toBeVisible();
  await page.keyboard.press('j');
  await page.keyboard.press('j');
  await page.keyboard.press('k');
  await expect(page.locator('[data-row]').first()).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('complementary', { name: 'Notice' })).toContainText('Why');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('complementary', { name: 'Notice' })).toBeHidden();
  await page.keyboard.press(']');
  await expect(page).toHaveURL(/from=2026-05-/);
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toContainText('assign a course');
  await page.keyboard.press('Escape');
  await page.keyboard.press('a');
  await expect(page).toHaveURL(/assign/);
});
