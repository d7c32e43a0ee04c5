import { beforeEach, expect, test } from 'vitest';
import type { CoverageView, FinishedView, NotifiedView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { FinishedPage } from './finished.page.ts';
import { NotifiedPage } from './notified.page.ts';

const COURSE = { id: '7', title: 'Fire Teams Aboard' };
const FACETS = { departments: [{ name: 'Deck', people: 2 }], sites: [], groups: [] };
const row = (id: string, name: string) => ({ assignmentId: id, person: { id, name }, department: 'Deck', site: 'Orla Quay', assignedAt: '2027-02-01T08:00:00Z' }); // prettier-ignore
const COVERAGE: CoverageView = {
  people: { required: 3, told: 1, untold: [{ told: 'held', because: 'unreachable', count: 1 }, { told: 'none', because: 'waived', count: 1 }] },
  steps: [
    { id: 'invitation', name: 'Invitation', required: 3, told: 1, untold: [{ told: 'held', because: 'unreachable', count: 1 }, { told: 'none', because: 'waived', count: 1 }], departments: [{ name: 'Deck', required: 2, told: 1 }, { name: 'Engine', required: 1, told: 0 }] },
  ],
}; // prettier-ignore
const NOTIFIED: NotifiedView = {
  course: COURSE,
  asOf: null,
  rows: [
    { ...row('1', 'Kari Lund'), told: 'told', notices: [{ id: '31', step: 'Invitation', at: '2027-02-01T08:10:00Z', where: 'kari@orlasund.example', outcome: 'delivered' }], sent: 1, why: null },
    { ...row('2', 'Odd Lund'), told: 'held', notices: [], sent: 0, why: { notice: '32', words: 'Held: mail to odd@orlasund.example came back, until that is mended.' } },
    { ...row('3', 'Per Lund'), told: 'none', notices: [], sent: 0, why: { notice: null, words: 'Waived before anything fell due.' } },
  ],
  total: 3,
}; // prettier-ignore
const FINISHED: FinishedView = {
  course: COURSE,
  asOf: null,
  counts: { required: 3, finished: 1, finishedLate: 1, late: 1, open: 0, closed: 1 },
  rows: [
    { ...row('1', 'Kari Lund'), round: 2, dueAt: '2027-02-10T16:00:00Z', state: 'finished late', finishedAt: '2027-02-12T09:00:00Z', finishedOn: null, how: 'signed off by Tora Hauge', lateDays: 2, certificate: 'AB12-CD34-E' },
    { ...row('2', 'Odd Lund'), round: 1, dueAt: '2027-02-10T16:00:00Z', state: 'overdue', finishedAt: null, finishedOn: null, how: 'late, not begun', lateDays: 19, certificate: null },
  ],
  total: 2,
}; // prettier-ignore

const RULES = [{ id: '3', name: 'Fire teams for deck', course: COURSE }, { id: '4', name: 'Lines', course: { id: '8', title: 'Lines' } }]; // prettier-ignore

const plain = (element: Element): string => (element.textContent ?? '').replace(/\s+/g, ' ').trim();
const tally = (root: HTMLElement): string[] => [...root.querySelectorAll('.tally button')].map(plain);
const cells = (root: HTMLElement, name: string): string[] => [...[...root.querySelectorAll('tbody tr')].find((tr) => plain(tr).startsWith(name))!.children].map(plain); // prettier-ignore

beforeEach(() => localStorage.clear());
const paged = (path: string, more: Record<string, string> = {}): string => `/api/reports/courses/7/${path}?${new URLSearchParams({ ...more, page: '0', size: '50' })}`; // prettier-ignore

async function notified(inputs: Record<string, string> = {}, view = NOTIFIED) {
  const page = await openPage(NotifiedPage, { inputs: { course: '7', ...inputs }, role: 'auditor' });
  await page.answer('/api/people/facets', FACETS);
  await page.answer('/api/requirements', RULES);
  await page.answer(paged('notified', inputs), view);
  const { step: _, ...rest } = inputs;
  const narrowed = new URLSearchParams(rest).toString();
  await page.answer(`/api/reports/courses/7/coverage${narrowed ? `?${narrowed}` : ''}`, COVERAGE);
  return page;
}

test('who was notified: what went where, and why nothing did; told and explained stand beside who was asked', async () => {
  const page = await notified();
  const text = page.text();
  expect(tally(page.root)).toEqual(['3 asked', '1 told', '1 waits: mail comes back', '1 waived before anything fell due']);
  expect(cells(page.root, 'Invitation')).toEqual([
    'Invitation',
    '1',
    '1 of 2',
    '0 of 1',
    '1 waits: mail comes back, 1 waived before anything fell due',
  ]);
  expect(text).toContain('kari@orlasund.example: delivered');
  expect(text).toContain('Held: mail to odd@orlasund.example came back');
  expect(page.getByRole('link', { name: 'why' }).getAttribute('href')).toBe('/ledger/32');
  await page.click(page.getByRole('button', { name: '1 waits: mail comes back' }));
  expect(page.router.url).toContain('who=held:unreachable');
  await page.click(page.getByRole('button', { name: 'Invitation' }));
  expect(page.router.url).toContain('step=invitation');
});

test('is narrowed down to whom one requirement of the course asked; the other lists too', async () => {
  const page = await notified({ requirement: '3' });
  const lead = page.getByRole('link', { name: 'Who finished' }).getAttribute('href');
  expect(lead).toBe('/matrix/7/finished?requirement=3');
  const choice = page.getByRole('combobox', { name: 'Asked by' });
  expect(plain(choice)).toBe('Fire teams for deck');
  await page.choose(choice, 'anything');
  expect(page.router.url).not.toContain('requirement');
  await page.choose(choice, 'Fire teams for deck');
  expect(page.router.url).toContain('requirement=3');
});

test('of one step says which, and leads to why it made nothing; nobody fits says so', async () => {
  const page = await notified({ step: 'invitation' });
  expect(page.getByRole('button', { name: 'Invitation' }).getAttribute('aria-pressed')).toBe('true');
  expect(page.getByRole('heading', { level: 2 }).textContent).toContain('“Invitation”');
  expect(page.getAllByRole('link', { name: 'why' }).map((link) => link.getAttribute('href'))).toEqual([
    '/ledger/32',
    '/ledger/why/3/invitation',
  ]);
  const none = await notified({ find: 'x' }, { ...NOTIFIED, rows: [], total: 0 });
  expect(none.text()).toContain('Nobody fits.');
});

test('is made as a file by the filters of the page', async () => {
  const page = await notified({ department: 'Deck' });
  await page.click(page.getByRole('button', { name: 'PDF' }));
  const asked = await page.answer('/api/reports/file', { href: '/api/reports/file?kind=pdf' }, 'POST');
  expect(asked.body).toEqual({ kind: 'pdf', of: { report: 'notified', course: '7', department: 'Deck' } });
  await page.click(page.getByRole('button', { name: 'CSV' }));
  await page.refuse('/api/reports/file', { code: 'wrong-input', message: 'This has 30,000 rows.' }, 400);
  expect(page.getByRole('alert').textContent).toContain('This has 30,000 rows.');
});

test('who finished is narrowed down to what a number led to, says so, and is everybody again on wish', async () => {
  const narrow = { who: 'late', days: '8-30' };
  const page = await openPage(FinishedPage, { inputs: { course: '7', ...narrow }, role: 'auditor' });
  await page.answer('/api/people/facets', FACETS);
  await page.answer(paged('finished', narrow), { ...FINISHED, total: 1, rows: FINISHED.rows.slice(1) });
  expect(page.text()).toContain('Only those late by 8 to 30 days: 1.');
  await page.click(page.getByRole('button', { name: 'PDF' }));
  const asked = await page.answer('/api/reports/file', { href: '/api/reports/file?kind=pdf' }, 'POST');
  expect(asked.body).toEqual({ kind: 'pdf', of: { report: 'finished', course: '7', ...narrow } });
  await page.set({ who: 'finished', days: undefined, since: '2027-02-01' });
  await page.answer(paged('finished', { who: 'finished', since: '2027-02-01' }), FINISHED);
  expect(page.text()).toContain('Only those finished since 1 Feb 2027: ');
  await page.click(page.getByRole('button', { name: 'Show all of them' }));
  expect(page.router.url).not.toMatch(/days|since/);
});

test('who finished: when, how and how late; the counts add up and lead to their people', async () => {
  const page = await openPage(FinishedPage, { inputs: { course: '7' }, role: 'auditor' });
  await page.answer('/api/people/facets', FACETS);
  await page.answer(paged('finished'), FINISHED);
  expect(tally(page.root)).toEqual(['3 asked', '1 finished, 1 of them late', '1 late', '0 open, not late', '1 waived or withdrawn']);
  expect(cells(page.root, 'Kari Lund').slice(6)).toEqual(['signed off by Tora Hauge', '2 days', 'AB12-CD34-E']);
  expect(cells(page.root, 'Odd Lund').slice(6)).toEqual(['late, not begun', '19 days', '']);
  expect(page.text()).toContain('Kari Lund round 2');
  await page.click(page.getByRole('button', { name: '1 late' }));
  expect(page.router.url).toContain('who=late');
  expect(page.getByRole('link', { name: 'Who finished' }).getAttribute('aria-current')).toBe('page');
});
