import { readFile } from 'node:fs/promises';
import { expect, test, type Page } from '@playwright/test';
import { area, choose, chooseFile, list, signInAs } from './pages.ts';

/** A roster file with every kind of row: looked at, taken, listed, undone; and one that cannot be undone any more. */
test.describe.configure({ mode: 'serial' });

interface Row {
  id: string;
  personnelNumber: string;
  name: string;
  email: string;
  department: string;
  site: string;
  job: string | null;
  managerEmail: string | null;
  joinedOn: string | null;
  leftOn: string | null;
}
let page: Page;
let before: Row[] = [];
const roster = async (): Promise<Row[]> => (await (await page.request.get('/api/people/roster')).json()).people;
/** What an older program writes: semicolons, day first, Windows-1252, names of its own. */
const file = (rows: Row[], ...more: string[]) => ({
  name: 'crew-may.csv',
  mimeType: 'text/csv',
  buffer: Buffer.from(
    ['Nr;Crew member;Contact;Dept;Base;Function;Reports to;Began', ...rows.map((p) => [p.personnelNumber, p.name, p.email, p.department, p.site, p.job ?? '', p.managerEmail ?? '', p.joinedOn?.split('-').reverse().join('.') ?? ''].join(';')), ...more, ''].join('\r\n'),
    'latin1',
  ),
}); // prettier-ignore
const counts = () => page.getByTestId('counts');
const shown = async (): Promise<string[]> =>
  (await counts().getByRole('row').allInnerTexts()).map((text) => text.split(/\s+/).slice(0, 2).join(' '));

test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  await signInAs(page, 'Sigrid Aune');
});
test.afterAll(() => page.close());

test('somebody is entered as having left by hand, and it is on the time line', async () => {
  await page.goto('/people?department=Yard');
  await page.getByRole('row', { name: /Welder/ }).first().click(); // prettier-ignore
  await page.getByRole('button', { name: 'Edit' }).click();
  await page.getByRole('textbox', { name: 'Left on, first day away' }).fill('2026-05-01');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByRole('button', { name: 'Time line' }).click();
  await expect(page.getByTestId('timeline')).toContainText('Left: date of leaving from none to 1 May 2026');
  await expect(page.getByTestId('timeline')).toContainText('Sigrid Aune');
  before = await roster();
});

test('columns are matched by name and by what stands in them, and corrected by hand', async () => {
  await page.getByRole('link', { name: 'Import a file' }).click();
  await chooseFile(page, file(before.slice(0, 40)));
  await expect(page.getByTestId('read-as')).toHaveText('crew-may.csv read as CSV in UTF-8, separated by semicolons, 40 rows.');
  await expect(counts()).toBeVisible();
  await page.getByRole('button', { name: 'Look at the 8' }).click();
  await expect(page.getByRole('row', { name: /Contact.*by what stands in it/ })).toBeVisible();
  await expect(list(page, 'Column Crew member')).toHaveText('name');
  await choose(list(page, 'Column Function'), 'job');
  await expect(page.getByRole('row', { name: /Function.*as you say/ })).toBeVisible();
  await expect.poll(shown).toContain('40 unchanged');
});

test('every kind of row is told apart, and nothing is stored by looking', async () => {
  await page.getByRole('button', { name: 'Another file' }).click();
  const left = before.find(({ leftOn }) => leftOn)!;
  const here = before.filter(({ leftOn }) => !leftOn);
  const missing = here.find(({ job }) => job === 'Fitter')!;
  const changed = here
    .filter((p) => p !== missing)
    .map((p) => (p.name === 'Runa Aske' ? { ...p, job: 'Boatswain', site: 'Orla Quay' } : p));
  await chooseFile(page, file([...changed, left], ';Bj\xf8rn \xc5s;bjorn.as@orlasund.example;Deck;Vessel pool;Deckhand;OF-1002;11.05.2026', ';Wrong Row;wrong;Deck;Vessel pool;;;', ';Odd Base;odd.base@orlasund.example;Deck;Tarn Nes;;;31.02.2026')); // prettier-ignore
  await expect(page.getByTestId('read-as')).toContainText('CSV in WINDOWS-1252');
  // what was corrected in the last file is not remembered before something is taken
  await page.getByRole('button', { name: 'Look at the 8' }).click();
  await choose(list(page, 'Column Function'), 'job');
  await page.getByLabel('This file lists everyone').check();
  await expect.poll(shown).toEqual(['1 added', '1 changed', '1 returned', '1 left', `${changed.length - 1} unchanged`, '3 problems']);
  await expect(page.getByRole('row', { name: /Runa Aske site Vessel pool Orla Quay/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /job Deckhand Boatswain/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /not in the file/ })).toContainText(missing.name);
  await expect(
    page.getByRole('row', { name: /summer intake Muster and Abandon Ship 1 Bjørn Ås Mon 11 May 08:00 Invitation to Bjørn Ås/ }),
  ).toBeVisible();
  await expect(page.getByRole('row', { name: /site There is no site "Tarn Nes"/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /joined on "31.02.2026" is not a date; expected one like 11.05.2026/ })).toBeVisible();
  expect(await roster()).toEqual(before);
});

