import { expect, test, type Browser, type Page } from '@playwright/test';
import { area, choose, findMail, list, signInAs } from './pages.ts';

/** A trainer writes a course with two quizzes; a deckhand takes it on a phone; the trainer hears of one quiz and not of the other. */
test.describe.configure({ mode: 'serial' });

let page: Page;
let phone: Page;
let course = '';
test.beforeAll(async ({ browser }: { browser: Browser }) => {
  page = await browser.newPage();
  phone = await browser.newPage({ viewport: { width: 360, height: 740 } });
});
test.afterAll(async () => {
  await page.close();
  await phone.close();
});

const kept = () => expect(page.getByText(/^\s*saved \d\d:\d\d/)).toBeVisible();
const QUESTIONS = `Which hose is for fire?
+ The red one
- The green one

The alarm is a bell.
false`;

test('a trainer writes it: units by keys, questions from a text, one that opens when the other is passed', async () => {
  await signInAs(page, 'Tora Hauge');
  await area(page, 'Courses');
  await page.getByRole('link', { name: 'New course' }).click();
  await expect(page.getByLabel('Title, as it stands in every message')).toBeFocused();
  await page.keyboard.type('Hose Drill');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/courses\/\d+$/);
  course = new URL(page.url()).pathname.split('/').at(-1)!;
  await page.getByLabel('Summary').fill('One team, one hose.');
  await page.getByLabel('Title of section 1').focus();
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Unit 1 of First section')).toBeFocused();
  await page.keyboard.type('quiz: The hoses');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Unit 2 of First section')).toBeFocused();
  await page.keyboard.type('quiz: The drill');
  await page.keyboard.press('Control+Enter');
  const sheet = page.locator('nk-unit-sheet');
  await choose(list(sheet, 'When it opens'), 'when a quiz is passed');
  await expect(list(sheet, 'Which quiz')).toHaveText('The hoses');
  for (const [n, told] of [
    [2, 'nothing'],
    [1, 'what was not passed'],
  ] as const) {
    const title = n === 1 ? 'The hoses' : 'The drill';
    if (n === 1) await page.getByRole('button', { name: 'Open The hoses' }).click();
    await sheet.getByRole('button', { name: 'Write its questions' }).click();
    await expect(page.getByRole('heading', { name: title })).toBeVisible();
    await page.getByRole('button', { name: 'Paste questions' }).click();
    await page.getByLabel('A blank line between two').fill(QUESTIONS);
    await page.getByRole('button', { name: 'Take them in' }).click();
    await expect(page.getByRole('button', { name: '2 The alarm is a bell.' })).toBeVisible();
    await choose(list(page, 'What the trainer is told of'), told);
    if (n === 1) await choose(list(page, 'How often'), 'at once, one each');
    await kept();
    await page.getByRole('link', { name: 'Back to the outline' }).click();
  }
  await choose(list(page, 'Certificate'), 'none, on purpose');
  await page.getByRole('link', { name: 'When it opens' }).click();
  await expect(page.getByRole('row', { name: /The drill.*when “The hoses” is passed/ })).toBeVisible();
});

