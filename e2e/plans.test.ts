import { expect, test } from '@playwright/test';
import { area, signInAs } from './pages.ts';

test('a flag is dragged, and real people’s moments follow; nothing is published by that', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page.getByText('Fire Teams Aboard').first().click();
  const flag = page.getByRole('button', { name: /^Two days to go, 48 hours before due/ });
  const moments = page.getByTestId('moments');
  await flag.click();
  await expect(moments.getByRole('row', { name: /Runa Aske/ })).toContainText('Sat 9 May 17:00');
  const box = (await flag.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + 9);
  await page.mouse.down();
  // two days of the line to the left
  await page.mouse.move(box.x + box.width / 2 - 40, box.y + 9, { steps: 4 });
  await expect(page.locator('nk-plan-line .caption')).toHaveText(/^\d+ hours before due$/);
  await page.mouse.move(box.x + box.width / 2 - 72, box.y + 9, { steps: 4 });
  await page.mouse.up();
  const words = (await page.locator('nk-plan-line .caption').textContent())!;
  expect(Number(words.match(/\d+/)![0])).toBeGreaterThan(72);
  await expect(moments.getByRole('row', { name: /Runa Aske/ })).not.toContainText('Sat 9 May 17:00');
  await expect(moments.getByRole('row', { name: /Runa Aske/ })).toContainText(/\w{3} [5-7] May/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(moments.getByRole('row', { name: /Runa Aske/ })).toContainText('Sat 9 May 17:00');
  await expect(page.getByText(/^Version 3, published/)).toBeVisible();
});

test('a plan from nothing, by keys alone', async ({ page }, { retry }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Courses');
  await page.getByRole('link', { name: 'New course' }).click();
  await page.getByLabel('Title, as it stands in every message').fill(`Keys of the Wheelhouse${retry ? ` ${retry}` : ''}`);
  await expect(page.getByRole('button', { name: 'Begin' })).toBeEnabled();
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: 'Plan', exact: true }).click();
  const rows = page.locator('table.steps tbody tr');
  await expect(rows).toHaveCount(6);
  // all but one go: the row after one that is gone has the focus
  await rows.first().focus();
  for (let left = 5; left >= 1; left--) {
    await page.keyboard.press('Delete');
    await expect(rows).toHaveCount(left);
    await expect(rows.first()).toBeFocused();
  }
  const add = page.getByRole('combobox', { name: 'Add a step' });
  const begin = async (typed: string, name: string): Promise<void> => {
    // the sheet of the step before takes the focus once it is drawn; key by key: where the last one led is seen before the next
    const at = page.locator('.p-select-option.p-focus');
    await expect(async () => {
      await page.keyboard.press('Escape');
      await add.focus();
      await page.keyboard.press('ArrowDown');
      await expect(page.getByRole('option', { name: typed })).toBeVisible({ timeout: 1_000 });
      while (!(await at.filter({ hasText: typed }).count())) {
        const before = await at.allTextContents();
        await page.keyboard.press('ArrowDown');
        await expect.poll(() => at.allTextContents(), { timeout: 2_000 }).not.toEqual(before);
      }
    }).toPass({ timeout: 40_000 });
    await page.keyboard.press('Enter');
    await expect(page.getByRole('heading', { name })).toBeVisible();
  };
  await begin('Welcome, when it is assigned', 'Invitation');
  await begin('Nothing done for a week', 'Nothing done for a week');
  await expect(rows).toHaveCount(3);
  // the one that was left goes, the new ones are switched on, and the last is moved by its flag
  await rows.nth(0).focus();
  await page.keyboard.press('Delete');
  await expect(rows).toHaveCount(2);
  await expect(rows.first()).toBeFocused();
  for (const at of [0, 1]) {
    await rows.nth(at).focus();
    await page.keyboard.press(' ');
    await expect(rows.nth(at).getByRole('switch')).toBeChecked();
  }
  await page.getByRole('button', { name: /^Nothing done for a week, 7 days after/ }).focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await expect(rows.nth(1)).toContainText('9 days after the last activity, 09:00');
  // once it is worked out what publishing would change; the sheet takes the focus once it is drawn
  await page.getByRole('button', { name: 'Publish changes…' }).press('Enter');
  const publish = page.getByRole('button', { name: 'Publish version 2' });
  await expect(async () => {
    await expect(publish).toBeEnabled();
    await publish.press('Enter', { timeout: 2_000 });
    await expect(publish).toBeHidden({ timeout: 3_000 });
  }).toPass();
  await expect(page.getByText('Version 2 is published')).toBeVisible();
  await page.reload();
  await expect(rows).toHaveCount(2);
  await expect(rows.nth(1)).toContainText('9 days after the last activity, 09:00');
});

test('what is to be known of a draft is said, and mended by the act beside it', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page
    .getByRole('row', { name: /Cash and Ticket Data/ })
    .first()
    .click();
  const known = page.getByRole('region', { name: 'To know of this plan' });
  await expect(known).toContainText('“Two days to go” goes 72 hours before: its name says another distance.');
  // with whom it is about
  await known.getByRole('button', { name: /^Show/ }).first().click();
  await expect(known.getByRole('link').first()).toBeVisible();
  await known.getByRole('button', { name: 'Call it “3 days to go”' }).click();
  await expect(page.locator('table.steps')).toContainText('3 days to go');
  await expect(known).not.toContainText('its name says another distance');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(known).toContainText('its name says another distance');
});

