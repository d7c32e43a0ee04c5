import { expect, test } from '@playwright/test';
import { choose, press, signInAs } from './pages.ts';

test('a session is made, chosen, moved and cancelled: before each it is seen who hears what, and exactly they do', async ({
  page,
  browser,
}) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/courses/2/sessions/14');
  await expect(page.getByRole('region', { name: 'Hot drill, first watch' })).toContainText('2 of 2 seats, 1 waiting');
  await page.getByRole('button', { name: 'New session' }).click();
  await page.getByLabel('What it is called').fill('Hot drill, evening');
  await page.getByRole('textbox', { name: 'Day of the session' }).fill('2026-05-20');
  await page.getByLabel('Starts at').fill('17:00');
  await page.getByLabel('Ends at').fill('19:00');
  await page.getByLabel('Seats', { exact: true }).fill('1');
  await page.getByRole('button', { name: 'Make the session' }).click();
  const evening = page.getByRole('region', { name: 'Hot drill, evening' });
  await expect(evening).toContainText('Wed 20 May 17:00 to 19:00');

  // an employee takes the only seat; the office puts somebody on the waiting list
  const runa = await (
    await browser.newContext({ baseURL: test.info().project.use.baseURL!, viewport: { width: 390, height: 844 } })
  ).newPage();
  await signInAs(runa, 'Runa Aske');
  await runa.getByRole('link', { name: /Fire Teams Aboard/ }).first().click(); // prettier-ignore
  await runa.getByText('Hot drill at the fire ground').first().click();
  await runa.getByRole('button', { name: 'Choose Hot drill, evening' }).click();
  await expect(runa.getByText('You have a seat.')).toBeVisible();
  await page.reload();
  await expect(evening).toContainText('1 of 1 seats');
  await choose(page.getByRole('combobox', { name: /^Give .* a seat$/ }).first(), 'Hot drill, evening, Wed 20 May 17:00, full: they wait');
  await expect(page.getByRole('status').last()).toContainText('waits for a seat');
  await expect(evening).toContainText('1 waiting');

  // moved: who hears what is seen before, and Runa is the one
  await page.getByRole('button', { name: 'Change Hot drill, evening' }).click();
  await page.getByRole('textbox', { name: 'Day of the session' }).fill('2026-05-21');
  await page.getByLabel('Why, as those concerned read it').fill('The tide');
  await page.getByRole('button', { name: 'See who hears what' }).click();
  const hears = page.getByRole('region', { name: 'Who hears what' });
  await expect(hears).toContainText('“It is moved” to Runa Aske');
  await page.getByRole('button', { name: 'Change it, which 1 person hear' }).click();
  await expect(page.getByRole('status').last()).toContainText('It is news for 1 person.');
  await expect(evening).toContainText('Thu 21 May 17:00');
  await expect(async () => {
    await press(page, 'next notice');
    await page.goto('/ledger?find=runa%20aske&when=all');
    await expect(page.getByRole('row').filter({ hasText: 'It is moved' }).first()).toContainText(/delivered|sent/, { timeout: 2_000 });
  }).toPass({ timeout: 60_000 });

  // given up: whoever waits moves up
  await runa.reload();
  await runa.getByText('Hot drill at the fire ground').first().click();
  await runa.getByRole('button', { name: 'Give up Hot drill, evening' }).click();
  await expect(runa.getByRole('button', { name: 'Choose Hot drill, evening' })).toBeVisible();
  await page.goto('/courses/2/sessions/14');
  await expect(evening).not.toContainText('waiting');
  await page.getByRole('button', { name: 'Cancel Hot drill, evening' }).click();
  await expect(hears).toContainText('“No seat any more”');
  await page.getByRole('button', { name: 'Cancel the session' }).click();
  await expect(page.getByRole('status').last()).toContainText('is cancelled. 1 person had a seat in it.');
  await expect(evening).toContainText('Cancelled');
});

test('who came is recorded from a list on a phone', async ({ page }) => {
  await signInAs(page, 'Tora Hauge');
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto('/sign-offs/2/14?session=1');
  await expect(page.getByRole('heading', { name: 'Hot drill, morning' })).toBeVisible();
  const absent = page.getByRole('group', { name: 'How it came out for Signe Vold' });
  await expect(absent.getByRole('button', { name: 'not met' })).toHaveCount(0);
  await absent.getByRole('button', { name: 'was there' }).click();
  await page.getByRole('button', { name: 'See what goes to whom (1)' }).click();
  await page.getByRole('button', { name: 'Record 1 entry' }).click();
  await expect(page.getByText('1 entry recorded.')).toBeVisible();
});