test('somebody else who opens it is told who is in it, and sees what was kept', async ({ browser }) => {
  const other = await browser.newPage();
  await signInAs(other, 'Sigrid Aune');
  await other.goto(`/courses/${course}`);
  await expect(other.getByText(/Tora Hauge is writing here too, since/)).toBeVisible();
  // both write: the second save meets a newer version, and both texts are at hand
  await page.getByRole('link', { name: 'Outline' }).click();
  await other.getByLabel('Code').fill('HOSE-1');
  await expect(other.getByText(/^\s*saved \d\d:\d\d/)).toBeVisible();
  await page.getByLabel('Summary').fill('One team, one hose, one voice.');
  await expect(page.getByText('saving …')).toBeHidden();
  const both = page.getByRole('table', { name: 'The two versions' });
  if (await both.isVisible()) {
    await expect(both).toContainText('HOSE-1');
    await page.getByRole('button', { name: 'Go on with mine' }).click();
  }
  await expect(page.getByText('saving …')).toBeHidden();
  await other.goto(`/courses/${course}/live`);
  await other.getByRole('button', { name: 'Go live', exact: true }).click();
  await expect(other.getByText('It is live. Nobody is asked for it yet.')).toBeVisible();
  await other.goto('/people?find=runa.aske');
  await other.getByRole('checkbox', { name: 'Choose Runa Aske' }).check();
  await other.getByRole('button', { name: 'Assign to 1 chosen' }).click();
  await choose(list(other, 'Course'), 'Hose Drill');
  await other.getByRole('textbox', { name: 'Due on' }).fill('2026-05-29');
  await expect(other.getByTestId('preview').getByRole('row', { name: /Runa Aske/ })).toContainText('Fri 29 May 17:00');
  await other.getByRole('button', { name: 'Assign to 1', exact: true }).click();
  await expect(other.getByText('Assigned to 1 person')).toBeVisible();
  await other.close();
  // nobody's clock moves: the house is other tests' too
  await signInAs(phone, 'Runa Aske');
  await phone.goto('/my-training');
  await phone
    .getByRole('row', { name: /Hose Drill/ })
    .getByRole('link', { name: /Begin|Go on/ })
    .click();
});

test('on a phone: what is not open says when it opens, a quiz is failed and then passed, and that opens the rest', async () => {
  await expect(phone.getByRole('heading', { name: 'Hose Drill' })).toBeVisible();
  await expect(phone.getByText('opens when “The hoses” is passed')).toBeVisible();
  await phone.getByText('The drill').click({ force: true });
  await expect(phone.getByRole('button', { name: 'Begin' })).toHaveCount(0);
  const take = async (right: boolean) => {
    await phone.getByRole('radio', { name: right ? 'The red one' : 'The green one' }).check();
    await phone.getByRole('radio', { name: right ? 'false' : 'true', exact: true }).check();
    await phone.getByRole('button', { name: 'Submit' }).click();
  };
  await phone.getByText('The hoses', { exact: true }).click();
  await phone.getByRole('button', { name: 'Begin' }).click();
  await phone.getByRole('radio', { name: 'The green one' }).check();
  // what is answered outlives a reload
  await phone.reload();
  await phone.getByText('The hoses', { exact: true }).click();
  await expect(phone.getByRole('radio', { name: 'The green one' })).toBeChecked();
  await take(false);
  await expect(phone.getByText(/Not passed with 0 %/)).toBeVisible();
  await phone.getByRole('button', { name: 'Try again' }).click();
  await take(true);
  await expect(phone.getByText(/Passed with 100 %/)).toBeVisible();
  await expect(phone.getByText('50 %, 1 of 2 required units done')).toBeVisible();
  await expect(phone.getByText('opens when “The hoses” is passed')).toBeHidden();
  await phone.getByText('The drill').click();
  await phone.getByRole('button', { name: 'Begin' }).click();
  await take(false);
  await expect(phone.getByText(/Not passed with 0 %/)).toBeVisible();
  await phone.getByRole('button', { name: 'Try again' }).click();
  await take(true);
  await expect(phone.getByText('You finished. Well done.')).toBeVisible();
});

test('the trainer was told of the one quiz and not of the other, and the letter leads to the attempt', async ({ browser }) => {
  const office = await browser.newPage();
  await signInAs(office, 'Sigrid Aune');
  await office.goto('/post-room');
  await findMail(office, 'tora.hauge');
  const row = office.getByRole('row', { name: /The hoses of Hose Drill was not passed/ });
  await expect(row).toHaveCount(1);
  await expect(office.getByRole('row', { name: /The drill/ })).toHaveCount(0);
  await row.click();
  const body = office.frameLocator('iframe').locator('body');
  await expect(body).toContainText('Runa Aske: The hoses of Hose Drill, attempt 1: 0 %, not passed.');
  const link = await body.getByRole('link', { name: 'Open the attempt' }).getAttribute('href');
  await office.close();
  await page.goto(link!);
  const attempt = page.getByRole('complementary', { name: 'An attempt' });
  await expect(attempt).toContainText('Runa Aske');
  await expect(attempt).toContainText('Right is: The red one');
  await expect(page.getByRole('row', { name: /Runa Aske 2 .* 100 % passed/ })).toBeVisible();
});
