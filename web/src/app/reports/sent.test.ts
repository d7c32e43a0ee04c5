import { expect, test } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { KeptViews } from './kept-views.ts';
import { SentPage } from './sent.page.ts';

const READERS = [
  { id: '1', name: 'Sigrid Aune', role: 'administrator' },
  { id: '2', name: 'Ivar Moen', role: 'manager' },
];
const LAST = { id: '9', report: 'Late on deck', at: '2026-05-04T06:00:00.000Z', to: 'Ivar Moen', address: 'ivar@orlasund.example', what: 'Matrix', state: 'failed', words: '550 gone', file: 'Matrix.xlsx', href: null }; // prettier-ignore
const REPORT = { id: '3', name: 'Late on deck', of: { report: 'matrix', state: 'late', by: 'person', known: 'then', sort: 'name', order: 'asc', from: 0, size: 100 }, kind: 'xlsx', rhythm: { every: 'week', on: 1, at: '08:00' }, words: 'Matrix (late), each Monday at 08:00', to: [{ ...READERS[1], fault: 'Ivar Moen has no account any more.' }], isOn: true, nextAt: '2026-05-11T06:00:00.000Z', version: 4, madeBy: 'Sigrid Aune', changedBy: 'Sigrid Aune', changedAt: '2026-05-01T06:00:00.000Z', last: LAST }; // prettier-ignore

async function open(
  inputs: Record<string, string> = {},
  reports: object[] = [REPORT],
  role: 'administrator' | 'auditor' = 'administrator',
) {
  const page = await openPage(SentPage, { inputs, role });
  await page.answer('/api/reports/sent', { reports, readers: READERS });
  await page.answer('/api/reports/letters', { rows: [LAST], further: null });
  return page;
}

test('what is sent is seen with when it goes next, and what became of it the last time', async () => {
  const page = await open();
  for (const words of ['Matrix (late), each Monday at 08:00', 'Ivar Moen', 'did not arrive', '550 gone', 'ivar@orlasund.example'])
    expect(page.text()).toContain(words);
  await page.click(page.getByRole('switch', { name: 'Late on deck switched on' }));
  expect((await page.answer('/api/reports/sent/3', {})).body).toMatchObject({ isOn: false, version: 4, to: ['2'] });
  const auditor = await open({}, [REPORT], 'auditor');
  expect(auditor.queryByRole('switch')).toBeNull();
  expect(auditor.queryByRole('button', { name: /Change|Remove|A new one/ })).toBeNull();
});

test('begun where it was looked at, with its filters in words; whoever may not see it is not offered it', async () => {
  const of = JSON.stringify({ report: 'course', course: '7', state: 'late' });
  const page = await open({ of, title: 'Fire Teams Aboard' }, []);
  expect(page.text()).toContain('Fire Teams Aboard (late)');
  expect((page.getByRole('checkbox', { name: /Ivar Moen/ }) as HTMLInputElement).disabled).toBe(true);
  await page.click(page.getByRole('checkbox', { name: /Sigrid Aune/ }));
  // somebody has to get it
  await page.click(page.getByRole('button', { name: 'Send it from now on' }));
  expect(page.getByRole('alert').textContent).toContain('expected somebody who gets it');
  await page.click(page.getByRole('checkbox', { name: /Sigrid Aune/ }));
  await page.choose(page.getByRole('combobox', { name: 'How often' }), 'each month');
  await page.choose(page.getByRole('combobox', { name: 'On which day of the month' }), 'the last day');
  await page.click(page.getByRole('button', { name: 'Send it from now on' }));
  const { body } = await page.answer('/api/reports/sent', { id: '5' });
  expect(body).toMatchObject({ name: 'Fire Teams Aboard', of: { report: 'course', course: '7', state: 'late' }, kind: 'xlsx', rhythm: { every: 'month', on: 31, at: '08:00' }, to: ['1'], isOn: true }); // prettier-ignore
  expect(page.getByRole('status').textContent).toContain('is sent from now on');
});

test('what is no report in the address begins with the matrix; a refusal is told and nothing is lost', async () => {
  const page = await open({ of: '{"report":"nonsense"' }, []);
  expect(page.getByRole('alert').textContent).toContain('names no report');
  await page.type(page.getByLabelText('Name, as it stands in the subject'), 'Heads, daily');
  await page.choose(page.getByRole('combobox', { name: 'What' }), 'Heads of the seals');
  await page.choose(page.getByRole('combobox', { name: 'How often' }), 'each day');
  if (!(page.getByRole('checkbox', { name: /Sigrid Aune/ }) as HTMLInputElement).checked) await page.click(page.getByRole('checkbox', { name: /Sigrid Aune/ })); // prettier-ignore
  await page.click(page.getByRole('button', { name: 'Send it from now on' }));
  await page.refuse('/api/reports/sent', { code: 'conflict', message: 'Another report is called “Heads, daily” already.' }, 409);
  expect(page.getByRole('alert').textContent).toContain('Another report is called');
  expect((page.getByLabelText('Name, as it stands in the subject') as HTMLInputElement).value).toBe('Heads, daily');
});

const VIEW = { id: '1', name: 'Late on deck', params: { state: 'late', course: '7' }, madeBy: 'Tora Hauge', roles: ['administrator', 'trainer'], isMine: false }; // prettier-ignore
test('a view with a name is of its page and course; whoever did not make it does not take it away', async () => {
  const page = await openPage(KeptViews, { inputs: { page: 'report', course: '7', params: { state: 'late' } }, role: 'trainer' });
  await page.answer('/api/views/report', [VIEW, { ...VIEW, id: '2', name: 'Of another', params: { course: '8' } }, { ...VIEW, id: '3', name: 'Mine', params: { site: 'Orla Quay', course: '7' }, isMine: true }]); // prettier-ignore
  expect(page.getByRole('button', { name: 'Late on deck' }).getAttribute('aria-pressed')).toBe('true');
  expect(page.queryByRole('button', { name: 'Of another' })).toBeNull();
  expect(page.queryByRole('button', { name: /Forget/ })).toBeNull();
  expect(page.queryByRole('button', { name: /Keep this view/ })).toBeNull();
});

test('it is kept for those of a role; an auditor keeps one for themself', async () => {
  const page = await openPage(KeptViews, { inputs: { page: 'matrix', params: { state: 'late' } } });
  await page.answer('/api/views/matrix', []);
  await page.click(page.getByRole('button', { name: /Keep this view/ }));
  await page.type(page.getByRole('textbox', { name: 'Name of the view' }), 'Late ones');
  await page.choose(page.getByRole('combobox', { name: 'For whom' }), 'administrators');
  await page.click(page.getByRole('button', { name: 'Keep it' }));
  expect((await page.answer('/api/views', { id: '4' })).body).toEqual({ page: 'matrix', name: 'Late ones', params: { state: 'late' }, roles: ['administrator'] }); // prettier-ignore
  const auditor = await openPage(KeptViews, { inputs: { page: 'matrix', params: { state: 'late' } }, role: 'auditor' });
  await auditor.answer('/api/views/matrix', []);
  await auditor.click(auditor.getByRole('button', { name: /Keep this view/ }));
  await auditor.type(auditor.getByRole('textbox', { name: 'Name of the view' }), 'Mine');
  await auditor.click(auditor.getByRole('button', { name: 'Keep it' }));
  expect((await auditor.answer('/api/views', { id: '5' })).body).toMatchObject({ roles: [] });
});