test('published with its change set, looked at beside an earlier version, and that one brought back', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page
    .getByRole('row', { name: /Gangway and Line Handling/ })
    .first()
    .click();
  const row = page.locator('table.steps').getByRole('row', { name: /Getting started/ });
  await row.click();
  await page
    .getByRole('spinbutton', { name: /How many|Moment/ })
    .first()
    .fill('5');
  await page.keyboard.press('Tab');
  await expect(row).toContainText('5 days after assigned');
  await page.getByRole('button', { name: 'Publish changes…' }).click();
  const dialog = page.getByRole('dialog', { name: 'Publish changes' });
  await expect(dialog.getByText(/notices added, .* moved, .* dropped/)).toBeVisible();
  await dialog.getByLabel(/^Why/).fill('Two days were too soon');
  await dialog.getByRole('button', { name: 'Publish version 2' }).click();
  await expect(page.getByText('Version 2 is published.')).toBeVisible();
  await page.getByRole('button', { name: 'Versions' }).click();
  const versions = page.getByRole('dialog', { name: 'Versions of this plan' });
  await expect(versions).toContainText('Two days were too soon');
  await expect(versions.getByRole('row', { name: /Getting started/ })).toContainText('2 days after assigned');
  await versions.getByRole('button', { name: 'Bring version 1 back as a draft' }).click();
  await expect(row).toContainText('2 days after assigned');
  await expect(page.getByText(/^draft/)).toBeVisible();
});

test('saved as a file, and taken from it: what is otherwise is shown first', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page
    .getByRole('row', { name: /Safe Lifting/ })
    .first()
    .click();
  const coming = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save this plan as a file' }).click();
  const file = await coming;
  expect(file.suggestedFilename()).toBe('Safe Lifting, plan.json');
  const text = await (await import('node:fs/promises')).readFile(await file.path(), 'utf8');
  await page.getByRole('button', { name: 'Take one from a file …' }).click();
  const dialog = page.getByRole('dialog', { name: 'Take a plan from a file' });
  const give = (content: string) => dialog.locator('input[type=file]').setInputFiles({ name: 'plan.json', mimeType: 'application/json', buffer: Buffer.from(content) }); // prettier-ignore
  await give(text);
  await expect(dialog).toContainText('The file says the same as what is in hand now.');
  await give('{"course": "x"');
  await expect(dialog.getByRole('alert')).toContainText('plan.json: The file is not JSON');
  await give(text.replace('"Late"', '"Late again"'));
  await expect(dialog.getByRole('row', { name: /^Late again not there/ })).toBeVisible();
  await dialog.getByRole('button', { name: 'Take it as the draft' }).click();
  await expect(page.locator('table.steps')).toContainText('Late again');
});

test('a message is written by keys, with fields from their list; who would have trouble is shown first; and it is sent to oneself', async ({
  page,
}) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Plans');
  await page
    .getByRole('row', { name: /Safe Lifting/ })
    .first()
    .click();
  await page
    .locator('table.steps')
    .getByRole('row', { name: /Getting started/ })
    .click();
  await page.getByRole('button', { name: 'Edit message' }).click();
  const writer = page.getByRole('dialog', { name: 'Message of “Getting started”' });
  const text = writer.getByRole('textbox', { name: 'Text', exact: true });
  const reading = writer.getByRole('region', { name: 'As its readers have it' });
  await expect(reading).toContainText('none of them in trouble');
  // the dialog gives the focus to its first field once it is drawn
  await expect(writer.locator(':focus')).toHaveCount(1);
  await expect(async () => {
    await text.click();
    await page.keyboard.press('Control+End');
    const isLast = await text
      .locator('p')
      .last()
      .evaluate((last) => last.contains(getSelection()!.focusNode));
    expect(isLast).toBe(true);
  }).toPass({ timeout: 15_000 });
  await page.keyboard.press('Enter');
  await page.keyboard.type('Ours is the work of a {');
  await expect(page.getByRole('option', { name: /^job/ })).toBeVisible();
  await page.keyboard.type('job:');
  await expect(page.getByRole('option', { name: /^given name/ })).toHaveCount(0);
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(text.getByText('job', { exact: true })).toBeVisible();
  await page.keyboard.type(', and yours.');
  await expect(text).toContainText(/Ours is the work of a\s*job\s*, and yours\./);
  // those who have no job come first, with what is the matter
  await expect(reading).toContainText(/\d+ of \d+ people in trouble, those first/);
  await expect(reading).toContainText('{job} has no value');
  await expect(reading.frameLocator('iframe').getByText('Ours is the work of a ‹no job›, and yours.')).toBeVisible();
  // a field goes as a whole, and something may stand in for it
  await text.getByText('job', { exact: true }).click();
  await writer.getByLabel(/^job, or where there is none/).fill('colleague');
  await page.keyboard.press('Tab');
  await expect(reading).toContainText('none of them in trouble');
  await writer.getByRole('button', { name: 'Send me this one' }).click();
  await expect(writer.getByRole('status')).toContainText('Sent to sigrid.aune@orlasund.example');
  await writer.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('link', { name: 'Post', exact: true }).click();
  await expect(page.getByText(/^Test: Getting started with Safe Lifting/).first()).toBeVisible();
  await page.goBack();
  const leave = page.getByRole('button', { name: 'Leave the changes' });
  // it is gone once the server has said so
  const dropped = page.waitForResponse(/draft\/drop$/);
  await leave.click();
  expect((await dropped).ok()).toBe(true);
});
