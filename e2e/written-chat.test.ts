import { expect, test, type Page } from '@playwright/test';
import { area, choose, findMail, list, press, signInAs } from './pages.ts';

/** Somebody of the workshop with a name in the chat, and a course of hers. */
async function hire(page: Page, name: string, chatName: string): Promise<void> {
  await page.goto('/people');
  await page.getByRole('button', { name: 'Add a person' }).click();
  const form = page.getByRole('form', { name: 'Add a person' });
  await form.getByLabel('Name', { exact: true }).fill(name);
  await form.getByLabel('E-mail', { exact: true }).fill(`${chatName}@orlasund.example`);
  await form.getByRole('combobox', { name: 'Department' }).fill('Yard');
  await page.keyboard.press('Tab');
  await choose(list(form, 'Site'), 'Skerry Yard');
  await form.getByLabel('Name in the workplace chat').fill(`@${chatName}`);
  await form.getByRole('button', { name: 'Add to the roster' }).click();
  await expect(page.getByRole('heading', { name })).toBeVisible();
}

async function assign(page: Page, name: string, course: string): Promise<void> {
  await page.goto(`/people?find=${encodeURIComponent(name)}`);
  await page.getByRole('checkbox', { name: `Choose ${name}` }).check();
  await page.getByRole('button', { name: 'Assign to 1 chosen' }).click();
  await choose(list(page, 'Course'), course);
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-12-11');
  await expect(page.getByTestId('preview')).toContainText('Fri 11 Dec 17:00');
  await page.getByRole('button', { name: 'Assign to 1', exact: true }).click();
  await expect(page.getByText('Assigned to 1 person')).toBeVisible();
}

/** Simulated time goes on until it is there. */
async function until(page: Page, path: string, row: RegExp, find: string | null = null): Promise<void> {
  await page.goto(path);
  if (find) await findMail(page, find);
  await expect(async () => {
    if ((await page.getByRole('row', { name: row }).count()) === 0) await press(page, 'next notice');
    await expect(page.getByRole('row', { name: row }).first()).toBeVisible({ timeout: 1_000 });
  }).toPass({ timeout: 90_000 });
}

test('somebody is told in the chat in place of mail, writes back there and is answered there; while it is down mail goes', async ({
  page,
}) => {
  await signInAs(page, 'Sigrid Aune');
  await hire(page, 'Ragna Tveit', 'ragna.tveit');
  const sheet = page.getByRole('complementary').filter({ hasText: 'Ragna Tveit' });
  await sheet.getByText('by mail', { exact: true }).click();
  await choose(list(sheet, 'How messages come'), 'in the chat, by mail where that fails');
  await expect(sheet.getByText('Kept.')).toBeVisible();
  await assign(page, 'Ragna Tveit', 'Safe Lifting');
  await until(page, '/chat-room', /ragna\.tveit .*Safe Lifting/);
  await page.getByRole('row', { name: /ragna\.tveit/ }).click();
  const said = page.getByRole('complementary', { name: 'What was said' });
  await expect(said).toContainText('/go/');
  await said.getByLabel('Write back as ragna.tveit').fill('Which hall is it in?');
  await said.getByRole('button', { name: 'Send it' }).click();
  await expect(said.getByText('Nudrik said: “taken”')).toBeVisible();

  // it waits on Today like any reply, and its answer goes where it came from
  await area(page, 'Today');
  const waits = page.getByRole('row', { name: /Reply waits/ }).filter({ hasText: 'Which hall is it in?' });
  await waits.getByRole('link', { name: 'Answer' }).click();
  const conversation = page.getByRole('complementary', { name: 'The conversation' });
  await expect(conversation.getByText('in the chat')).toBeVisible();
  await conversation.getByLabel(/^Answer, by mail to/).fill('In the big one.');
  await conversation.getByRole('button', { name: 'Send, and done' }).click();
  await expect(conversation.getByText('sent to ragna.tveit@orlasund.example')).toBeVisible();
  await page.goto('/chat-room?thread=@ragna.tveit');
  await expect(said).toContainText('In the big one.');

  // the chat is down: the next message goes by mail at once, and Today says why
  await page.getByRole('button', { name: 'Take the chat down' }).click();
  await expect(page.getByText('The chat is down')).toBeVisible();
  await assign(page, 'Ragna Tveit', 'Hot Work Permit');
  await until(page, '/post-room', /ragna\.tveit@.*Hot Work Permit/, 'ragna.tveit');
  await area(page, 'Today');
  await expect(page.getByRole('row', { name: /Chat stands still/ })).toContainText('The chat is being maintained');
  await page.goto('/chat-room');
  await page.getByRole('button', { name: 'Bring it up' }).click();
  await expect(page.getByRole('button', { name: 'Take the chat down' })).toBeVisible();
  await area(page, 'Today');
  await page
    .getByRole('row', { name: /Chat stands still/ })
    .getByRole('button', { name: 'Try now' })
    .click();
});

test('who wants all of a day at once says so on their own page, and gets one mail in their own morning', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  await hire(page, 'Sunniva Dahl', 'sunniva.dahl');
  await assign(page, 'Sunniva Dahl', 'Safe Lifting');
  await until(page, '/post-room', /sunniva\.dahl@.*Safe Lifting/, 'sunniva.dahl');
  await page
    .getByRole('row', { name: /sunniva\.dahl@.*Safe Lifting/ })
    .first()
    .click();
  const link = await page.frameLocator('iframe').getByRole('link', { name: 'Open the course' }).getAttribute('href');

  const own = await (await browser.newContext()).newPage();
  await own.goto(link!);
  await own.getByText('How you hear from us').click();
  await choose(list(own, 'When messages come'), 'all of a day in one message');
  await expect(own.getByText('Kept.')).toBeVisible();
  await own.getByRole('textbox', { name: 'At what time of the day' }).fill('6:30');
  await own.keyboard.press('Tab');
  await expect(own.getByRole('textbox', { name: 'At what time of the day' })).toHaveValue('06:30');
  await own.reload();
  await own.getByText('How you hear from us').click();
  await expect(own.getByRole('textbox', { name: 'At what time of the day' })).toHaveValue('06:30');

  await assign(page, 'Sunniva Dahl', 'Hot Work Permit');
  await assign(page, 'Sunniva Dahl', 'Muster and Abandon Ship');
  await until(page, '/post-room', /07:30 sunniva\.dahl@.*\(and \d+ more\)/, 'sunniva.dahl');
  // who set it is on the record
  await page.goto('/people?find=sunniva');
  await page.getByRole('row', { name: /Sunniva Dahl/ }).click();
  await page.getByRole('button', { name: 'Time line' }).click();
  await expect(page.getByText('Changed one mail a day, at from 07:00 to 06:30')).toBeVisible();
});
