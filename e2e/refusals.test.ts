import { expect, test } from '@playwright/test';
import pg from 'pg';
import { choose, chooseFile, csv, list, signInAs } from './pages.ts';

/** What goes wrong, told in a sentence: what, where, expected, got; and nothing is lost. */
const HEADER = 'name,email,department,site,manager email,joined on';
const GOOD = 'Nora Testmann,nora.testmann@orlasund.example,Deck,Vessel pool,ivar.moen@orlasund.example,2026-01-12';

test.describe('a roster file', () => {
  test.beforeEach(async ({ page }) => {
    await signInAs(page, 'Sigrid Aune');
    await page.goto('/people/import');
  });

  const whole: [string, { name: string; mimeType: string; buffer: Buffer }, string][] = [
    ['of 0 bytes', { name: 'empty.csv', mimeType: 'text/csv', buffer: Buffer.alloc(0) }, 'empty.csv: the file is empty (0 bytes)'],
    [
      'that is a PDF renamed .csv',
      { name: 'crew.csv', mimeType: 'text/csv', buffer: Buffer.from('%PDF-1.7\n%âã') },
      'crew.csv: this is a PDF, whatever its name says',
    ],
    [
      'with a quotation mark left open',
      { name: 'open.csv', mimeType: 'text/csv', buffer: Buffer.from(`${HEADER}\n"Nora,nora@orlasund.example,Deck,Vessel pool,,\n`) },
      'open.csv: row 2 cannot be read: a quotation mark is opened and never closed',
    ],
  ];
  for (const [what, file, words] of whole)
    test(`${what} is refused as a whole`, async ({ page }) => {
      await chooseFile(page, file);
      await expect(page.getByRole('alert')).toContainText(words);
      await expect(page.getByRole('alert')).toContainText('Nothing was taken.');
      await expect(page.getByText('Drop a CSV or XLSX file here')).toBeVisible();
    });

  const rows: [string, string[], RegExp][] = [
    [
      'without a column',
      ['name,email,department', 'Nora,nora@orlasund.example,Deck'],
      /1 site No column is matched to "site". The header has: name, email, department/,
    ],
    [
      'with an e-mail twice',
      [HEADER, GOOD, GOOD.toUpperCase().replace('DECK', 'Deck').replace('VESSEL POOL', 'Vessel pool')],
      /3 email nora.testmann@orlasund.example stands in row 2 too/,
    ],
    [
      'with an unknown manager',
      [HEADER, GOOD.replace('ivar.moen', 'no.body')],
      /2 manager The manager no.body@orlasund.example is neither on the roster nor in this file/,
    ],
    [
      'with a wrong date',
      [HEADER, GOOD.replace('2026-01-12', '2026-02-30')],
      /2 joined on "2026-02-30" is not a date; expected one like 2026-05-11/,
    ],
  ];
  for (const [what, lines, words] of rows)
    test(`${what} has its row left out, with the reason`, async ({ page }) => {
      await chooseFile(page, csv(...lines));
      await expect(page.getByRole('row', { name: words })).toBeVisible();
    });
});

test('a due date in the past is refused with both moments, and the form is kept', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/assign?department=Deck');
  await choose(list(page, 'Course'), 'Cash and Ticket Data');
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-04-01');
  await expect(page.getByRole('alert')).toContainText('The due date Wed 1 Apr 17:00 has passed');
  await expect(page.getByRole('alert')).toContainText('nothing was assigned');
  await expect(page.getByRole('button', { name: /^Assign to/ })).toBeHidden();
  await expect(list(page, 'Course')).toHaveText('Cash and Ticket Data');
});

test('a foreign role is led to its own work, and the server refuses it too', async ({ page }) => {
  await signInAs(page, 'Runa Aske');
  await page.goto('/people');
  await expect(page).toHaveURL(/my-training/);
  await expect(page.getByRole('heading', { name: 'My training' })).toBeVisible();
  const refused = await page.request.get('/api/people');
  expect(refused.status()).toBe(403);
  expect((await refused.json()).message).toContain('Your role (employee) does not allow this');
});

test('an auditor reads everything and changes nothing', async ({ page }) => {
  await signInAs(page, 'Elias Brekke');
  await page.goto('/people');
  await expect(page.getByRole('row', { name: /Ivar Moen/ }).first()).toBeVisible();
  await expect(page.getByRole('link', { name: 'Import a roster file' })).toBeHidden();
  await page.goto('/plans');
  await page.getByRole('row', { name: /Fire Teams Aboard/ }).click();
  await expect(page.getByRole('heading', { name: 'For these people it would be' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Publish changes…' })).toBeHidden();
});

test('a wrong personal link is told in a sentence', async ({ page }) => {
  await page.goto('/go/this-is-not-a-link');
  await expect(page.getByRole('alert')).toContainText('This link is not complete');
  await page.goto(`/go/${'x'.repeat(32)}`);
  await expect(page.getByRole('alert')).toContainText('does not belong to any assignment');
});

test('an expired session leads to the sign-in and back to where one was', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/courses');
  await expect(page.getByRole('row', { name: /Safe Lifting/ })).toBeVisible();
  const database = new pg.Client({ connectionString: process.env['NUDRIK_E2E_DATABASE'] });
  await database.connect();
  await database.query("update sessions set expires_at = now() - interval '1 minute'");
  await database.end();
  await page.getByRole('row', { name: /Safe Lifting/ }).click();
  await expect(page.getByRole('status')).toContainText('Your session has ended');
  await page.getByRole('button', { name: 'Sign in as Sigrid Aune' }).click();
  await expect(page.getByRole('heading', { name: 'Safe Lifting' })).toBeVisible();
});

test('a wrong password is told, and the e-mail stays in its field', async ({ page }) => {
  await page.goto('/sign-in');
  await page.getByLabel('E-mail').fill('sigrid.aune@orlasund.example');
  await page.getByLabel('Password').fill('not this');
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page.getByRole('alert')).toHaveText('No account has this e-mail with this password.');
  await page.getByLabel('Password').fill('orlasund');
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page).toHaveURL(/today/);
});

test('a serial with a slip is told apart from an unknown one', async ({ page }) => {
  await page.goto('/verify/7F3K-9QWD-A');
  await expect(page.getByText('The check character does not fit')).toBeVisible();
});
