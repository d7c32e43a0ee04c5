import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { unzipSync, zipSync } from 'fflate';
import { area, choose, list, signInAs } from './pages.ts';

test('who held this on 1 March, and how do you know: what was known then and what is known now, who was told, who finished, and all of it as files', async ({
  page,
  browser,
}) => {
  test.setTimeout(420_000);
  // what nobody knew on 1 March is recorded today
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/requirements/completions');
  await page.getByRole('textbox', { name: 'Completions' }).fill('person,course,finished on\nduncan.farquhar@orlasund.example,Safe Lifting,2026-02-20'); // prettier-ignore
  await expect(page.getByTestId('completions')).toContainText('Duncan Farquhar');
  await page.getByLabel('Where they come from, for the record').fill('course register 2026');
  await page.getByRole('button', { name: 'Record 1' }).click();
  await expect(page.getByRole('status')).toContainText('Recorded Safe Lifting for Duncan Farquhar');

  const auditor = await (await browser.newContext()).newPage();
  await signInAs(auditor, 'Elias Brekke');
  await area(auditor, 'Matrix');
  const day = auditor.getByRole('textbox', { name: 'As of' });
  await day.fill('1.3.2026');
  await day.press('Enter');
  const strip = auditor.getByRole('region', { name: 'As of a day that has passed' });
  await expect(strip).toContainText('At the end of Sun 1 Mar 2026');
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Farquhar');
  const grid = auditor.getByRole('grid', { name: 'Matrix' });
  const row = grid.getByRole('row', { name: /Duncan Farquhar/ });
  await expect(row.getByRole('gridcell', { name: /holds it until 20 Feb/ })).toBeHidden();
  await strip.getByText('1 entry went on the record later').click();
  await expect(strip.getByRole('row', { name: /Duncan Farquhar.*Safe Lifting.*not asked.*holds it/ })).toBeVisible();
  await choose(list(auditor, 'By what is known when'), 'as is known now');
  const cell = row.getByRole('gridcell', { name: /^holds it/ }).last();
  await expect(cell).toBeVisible();

  // how do you know: who finished, and how
  await cell.click();
  // the sheet of the cell has it, beside the head of the column
  const sheet = auditor.getByRole('region', { name: 'Duncan Farquhar, Safe Lifting' });
  await sheet.getByRole('link', { name: 'Safe Lifting', exact: true }).click();
  await expect(auditor).toHaveURL(/\/matrix\/\d+\?on=2026-03-01&known=now/);
  await auditor.getByRole('link', { name: 'Who finished' }).click();
  await expect(auditor).toHaveURL(/finished\?on=2026-03-01&known=now/);
  await expect(strip).toContainText('At the end of Sun 1 Mar 2026');
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Duncan Farquhar');
  await expect(
    auditor.getByRole('row', { name: /Duncan Farquhar.*20 Feb 2026.*recorded by Sigrid Aune: course register 2026/ }),
  ).toBeVisible();
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar/ })).toHaveCount(1);
  for (const kind of ['CSV', 'XLSX', 'PDF']) {
    const coming = auditor.waitForEvent('download');
    await auditor.getByRole('button', { name: kind, exact: true }).click();
    expect((await coming).suggestedFilename()).toBe(`Who finished, Safe Lifting, 2026-03-01.${kind.toLowerCase()}`);
  }
  // known then he was not among them
  await choose(list(auditor, 'By what is known when'), 'as it was known then');
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar/ })).toHaveCount(0);

  // who was told, and why he was not
  await auditor.getByRole('link', { name: 'Who was notified' }).click();
  await auditor.getByRole('button', { name: 'Back to now' }).click();
  await auditor.getByRole('searchbox', { name: 'Find', exact: true }).fill('Duncan Farquhar');
  await expect(auditor.getByRole('row', { name: /Duncan Farquhar.*not told/ })).toBeVisible();
  await auditor.getByRole('button', { name: 'Invitation', exact: true }).click();
  await expect(auditor.getByRole('heading', { level: 2 })).toContainText('“Invitation”');

  // figures: each number leads to whom it counts
  await auditor.goto('/matrix/figures');
  const late = auditor.getByRole('region', { name: 'How long people are late' });
  await late.getByText('The numbers').click();
  const number = late.getByRole('row').nth(1).getByRole('link').last();
  const count = Number(await number.innerText());
  await number.click();
  await expect(auditor.getByRole('heading', { level: 1 })).toBeVisible();
  await expect(auditor.locator('tbody tr')).toHaveCount(Math.min(50, count));
  // one of a band leads to those of the band alone
  await auditor.goBack();
  const took = auditor.getByRole('region', { name: 'From being asked to finishing' });
  await took.getByText('The numbers').click();
  const band = took.getByRole('row').nth(1).getByRole('cell').getByRole('link').nth(1);
  const inBand = await band.innerText();
  await band.click();
  await expect(auditor.getByText(new RegExp(`^Only those who took .*: ${inBand}\\.`))).toBeVisible();
  await expect(auditor.locator('tbody tr')).toHaveCount(Math.min(50, Number(inBand)));
  // and an auditor changes nothing
  await expect(auditor.getByRole('button', { name: /Extend|Waive|Remind/ })).toHaveCount(0);

  // a sample that anybody draws again
  await auditor.goto('/matrix/evidence/sample?from=2026-03-01&to=2026-03-31&seed=7&size=5');
  await expect(auditor.getByText('5 of 207 people')).toBeVisible();
  const drawn = await auditor.locator('tbody tr a').allInnerTexts();
  await auditor.reload();
  await expect(auditor.locator('tbody tr a')).toHaveText(drawn);

  // all of it as a pack, which is checked without Nudrik's word for it
  await auditor.goto('/matrix');
  await auditor.getByRole('link', { name: 'Evidence', exact: true }).click();
  await choose(list(auditor, 'About'), 'a course');
  await choose(list(auditor, 'Course'), 'Safe Lifting');
  const until = auditor.getByRole('textbox', { name: 'To the end of' });
  await until.fill('1.3.2026');
  await until.press('Enter');
  await expect(auditor.getByTestId('would')).toContainText('to the end of 1 Mar 2026');
  // each certificate that nobody asked for yet is made for it
  const coming = auditor.waitForEvent('download', { timeout: 240_000 });
  await auditor.getByRole('button', { name: 'Make the pack' }).click();
  const pack = await coming;
  expect(pack.suggestedFilename()).toBe('Evidence, Safe Lifting, 2026-03-01.zip');
  const made = auditor.getByRole('row', { name: /Safe Lifting.*Elias Brekke/ });
  await expect(made).toBeVisible();
  const hash = await made.getByRole('cell').nth(4).innerText();
  const key = await auditor.locator('.key code.hash').innerText();
  const path = (await pack.path())!;
  const verify = (file: string) => spawnSync(process.execPath, ['server/bin/nudrik.mjs', 'verify', file], { encoding: 'utf8', env: { PATH: process.env['PATH'] } }); // prettier-ignore
  const found = verify(path);
  expect(found).toMatchObject({ status: 0, stdout: expect.stringContaining(`stand as they were signed, with the key ${key}.`) });
  expect(found.stdout).toContain(hash);
  // one letter of it
  const files = unzipSync(readFileSync(path));
  files['facts/assignments.csv']![200]! ^= 1;
  writeFileSync(`${path}.zip`, zipSync(files));
  expect(verify(`${path}.zip`)).toMatchObject({ status: 1, stdout: expect.stringContaining('facts/assignments.csv was changed.') });

  // what they looked at and took is on the record, and is seen by whoever runs the house
  await auditor.getByRole('link', { name: 'What was looked at' }).click();
  await expect(auditor.getByRole('row', { name: /took Evidence, Safe Lifting, 2026-03-01\.zip/ })).toBeVisible();
  await expect(auditor.getByRole('row', { name: /Who finished, Safe Lifting \(.*as of 1 Mar 2026/ }).first()).toBeVisible();
  await page.goto('/matrix/evidence/looked');
  await choose(list(page, 'Of whom'), 'Elias Brekke');
  await expect(page.getByRole('row', { name: /Elias Brekke.*took Who finished, Safe Lifting/ }).first()).toBeVisible();
});

