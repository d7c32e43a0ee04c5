import { expect, test } from '@playwright/test';
import { area, clock, findMail, press, settled, signInAs } from './pages.ts';

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
  await dialog.getByRole('textbox', { name: 'Subject', exact: true }).fill('{course}: the drill is {nosuchday}');
  await expect(dialog.getByRole('alert')).toContainText('nosuchday');
  await expect(send).toBeDisabled();
  await dialog.getByRole('textbox', { name: 'Subject', exact: true }).fill('{course}: the drill moves, {given name}');
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

interface Told {
  person: string;
  step: string;
}

test('what the rehearsal says of a day is what then goes out on it', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/plans/rehearsal?days=14');
  const days = page.locator('table.days tbody tr');
  await expect(days.first()).toBeVisible();
  // the next working day that has something
  const today = (await clock(page).innerText()).slice(0, 10).trim();
  const rows = await days.evaluateAll((list) => list.map((row) => Array.from(row.querySelectorAll('td')).map((cell) => cell.textContent?.trim() ?? '')));
  const at = rows.findIndex(([day, mails]) => !today.startsWith(day!) && !/no working day/.test(day!) && Number(mails) > 0 && Number(mails) < 90);
  await days.nth(at).click();
  await expect(page).toHaveURL(/day=\d{4}-\d\d-\d\d/);
  const date = /day=(\d{4}-\d\d-\d\d)/.exec(page.url())![1]!;
  await expect(page.locator('aside h2').first()).toHaveText(rows[at]![0]!);
  const lines = page.locator('table.lines tbody tr');
  await expect.poll(() => lines.count()).toBeGreaterThanOrEqual(Number(rows[at]![1]));
  const foretold: Told[] = await lines.evaluateAll((list) =>
    list.map((row) => {
      const small = row.querySelector('.small')!.textContent!.replace(/; will be assigned .*$/, '');
      const reader = row.querySelector('button')!.textContent!.trim();
      return { person: /about (.*)$/.exec(small)?.[1] ?? reader, step: small.replace(/, about .*$/, '') };
    }),
  );
  // what requirements assign by then is foretold too; what the personnel feed brings meanwhile nobody could foretell
  const facts = (await (await page.request.get('/api/rehearsal')).json()) as { people: { id: string; name: string }[]; courses: { id: string; title: string }[]; assignments: { person: string; course: string }[] }; // prettier-ignore
  const nameOf = new Map(facts.people.map(({ id, name }) => [id, name]));
  const titleOf = new Map(facts.courses.map(({ id, title }) => [id, title]));
  const known = new Set(facts.assignments.map(({ person, course }) => `${nameOf.get(person)}/${titleOf.get(course)}`));
  // the day is lived through
  await page.getByRole('button', { name: new RegExp(`^${rows[at]![0]}`) }).first().click();
  await page.getByRole('button', { name: 'Move the clock to this day' }).click();
  await settled(page);
  await press(page, '+1 day');
  // the clock tells each stop on its way: what is still going out is waited for
  await expect(async () => {
    const answer = await page.request.get(`/api/notices?from=${date}&to=${date}&size=200`);
    const { rows: ledger } = (await answer.json()) as { rows: { person: { name: string }; stepName: string; occurrence: number; course: { title: string }; state: string }[] };
    // a mailbox that is full in between is nothing that a rehearsal knows
    const isFull = new Set(ledger.filter(({ state }) => ['planned', 'held', 'bounced', 'failed'].includes(state)).map(({ person }) => person.name));
    const told = (list: Told[]): string[] => list.filter(({ person }) => !isFull.has(person)).map(({ person, step }) => `${person}: ${step}`).sort();
    expect(isFull.size).toBeLessThan(4);
    const sent: Told[] = ledger
      .filter(({ state, person, course }) => ['sending', 'sent', 'delivered'].includes(state) && known.has(`${person.name}/${course.title}`))
      .map((row) => ({ person: row.person.name, step: `${row.stepName}${row.occurrence > 0 ? ` (${row.occurrence + 1})` : ''}, ${row.course.title}` }));
    expect(told(sent)).toEqual(told(foretold));
  }).toPass({ timeout: 30_000 });
}); // prettier-ignore

test('everything is held: nothing leaves, each page says so; released, what is still useful goes', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/held');
  await expect(page.getByRole('row', { name: /The plan of “Passenger Assistance” is held/ }).first()).toBeVisible();
  await page.getByRole('button', { name: /Let nothing leave this house/ }).click();
  const form = page.getByRole('dialog', { name: 'Nothing leaves this house' });
  await expect(form).toContainText(/would wait until/);
  await form.getByLabel(/^Why/).fill('Wrong texts went out');
  await form.getByRole('button', { name: 'Hold everything' }).click();
  const banner = page.locator('nk-hold-banner');
  await expect(banner).toContainText('Nothing leaves this house. Held since');
  await expect(banner).toContainText(/nothing waits yet|\d+ messages? waits?/); // what another hold keeps back waits under this one too
  await press(page, 'next notice');
  await area(page, 'People');
  await expect(banner).toContainText(/\d+ messages? waits?/);
  await page.goto('/ledger?outcome=held&held=on-hold&when=all');
  await expect(page.getByText('held: somebody holds it').first()).toBeVisible();
  await page.getByRole('row', { name: /held: somebody holds it/ }).filter({ hasNotText: 'Passenger Assistance' }).first().click();
  await expect(page.getByTestId('sentence')).toContainText(/Held: everything is held by Sigrid Aune since .* \(Wrong texts went out\), until it is released\./);
  await page.goto('/held');
  await page.getByRole('button', { name: 'Release: Nothing leaves this house' }).click();
  const release = page.getByRole('dialog', { name: 'Release' });
  await expect(release.getByRole('row', { name: /goes/ }).first()).toBeVisible();
  await release.getByRole('button', { name: 'Release and send' }).click();
  await expect(banner.getByText('Nothing leaves')).toHaveCount(0);
  await expect(page.getByRole('row', { name: /Nothing leaves this house.*sent what was still useful/ })).toBeVisible();
}); // prettier-ignore
