import type { SignOffList, SignOffPerson, SignOffView } from '@nudrik/contract';
import { afterEach, describe, expect, it } from 'vitest';
import { TestBed } from '@angular/core/testing';
import { CourseStore } from '../courses/course.store.ts';
import { openPage } from '../../testing/page.ts';
import { SignOffPage } from './sign-off.page.ts';
import { SignOffsTab } from './sign-offs.tab.ts';

const person = (assignmentId: string, name: string): SignOffPerson => ({ assignmentId, person: { id: assignmentId, name }, department: 'Deck', site: 'Orla Quay', because: 'their manager', last: null }); // prettier-ignore
const VIEW: SignOffView = {
  course: { id: '7', title: 'Line Handling' },
  unit: { id: '9', title: 'Making fast' },
  guide: 'Show it.',
  criteria: [{ id: 'a', words: 'Throws the line', isNeeded: true }, { id: 'b', words: 'Coils it', isNeeded: false }],
  asksPlace: true,
  session: null,
  signer: 'Ivar Moen',
  today: '2027-03-01',
  until: null,
  more: 0,
  people: [person('1', 'Runa Aske'), person('2', 'Per Aske')],
}; // prettier-ignore
const BASE = '/api/sign-off/abc';

const openList = async (view: SignOffView = VIEW) => {
  const page = await openPage(SignOffPage, { inputs: { link: 'abc' } });
  await page.answer(BASE, view);
  return page;
};
type Page = Awaited<ReturnType<typeof openList>>;
const press = (page: Page, name: string, outcome: string): Promise<void> =>
  page.click([...page.getByRole('group', { name: `How it came out for ${name}` }).querySelectorAll('button')].find((one) => one.textContent!.trim() === outcome)!); // prettier-ignore

describe('the list of a supervisor', () => {
  afterEach(() => localStorage.clear());

  it('says what goes to whom before it is recorded, and is empty afterwards', async () => {
    const page = await openList();
    await press(page, 'Runa Aske', 'met');
    await press(page, 'Per Aske', 'absent');
    await page.click(page.getByRole('button', { name: 'See what goes to whom (2)' }));
    const asked = await page.answer(`${BASE}/preview`, [
      { assignmentId: '1', name: 'Runa Aske', outcome: 'met', finishes: true, messages: [{ step: 'Well done', to: 'Runa Aske', words: 'Mon 1 Mar 10:30', goes: true }] },
      { assignmentId: '2', name: 'Per Aske', outcome: 'absent', finishes: false, messages: [] },
    ]); // prettier-ignore
    expect(asked.body).toEqual({
      session: null,
      entries: [
        { assignmentId: '1', attended: true, met: ['a', 'b'], remarks: null, place: null, on: '2027-03-01' },
        { assignmentId: '2', attended: false, met: [], remarks: null, place: null, on: '2027-03-01' },
      ],
    });
    const told = page.getByRole('region', { name: 'What goes to whom' }).textContent!.replace(/\s+/g, ' ');
    expect(told).toMatch(/Runa Aske: met, and finishes the course ?“Well done” to Runa Aske, Mon 1 Mar 10:30/);
    expect(told).toMatch(/Per Aske: absent ?No message goes because of it\./);
    await page.click(page.getByRole('button', { name: 'Record 2 entries' }));
    await page.answer(BASE, { recorded: 2, finished: ['Runa Aske'] });
    await page.answer(BASE, VIEW);
    expect(page.getByRole('status').textContent).toContain('2 entries recorded. Runa Aske finished the course by it.');
    expect(localStorage.length).toBe(0);
  });

  it('is kept until it has gone through, and comes again under the same key', async () => {
    const page = await openList();
    await press(page, 'Runa Aske', 'not met');
    await page.click(page.getByRole('button', { name: 'See what goes to whom (1)' }));
    await page.answer(`${BASE}/preview`, []);
    await page.click(page.getByRole('button', { name: 'Record 1 entry' }));
    const lost = await page.refuse(BASE, null, 503);
    expect(page.getByRole('alert').textContent!.length).toBeGreaterThan(10);
    expect(page.root.textContent).toContain('kept on this device');
    const again = await openList();
    expect(again.getByRole('group', { name: 'How it came out for Runa Aske' }).querySelector('[aria-pressed=true]')!.textContent).toBe(
      'not met',
    );
    await again.click(again.getByRole('button', { name: 'See what goes to whom (1)' }));
    await again.answer(`${BASE}/preview`, []);
    await again.click(again.getByRole('button', { name: 'Record 1 entry' }));
    const sent = await again.answer(BASE, { recorded: 1, finished: [] });
    expect((sent.body as { key: string }).key).toBe((lost.body as { key: string }).key);
  });

  it('is met by all that is needed: what is taken off is said at once', async () => {
    const page = await openList();
    await press(page, 'Runa Aske', 'met');
    await page.click(page.getByRole('button', { name: 'Criteria and remarks of Runa Aske' }));
    const pressed = (): string =>
      page.getByRole('group', { name: 'How it came out for Runa Aske' }).querySelector('[aria-pressed=true]')!.textContent!;
    await page.click(page.getByLabelText(/Coils it/));
    expect(pressed()).toBe('met');
    await page.click(page.getByLabelText(/Throws the line/));
    expect(pressed()).toBe('not met');
  });
});

it('what was recorded shows what came of its messages, and is corrected with a reason', async () => {
  const row: SignOffList['rows'][number] = { id: '5', outcome: 'met', attended: true, met: ['a'], remarks: null, place: null, on: '2027-03-01', at: '2027-03-01T09:00:00Z', byWhom: 'Ivar Moen', because: 'their manager', corrected: null, assignmentId: '1', person: { id: '1', name: 'Runa Aske' }, messages: [{ noticeId: '77', step: 'Well done', to: 'Runa Aske', state: 'delivered', at: '2027-03-01T09:30:00Z' }] }; // prettier-ignore
  const list: SignOffList = {
    course: VIEW.course,
    unit: VIEW.unit,
    criteria: VIEW.criteria,
    hasSessions: false,
    rows: [row],
    waiting: [],
    links: [],
  };
  const page = await openPage(SignOffsTab, { inputs: { unit: '9' }, role: 'administrator', providers: [CourseStore] });
  TestBed.inject(CourseStore).id.set('7');
  await page.settle();
  await page.answer('/api/courses/7/sign-offs/9', list);
  expect(page.getByRole('link', { name: '“Well done” to Runa Aske' }).getAttribute('href')).toBe('/ledger/77');
  await page.click(page.getByRole('button', { name: 'Correct the entry of Runa Aske' }));
  expect(page.getByRole('button', { name: 'Correct it' }).hasAttribute('disabled')).toBe(true);
});