test('whom a requirement had asked by a day that has passed: how they stood, and by name', async ({ page }) => {
  await signInAs(page, 'Elias Brekke');
  await area(page, 'Requirements');
  const day = page.getByRole('textbox', { name: 'As of' });
  await day.fill('31.3.2026');
  await day.press('Enter');
  await expect(page.getByText('At the end of Tue 31 Mar 2026')).toBeVisible();
  const row = page.getByRole('row', { name: /^on Fire teams for deck and engine/ });
  const asked = await row.getByRole('cell').nth(3).innerText();
  expect(Number(asked)).toBeGreaterThan(0);
  // written later
  await expect(page.getByRole('row', { name: /Lines and gangway/ })).toHaveCount(0);
  await row.getByRole('link', { name: 'Fire teams for deck and engine' }).click();
  await expect(page).toHaveURL(/\/matrix\/\d+\?requirement=\d+&on=2026-03-31/);
  await expect(page.getByRole('group', { name: 'State' })).toContainText(`${asked} assignments`);
  // what had gone by then stands there too
  await expect(page.getByRole('cell', { name: /^Certificate, / }).first()).toBeVisible();
  await page.getByRole('link', { name: 'Who was notified' }).click();
  await expect(page.getByRole('columnheader', { name: `Told, of ${asked}` })).toBeVisible();
  await choose(list(page, 'Asked by'), 'anything');
  await expect(page).not.toHaveURL(/requirement=/);
});
