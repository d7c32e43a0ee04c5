import { beforeEach, expect, test, vi } from 'vitest';
import type { FigureView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { FigureChart } from './figure-chart.ts';
import { FiguresPage } from './figures.page.ts';

const empty = (name: FigureView['name']): FigureView => ({ name, from: '2026-09-01', to: '2027-03-01', rowsAre: 'Course', columns: [], rows: [], chart: null }); // prettier-ignore
const AFTER: FigureView = {
  ...empty('after'),
  rowsAre: 'Last notice before finishing',
  columns: [{ head: 'went', unit: 'notices' }, { head: 'finished within 7 days', unit: 'assignments' }, { head: 'of those that went', unit: 'percent' }],
  rows: [
    { label: 'Invitation', link: { path: ['/matrix', '7', 'notified'], query: { step: 'invitation', who: 'told' } }, cells: [{ value: 40, link: null }, { value: 10, link: { path: ['/matrix', '7', 'finished'], query: { who: 'finished' } } }, { value: 25, link: null }] },
    { label: 'no notice in the 7 days before', link: null, cells: [{ value: null, link: null }, { value: 3, link: null }, { value: null, link: null }] },
  ],
}; // prettier-ignore

beforeEach(() => localStorage.clear());
async function open(inputs: Record<string, string> = {}) {
  const page = await openPage(FiguresPage, { inputs, role: 'auditor' });
  await page.answer('/api/courses', [{ id: '7', title: 'Fire Teams Aboard', state: 'live' }, { id: '8', title: 'Unfinished', state: 'draft' }]); // prettier-ignore
  await page.answer('/api/people/facets', { departments: [{ name: 'Deck', people: 2 }], sites: [], groups: [] });
  return page;
}
const paramsOf = (inputs: Record<string, string>): string => (Object.keys(inputs).length > 0 ? `?${new URLSearchParams(inputs)}` : '');

test('each figure has its numbers, its units, how it is counted, and leads to whom it counts', async () => {
  const inputs = { course: '7' };
  const page = await open(inputs);
  await page.answer(`/api/figures/after${paramsOf(inputs)}`, AFTER);
  const figure = page.getByRole('region', { name: 'What people do after a notice' });
  expect(figure.textContent).toContain('1 Sep 2026 to 1 Mar 2027');
  expect(figure.textContent).toContain('25 %');
  expect(figure.textContent).toContain('does not say that they did because of it');
  const links = [...figure.querySelectorAll('a')].map((link) => [link.textContent, link.getAttribute('href')]);
  expect(links).toEqual([
    ['Invitation', '/matrix/7/notified?step=invitation&who=told'],
    ['10', '/matrix/7/finished?who=finished'],
  ]);
  // those that wait, fail or have nothing say so
  await page.answer(`/api/figures/ageing${paramsOf(inputs)}`, empty('ageing'));
  expect(page.getByRole('region', { name: 'How long people are late' }).textContent).toContain('Nothing of this in these days.');
  await page.refuse(`/api/figures/mail${paramsOf(inputs)}`, { code: 'broken', message: 'Something went wrong on our side.' }, 500);
  expect(page.getByRole('region', { name: 'What comes back' }).textContent).toContain('Something went wrong');
  expect(page.getByRole('region', { name: 'Week by week' }).textContent).toContain('Counting …');
});

test('is narrowed down, and kept as a file by what it is narrowed down to', async () => {
  const page = await open({ department: 'Deck' });
  expect(page.text()).toContain('counted of all departments and sites');
  await page.answer('/api/figures/after?department=Deck', AFTER);
  await page.click(page.getByRole('button', { name: 'XLSX' }));
  const asked = await page.answer('/api/reports/file', { href: '/x' }, 'POST');
  expect(asked.body).toEqual({ kind: 'xlsx', of: { report: 'figure', name: 'after', department: 'Deck' } });
  await page.choose(page.getByRole('combobox', { name: 'Course' }), 'Fire Teams Aboard');
  expect(page.router.url).toContain('course=7');
  expect(page.queryByText('Unfinished')).toBeNull();
});

test('a chart stands as a picture with a name', async () => {
  const drawn = { ...AFTER, chart: { kind: 'bars' as const, columns: [2] } };
  HTMLCanvasElement.prototype.getContext = vi.fn(() => null) as never;
  const page = await openPage(FigureChart, { inputs: { figure: drawn, label: 'After a notice' } });
  expect(page.getByRole('img', { name: 'After a notice' }).tagName).toBe('CANVAS');
});
