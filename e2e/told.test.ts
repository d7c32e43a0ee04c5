import { expect, test } from '@playwright/test';
import { area, findMail, press, signInAs } from './pages.ts';

/** Somebody reminds people by hand: those who were told within 48 hours are left alone, and the ledger says by whom it was. */
test('reminded by hand from what is under way, and not again within 48 hours', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Courses');
  await page.getByText('Fire Teams Aboard').first().click();
  await page.getByRole('link', { name: 'Under way' }).click();
  const all = page.getByRole('button', { name: /^Remind (all \d+|this one)…$/ });
  const count = Number((await all.innerText()).match(/\d+/)?.[0] ?? 1);
  await all.click();
  const dialog = page.getByRole('dialog', { name: 'Remind now' });
  const told = dialog.getByText(/told within the last 48 hours/);
  await expect(dialog.getByText(/gets? it\./)).toBeVisible();
  const leftOut = (await told.isVisible()) ? Number((await told.innerText()).match(/(\d+) (?:was|were) told/)![1]) : 0;
  const people = (n: number): string => (n === 1 ? 'Remind 1 person' : `Remind ${n} people`);
  const send = dialog.getByRole('button', { name: /^Remind \d+ p/ });
  await expect(send).toHaveText(people(count - leftOut));
  // the text is changed, and read as somebody who gets it
  await dialog.getByRole('button', { name: 'Change the text' }).click();
  await dialog.getByLabel('Subject').fill('{course}: the drill is {nosuchday}');
  await expect(dialog.getByRole('alert')).toContainText('nosuchday');
  await expect(send).toBeDisabled();
  await dialog.getByLabel('Subject').fill('{course}: the drill moves, {given name}');
  await expect(send).toBeEnabled();
  const reader = (await dialog.getByText(/^As .* reads it$/).innerText()).match(/As (\S+)/)![1]!;
  await expect(dialog.getByText(`Fire Teams Aboard: the drill moves, ${reader}`)).toBeVisible();
  await send.click();
  await expect(page.getByText(/Reminded by hand: Fire Teams Aboard of /)).toBeVisible();

  // whoever comes next is told of it before it has even gone
  await all.click();
  await expect(dialog.getByText('Nobody gets it.')).toBeVisible();
  await expect(dialog.getByText(`${count} ${count === 1 ? 'was' : 'were'} told within the last 48 hours and left out.`)).toBeVisible();
  await expect(send).toBeDisabled();
  await dialog.getByLabel('Write to them all the same').check();
  await expect(send).toHaveText(people(count));
  await dialog.getByRole('button', { name: 'Leave it' }).click();

  await press(page, '+1 day');
  await area(page, 'Ledger');
  await page
    .getByRole('searchbox')
    .or(page.getByPlaceholder(/person/i))
    .first()
    .fill(reader);
  await expect(page.getByText('Reminder by hand, by Sigrid Aune').first()).toBeVisible();
  await page.goto('/post-room');
  await findMail(page, `${reader.toLowerCase()}.`);
  await expect(page.getByText(`Fire Teams Aboard: the drill moves, ${reader}`).first()).toBeVisible();
});
