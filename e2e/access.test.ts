import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { signInAs } from './pages.ts';

/** Every main view by the rules of WCAG 2.2 AA, and the keys that work everywhere. */
const VIEWS: [string, string, string][] = [
  ['Today', '/today', 'Goes out next'],
  ['People', '/people', 'on the roster'],
  ['a person', '/people/20', 'Notices'],
  ['Import a file', '/people/import', 'Drop a CSV or XLSX file here'],
  ['Imports', '/people/imports', 'What changed the roster in one go'],
  ['Structure', '/people/structure', 'Sites and their calendars'],
  ['a calendar', '/people/structure?site=3', 'none counts as a working day'],
  ['Settings', '/settings', 'When messages go'],
  ['Who may enter', '/settings/accounts', 'Record'],
  ['other programs', '/settings/programs', 'change nothing'],
  ['completions of other programs', '/settings/programs/completions', 'Nothing has to be looked at'],
  ['what other programs are told', '/settings/programs/told', 'No other program is told of anything'],
  ['How long it is kept', '/settings/keeping', 'What messages said'],
  ['Your account', '/account', 'Where you are signed in'],
  ['Messages', '/plans/messages', 'Every text that plans send'],
  ['Long work', '/work', 'done in the background'],
  ['Personnel feed', '/people/feed', 'Pulls'],
  ['Requirements', '/requirements', 'Muster, everyone, every year'],
  ['Requirements as of a day', '/requirements?on=2026-03-31', 'Asked by then'],
  ['a requirement', '/requirements/1', 'must hold'],
  ['a new requirement', '/requirements/new', 'Who is in'],
  ['Record earlier completions', '/requirements/completions', 'Where they come from'],
  ['Waivers asked for', '/requirements/waivers', 'What managers ask for'],
  ['Done by hand', '/requirements/by-hand', 'who, when, why'],
  ['Courses', '/courses', 'Required units'],
  ['a course', '/courses/2', 'Finished when'],
  ['a new course', '/courses/new', 'Title, as it stands'],
  ['when a course opens', '/courses/4/opens', 'Choose units to set several at once'],
  ['publishing a course', '/courses/2/live', 'What is written is what is published'],
  ['marking', '/courses/marking', 'Waits for marking'],
  ['Assign', '/assign', 'Before anything is assigned'],
  ['Plans', '/plans', 'Switched off'],
  ['a plan', '/plans/2', 'For these people it would be'],
  ['Rehearsal', '/plans/rehearsal', 'mails to come'],
  ['Held messages', '/held', 'Held now'],
  ['Ledger', '/ledger', 'Moment'],
  ['tests', '/ledger/tests', 'Nobody has sent themselves a message yet'],
  ['seals', '/ledger/seals', 'Days and their heads'],
  ['Replies', '/replies', 'Nobody waits, and nothing is open'],
  ['a conversation', '/replies/1?show=all', 'Taken care of by'],
  ['mail that answers nothing', '/replies/others', 'Nothing waits'],
  ['Matrix', '/matrix', 'All 246 who fit'],
  ['the matrix of departments', '/matrix?by=department', 'Cabin'],
  ['the matrix of courses', '/matrix?by=course', 'Have ever finished'],
  ['a course report', '/matrix/2', 'Next notice'],
  ['the matrix of a day that has passed', '/matrix?on=2026-03-01', 'At the end of Sun 1 Mar 2026'],
  ['who was notified', '/matrix/2/notified', 'What went, or why nothing did'],
  ['who finished', '/matrix/2/finished', 'How, or why not'],
  ['figures', '/matrix/figures', 'Last notice before finishing'],
  ['evidence packs', '/matrix/evidence?of=course&id=2', 'What the record says'],
  ['a sample', '/matrix/evidence/sample?from=2026-03-01&to=2026-03-31', 'Make the pack of these 30'],
  ['what was looked at', '/matrix/evidence/looked', 'which files the office took'],
  ['reports that are sent', '/ledger/reports?of=%7B%22report%22%3A%22matrix%22%7D', 'Who gets it'],
  ['Certificates', '/certificates', 'Valid until'],
  ['what runs out', '/certificates/running-out', 'Two certificates that overlap'],
  ['designs', '/certificates/designs', 'What certificates look like'],
  ['a design', '/certificates/designs/2', 'As it looks for real people'],
  ['sessions of a unit', '/courses/2/sessions/14', 'Without a seat'],
  ['what was signed off', '/courses/3/sign-offs/20', 'Ways in for supervisors'],
  ['a certificate by hand', '/certificates/add', 'one that others issued'],
  ['Post room', '/post-room', 'arrived'],
  ['Chat room', '/chat-room', 'It knows every name'],
];

test.describe('by the accessibility rules', () => {
  let page: Page;
  test.beforeAll(async ({ browser }) => {
    page = await (await browser.newContext()).newPage(); // axe opens a page of its own beside it
    await signInAs(page, 'Sigrid Aune');
  });
  test.afterAll(() => page.close());
  for (const [name, path, words] of VIEWS)
    test(name, async () => {
      await page.goto(path);
      await expect(page.getByText(words).first()).toBeVisible();
      const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
      expect(violations.map(({ id, nodes }) => `${id}: ${nodes[0]!.html.slice(0, 160)}`)).toEqual([]);
    });
});

test('by the accessibility rules, a quiz too: its questions, and what came in', async ({ browser }) => {
  const page = await (await browser.newContext()).newPage();
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/courses/6');
  await page.getByRole('button', { name: 'Open Till and tickets' }).click();
  const rules = async (): Promise<void> => {
    const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
    expect(violations.map(({ id, nodes }) => `${id}: ${nodes[0]!.html.slice(0, 160)}`)).toEqual([]);
  };
  await page.getByRole('button', { name: 'Write its questions' }).click();
  await page.getByRole('button', { name: '1 A passenger tells you of an illness. Where do you write it?' }).click();
  await expect(page.getByLabel('Choice 1', { exact: true })).toBeVisible();
  await rules();
  await page.getByRole('link', { name: 'What came in' }).click();
  await page
    .getByRole('row', { name: /not passed/ })
    .first()
    .click();
  await expect(page.getByRole('complementary', { name: 'An attempt' })).toContainText('Right is');
  await rules();
  await page.close();
});

test('by the accessibility rules, the page of a course too: its units, and what is asked on it', async ({ browser }) => {
  const page = await (await browser.newContext()).newPage();
  await signInAs(page, 'Runa Aske');
  await page.getByRole('link', { name: 'Fire Teams Aboard' }).first().click();
  await page.getByRole('button', { name: /Breathing apparatus/ }).click();
  await page.getByRole('button', { name: 'Ask Tora Hauge' }).click();
  await expect(page.getByLabel('Your question at “Breathing apparatus”')).toBeFocused();
  await page.locator('nk-asked summary').first().click();
  const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
  expect(violations.map(({ id, nodes }) => `${id}: ${nodes[0]!.html.slice(0, 160)}`)).toEqual([]);
  await page.close();
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