test('every problem can be handed to whoever keeps the file', async () => {
  const waiting = page.waitForEvent('download');
  await page.getByRole('button', { name: 'All of them as CSV' }).click();
  const download = await waiting;
  expect(download.suggestedFilename()).toBe('crew-may problems.csv');
  const text = await readFile((await download.path())!, 'utf8');
  expect(text).toMatch(/^\ufeffrow,column,reason,Nr,Crew member,Contact/);
  const lines = text.trim().split('\r\n').slice(1);
  expect(lines).toHaveLength(3);
  expect(lines.find((line) => line.includes('Odd Base'))).toContain('odd.base@orlasund.example');
});

test('a group is left out and taken in; all is taken in one, listed with its file, and undone', async () => {
  await counts().getByLabel('returned').uncheck();
  await expect(page.getByRole('button', { name: 'Take 3 changes' })).toBeEnabled();
  await counts().getByLabel('returned').check();
  await page.getByRole('button', { name: 'Take 4 changes' }).click();
  await expect(page.getByText('Taken from crew-may.csv: 1 added, 1 changed, 1 returned, 1 left, 3 problems left out.')).toBeVisible();
  await page.getByRole('link', { name: 'All imports' }).click();
  const row = page.getByRole('row', { name: /crew-may.csv Sigrid Aune 1 1 1 1 3/ });
  await expect(row).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), row.getByRole('link').click()]);
  expect(download.suggestedFilename()).toBe('crew-may.csv');
  expect((await roster()).some(({ name }) => name === 'Bjørn Ås')).toBe(true);

  await row.getByRole('button', { name: 'Undo crew-may.csv' }).click();
  await row.getByRole('button', { name: 'Yes, set the roster back' }).click();
  await expect(page.getByText('Undone: crew-may.csv. The roster is as it was before.')).toBeVisible();
  await expect(row).toContainText('by Sigrid Aune');
  expect(await roster()).toEqual(before);
});

test('the corrected column is matched so the next time; many leavers ask a second time', async () => {
  await area(page, 'People');
  await page.getByRole('link', { name: 'Import a file' }).click();
  await chooseFile(page, file(before.filter(({ leftOn }) => !leftOn).slice(0, 200)));
  await expect(counts()).toBeVisible();
  await page.getByRole('button', { name: 'Look at the 8' }).click();
  await expect(page.getByRole('row', { name: /Function.*as the last time/ })).toBeVisible();
  await page.getByLabel('This file lists everyone').check();
  await expect(page.getByText('45 of 245 people would have left, which is more than 5 %.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Take 45 changes' })).toBeDisabled();
  await page.getByLabel('Yes, 45 people have left').check();
  await expect(page.getByRole('button', { name: 'Take 45 changes' })).toBeEnabled();
  await page.getByRole('button', { name: 'Another file' }).click();
  await expect(page.getByText('Drop a CSV or XLSX file here')).toBeVisible();
});

test('an import that something depends on says what, and stays', async () => {
  const late = { name: 'late-joiner.csv', mimeType: 'text/csv', buffer: Buffer.from('name,email,department,site\nSunniva Myhre,sunniva.myhre@orlasund.example,Terminal,Tarn Ness\n') }; // prettier-ignore
  await chooseFile(page, late);
  await page.getByRole('button', { name: 'Take 1 change', exact: true }).click();
  await expect(page.getByText('Taken from late-joiner.csv: 1 added')).toBeVisible();
  await page.getByRole('link', { name: 'Assign a course' }).click();
  await page.getByRole('button', { name: 'paste a list' }).click();
  await page.getByLabel('Pasted list of people').fill('sunniva.myhre@orlasund.example\nghost@orlasund.example');
  await page.getByRole('button', { name: 'Find these people' }).click();
  await expect(page.getByText('ghost@orlasund.example (nobody on the roster)')).toBeVisible();
  await choose(list(page, 'Course'), 'Cash and Ticket Data');
  await page.getByRole('button', { name: 'Assign to 1' }).click();
  await expect(page.getByText('Assigned to 1 person')).toBeVisible();
  await page.goto('/people/imports');
  await page.getByRole('button', { name: 'Undo late-joiner.csv' }).click();
  await page.getByRole('button', { name: 'Yes, set the roster back' }).click();
  await expect(page.getByRole('alert')).toContainText('Sunniva Myhre was assigned Cash and Ticket Data by hand');
  expect((await roster()).some(({ name }) => name === 'Sunniva Myhre')).toBe(true);
});

test('what is not a roster is refused by what it is, and an XLSX workbook is read', async () => {
  await page.goto('/people/import');
  await chooseFile(page, {
    name: 'crew.xls',
    mimeType: 'application/vnd.ms-excel',
    buffer: Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 0, 0, 0, 0]),
  });
  await expect(page.getByRole('alert')).toContainText('crew.xls: this is an Office document of the old kind (.xls)');
  const report = await page.request.get('/api/reports/file?kind=xlsx&report=course&course=1');
  await chooseFile(page, { name: 'crew.xlsx', mimeType: 'application/octet-stream', buffer: await report.body() });
  await expect(page.getByTestId('read-as')).toContainText('crew.xlsx read as XLSX, first sheet');
});
