import { expect, type Locator, type Page } from '@playwright/test';

/** Signs in as one of the demo's ready accounts. */
export async function signInAs(page: Page, name: string): Promise<void> {
  await page.goto('/sign-in');
  await page.getByRole('button', { name: `Sign in as ${name}` }).click();
  await expect(page).not.toHaveURL(/sign-in/);
}

export const clock = (page: Page) => page.getByTestId('clock');

/** Moves simulated time by a header button and waits until the clock has arrived. */
export async function press(page: Page, button: 'next notice' | '+1 day'): Promise<void> {
  const before = await clock(page).innerText();
  await page.getByRole('button', { name: button }).click();
  await expect(clock(page)).not.toHaveText(before);
  await settled(page);
}

/** The clock has stopped moving: everything on the way was decided. */
export async function settled(page: Page): Promise<void> {
  await expect(page.getByText('moving …')).toBeHidden({ timeout: 60_000 });
}

export async function area(page: Page, name: string): Promise<void> {
  const link = page.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name, exact: true });
  await link.click();
  // the page before may look like this one: it is gone once the area is marked as the one that is open
  await expect(link).toHaveAttribute('aria-current', 'page');
  await expect(page.getByRole('heading', { level: 1 }).first()).toBeVisible();
}

/** Looks for mail in the post room and waits until the list holds nothing else: a list that shrinks moves what is clicked. */
export async function findMail(page: Page, address: string): Promise<void> {
  await page.getByPlaceholder('address or subject').fill(address);
  await expect(page.getByRole('row', { name: '@' }).filter({ hasNotText: address })).toHaveCount(0);
}

/** Chooses an entry of a list of ours. @param where the list, by what it is called */
export async function choose(where: Locator, entry: string): Promise<void> {
  await where.click();
  await where.page().getByRole('option', { name: entry, exact: true }).click();
  await expect(where.page().getByRole('option')).toHaveCount(0);
}

/** A list of ours, by what it is called. */
export const list = (page: Page | Locator, name: string): Locator => page.getByRole('combobox', { name, exact: true });

export const csv = (...lines: string[]): { name: string; mimeType: string; buffer: Buffer } => ({
  name: 'roster.csv',
  mimeType: 'text/csv',
  buffer: Buffer.from(`${lines.join('\n')}\n`),
});

export async function chooseFile(page: Page, file: { name: string; mimeType: string; buffer: Buffer }): Promise<void> {
  await page.getByLabel('Roster file').setInputFiles(file);
}
