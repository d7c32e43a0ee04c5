import { beforeEach, expect, test } from 'vitest';
import type { MatrixView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { MatrixPage } from './matrix.page.ts';

const sums = { current: 1, asked: 2, open: 1, late: 1 };
const COURSES = Array.from({ length: 40 }, (_, i) => ({ id: String(i + 1), title: `Course ${i + 1}`, isRetired: false, sums }));
const person = (n: number) => ({ id: String(n), name: `Person ${n}`, where: 'Deck, Orla Quay', people: null, sums: [], cells: n === 0 ? [{ course: '1', state: 'late' as const, on: '2027-02-01', open: '70' }, { course: '2', state: 'held' as const, on: null, open: null }] : [] }); // prettier-ignore
const VIEW: MatrixView = {
  by: 'person',
  from: 0,
  courses: COURSES,
  rows: Array.from({ length: 200 }, (_, n) => person(n)),
  total: 20_000,
  people: 20_000,
  asOf: null,
};
const FACETS = { departments: [{ name: 'Deck', people: 2 }], sites: [], groups: [] };

async function open(inputs: Record<string, string> = {}, view: MatrixView = VIEW) {
  const page = await openPage(MatrixPage, { inputs, role: 'administrator' });
  await page.answer('/api/people/facets', FACETS);
  const { by = 'person', ...rest } = inputs;
  await page.answer(`/api/matrix?${new URLSearchParams({ by, ...rest, from: '0', size: '200' })}`, view);
  return page;
}
beforeEach(() => localStorage.clear());
const press = (element: Element, key: string, rest: KeyboardEventInit = {}) => element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...rest })); // prettier-ignore

test('of twenty thousand people and forty courses what is in sight is drawn, and each cell is told in words', async () => {
  const page = await open();
  const grid = page.getByRole('grid');
  expect([grid.getAttribute('aria-rowcount'), grid.getAttribute('aria-colcount')]).toEqual(['20002', '42']);
  expect(grid.querySelectorAll('[role=row]').length).toBeLessThan(60);
  expect(grid.querySelector('#cell-0-0')!.getAttribute('aria-label')).toBe('late, was due 1 Feb 2027');
  expect(grid.querySelector('#cell-0-0')!.textContent).toBe('!');
  expect(grid.querySelector('#cell-1-0')!.getAttribute('aria-label')).toBe('not asked');
  expect(grid.querySelector('.sum')!.getAttribute('aria-label')).toBe('1 of 2 hold it, 1 open, 1 late');
});

test('is walked by keys; several are chosen, and what is open of them can be acted on, what is not be assigned', async () => {
  const page = await open();
  const grid = page.getByRole('grid');
  const at = (): string => grid.getAttribute('aria-activedescendant')!;
  for (const [key, rest, spot] of [
    ['ArrowRight', {}, '0-1'],
    ['j', {}, '1-1'],
    ['End', {}, '1-39'],
    ['Home', {}, '1-0'],
    ['ArrowLeft', {}, '1--1'],
    ['End', { ctrlKey: true }, '19999-39'],
    ['ArrowDown', {}, '19999-39'],
    ['Home', { ctrlKey: true }, '0-0'],
  ] as const) {
    press(grid, key, rest);
    await page.settle();
    expect(at()).toBe(`cell-${spot}`);
  }
  press(grid, 'ArrowDown', { shiftKey: true });
  await page.settle();
  expect(page.text()).toContain('2 cells chosen: 1 open, 1 never asked');
  expect(grid.querySelectorAll('[aria-selected=true]')).toHaveLength(2);
  expect(page.getByRole('link', { name: 'Assign it to Person 1' }).getAttribute('href')).toBe('/assign?course=1&people=1');
  press(grid, 'Escape');
  await page.settle();
  expect(page.text()).not.toContain('chosen:');
});

test('what is chosen is people and not places: where others come to stand there, nothing is chosen any more', async () => {
  const page = await open();
  press(page.getByRole('grid'), 'ArrowDown', { shiftKey: true });
  await page.settle();
  const again = async (rows: MatrixView['rows']): Promise<void> => {
    await page.announce('assignments');
    await page.answer('/api/matrix?by=person&from=0&size=200', { ...VIEW, rows });
  };
  // somebody else changed further down
  await again(VIEW.rows.map((row, i) => (i > 5 ? { ...row, id: `x${row.id}` } : row)));
  expect(page.text()).toContain('2 cells chosen');
  await again([VIEW.rows[1]!, VIEW.rows[0]!, ...VIEW.rows.slice(2)]);
  expect(page.text()).not.toContain('chosen:');
});

