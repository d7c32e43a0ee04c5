import { expect, test } from '@playwright/test';
import { choose, findMail, signInAs } from './pages.ts';

test('a question on the page of a course reaches the trainer, and its answer stands there; others on the course read it, and the trainer takes a word back', async ({
  page,
  browser,
}, { retry }) => {
  const question = `Where do I get a narrow face seal? ${retry}`;
  const shipmate = await browser.newPage();
  await signInAs(shipmate, 'Runa Aske');
  await shipmate.getByRole('link', { name: 'Fire Teams Aboard' }).first().click();
  await shipmate.getByRole('button', { name: /Breathing apparatus/ }).click();
  await shipmate.getByRole('button', { name: 'Ask Tora Hauge' }).click();
  await shipmate.getByLabel('Your question at “Breathing apparatus”').fill(question);
  await shipmate.getByRole('radio', { name: /^Everybody on this course/ }).check();
  await shipmate.getByRole('button', { name: 'Send to Tora Hauge and everybody' }).click();
  await expect(shipmate.getByRole('status')).toHaveText('Sent to Tora Hauge. The answer stands here, and comes by mail.');

  // it waits on Today, and is answered by mail
  await signInAs(page, 'Sigrid Aune');
  await expect(page.getByRole('row', { name: /Reply waits/ }).filter({ hasText: question })).toContainText('Runa Aske asked on the page of Fire Teams Aboard'); // prettier-ignore
  await page.goto('/post-room');
  await findMail(page, 'tora.hauge@orlasund.example');
  await page.getByRole('row', { name: question }).first().click();
  await page.getByRole('button', { name: 'plain text' }).click();
  await expect(page.getByText('Everybody on the course reads it there, and so they do what you answer.').first()).toBeVisible();
  await page.getByLabel('Write back as its reader').fill('At the store, with your number.');
  await page.getByRole('button', { name: 'Send the reply' }).click();
  await expect(page.getByText(/Nudrik said: “250/)).toBeVisible();
  await shipmate.reload();
  const mine = shipmate.getByRole('article').filter({ hasText: question });
  await expect(mine).toContainText('You asked everybody on this course, at “Breathing apparatus”');
  await expect(mine).toContainText('At the store, with your number.');

  // of what others asked one reads the answers, and writes to it
  const masks = shipmate.locator('details').filter({ hasText: 'Do we train with the old masks or with the new ones?' });
  await masks.locator('summary').click();
  await expect(masks).toContainText('With the new ones.');
  await masks.getByRole('button', { name: /^Answer / }).click();
  await masks.getByLabel(/^Your answer; everybody on this course reads it/).fill(`Old ones are fine. ${retry}`);
  await masks.getByRole('button', { name: 'Send it' }).click();
  await expect(shipmate.getByRole('status')).toHaveText('It stands there now.');

  // which is wrong: whoever takes care takes it off, and it stands on the record
  await page.goto('/replies');
  await page
    .getByRole('row')
    .filter({ hasText: `Old ones are fine. ${retry}` })
    .click();
  const sheet = page.getByRole('complementary', { name: 'The conversation' });
  const word = sheet
    .getByRole('list', { name: 'What was said' })
    .getByRole('listitem')
    .filter({ hasText: `Old ones are fine. ${retry}` });
  await expect(word).toContainText('Runa Aske');
  await word.getByRole('button', { name: 'Take it off the page' }).click();
  await expect(word).toContainText('Taken off the page.');
  await sheet.getByLabel(/^Answer, by mail to .* and on the page of the course$/).fill('Only the new ones are tested.');
  await sheet.getByRole('button', { name: 'Send, and done' }).click();
  await expect(sheet.getByText('Done, says Sigrid Aune.').last()).toBeVisible();
  await shipmate.reload();
  await masks.locator('summary').click();
  await expect(masks).toContainText('taken off the page: nobody else reads it here');
  await expect(masks).toContainText('Only the new ones are tested.');
  await page.goto('/replies');
  await page.getByRole('row').filter({ hasText: 'At the store, with your number.' }).click();
  await sheet.getByRole('button', { name: 'Done without an answer' }).click();
  await expect(sheet.getByText('Done, says Sigrid Aune.').last()).toBeVisible();
});

test('a course that takes no questions is set to take them, for whoever takes care alone', async ({ page, browser }) => {
  const shipmate = await browser.newPage();
  await signInAs(shipmate, 'Runa Aske');
  await shipmate.getByRole('link', { name: 'Muster and Abandon Ship' }).first().click();
  await expect(shipmate.getByText(/^Stuck\? Reply to the message/)).toBeVisible();
  await expect(shipmate.getByRole('heading', { name: 'Questions' })).toHaveCount(0);

  await signInAs(page, 'Sigrid Aune');
  await page.goto('/courses');
  await page.getByRole('row', { name: /Muster and Abandon Ship/ }).click();
  await choose(page.getByRole('combobox', { name: 'Questions are asked' }), 'on its page too');
  await page.getByRole('link', { name: 'Publish' }).click();
  await expect(page.getByText('Questions are asked: “by replying to messages” becomes “on its page too”.')).toBeVisible();
  await page.getByRole('button', { name: /^Publish/ }).click();
  await expect(page.getByText('Questions are asked: “by replying to messages” becomes “on its page too”.')).toHaveCount(0);

  await shipmate.reload();
  await shipmate.getByRole('button', { name: /^Ask / }).click();
  await expect(shipmate.getByRole('radio')).toHaveCount(0);
  await shipmate.getByRole('button', { name: 'Never mind' }).click();
  await expect(shipmate.getByText(/^Stuck\? Ask above, or reply/)).toBeVisible();
});