test('a cell is opened with Enter: what stands behind it, and that nobody asked', async () => {
  const page = await open();
  press(page.getByRole('grid'), 'Enter');
  await page.settle();
  await page.answer('/api/matrix/cells/0/1', { person: { id: '0', name: 'Person 0', where: 'Deck' }, course: { id: '1', title: 'Course 1' }, state: 'late', on: '2027-02-01', assignment: { assignmentId: '70', round: 2, assignedAt: '2027-01-01T08:00:00Z', dueAt: '2027-02-01T16:00:00Z', state: 'overdue', unitsDone: 1, unitsRequired: 3, finishedAt: null, finishedOn: null, certificate: null, last: { id: '5', what: 'Late', at: '2027-02-02T08:00:00Z', outcome: 'delivered' }, next: null } }); // prettier-ignore
  expect(page.text()).toContain('Course 1: late, was due 1 Feb 2027');
  expect(page.text()).toContain('overdue, 1 of 3 units');
  expect(page.text()).toContain('none is planned');
});

test('groups tell how many hold it of whom was asked; filters that nobody fits say so', async () => {
  const groups = await open({ by: 'site' }, { ...VIEW, by: 'site', total: 1, rows: [{ id: '9', name: 'Orla Quay', where: null, people: 4, cells: [], sums: [{ course: '1', ...sums }] }] }); // prettier-ignore
  expect(groups.getByRole('grid').querySelector('#cell-0-0')!.textContent).toBe('1/2');
  expect(groups.text()).toContain('4 people');
});

test('filters that nobody fits say so', async () => {
  const page = await open({ find: 'zzz' }, { ...VIEW, rows: [], total: 0, people: 0 });
  expect(page.text()).toContain('Nobody fits these filters.');
});

const DIFFERS = { on: '2027-01-31', known: 'then' as const, differs: { count: 1, first: [{ person: { id: '0', name: 'Person 0' }, course: { id: '1', title: 'Course 1' }, then: 'late', now: 'holds it' }] } }; // prettier-ignore

test('as of a day that has passed: says which, by what is known when, and what went on the record later; nothing is done from there', async () => {
  const page = await open({ on: '2027-01-31' }, { ...VIEW, asOf: DIFFERS });
  expect(page.text()).toContain('At the end of Sun 31 Jan 2027');
  expect(page.text()).toContain('1 entry went on the record later, and changes what is told: who');
  expect(page.text()).toContain('Person 0 Course 1 late holds it');
  press(page.getByRole('grid'), 'ArrowDown', { shiftKey: true });
  await page.settle();
  expect(page.text()).toContain('2 cells chosen');
  expect(page.queryByRole('link', { name: /^Assign it/ })).toBeNull();
  await page.choose(page.getByRole('combobox', { name: 'By what is known when' }), 'as is known now');
  expect(page.router.url).toContain('known=now');
  await page.click(page.getByRole('button', { name: 'Back to now' }));
  expect(page.router.url).not.toContain('on=');
});

test('a day that has not come is refused in the words of the server, with a way back', async () => {
  const page = await openPage(MatrixPage, { inputs: { on: '2027-12-31' }, role: 'auditor' });
  await page.answer('/api/people/facets', FACETS);
  const sentence = '31 Dec 2027 has not come yet; expected a day that has passed, or none for what is now.';
  await page.refuse('/api/matrix?by=person&on=2027-12-31&from=0&size=200', { code: 'wrong-input', message: sentence }, 400);
  expect(page.getByRole('alert').textContent).toContain(sentence);
  expect(page.getByRole('button', { name: 'Back to now' })).toBeTruthy();
});

test('each course of a day that has passed has its figures of that day', async () => {
  const page = await openPage(MatrixPage, { inputs: { by: 'course', on: '2027-01-31' }, role: 'auditor' });
  await page.answer('/api/people/facets', FACETS);
  await page.answer('/api/matrix?on=2027-01-31&size=1', { ...VIEW, courses: COURSES.slice(0, 2), asOf: { ...DIFFERS, differs: { count: 0, first: [] } } }); // prettier-ignore
  expect(page.text()).toContain('Nothing went on the record later that would change it');
  expect(page.text()).toContain('Course 2 1 2 1 1');
  await page.click(page.getByText('Course 2'));
  expect(page.router.url).toBe('/matrix/2?on=2027-01-31');
});
