import { describe, expect, it } from 'vitest';
import type { NoticeRow, NoticesPage } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { LedgerPage } from './ledger.page.ts';
import { TestLettersPage } from './test-letters.page.ts';

const row: NoticeRow = {
  id: '41', kind: 'late', stepName: 'Late', occurrence: 1, course: { id: '2', title: 'Fire Teams Aboard' }, person: { id: '4', name: 'Runa Aske' }, addressee: null, state: 'delivered',
  because: null, sentence: null, at: '2027-03-25T08:00:00Z', local: 'Thu 25 Mar 09:00', zone: 'Europe/Oslo', gathered: 0,
}; // prettier-ignore
const found = (rows: NoticeRow[]): NoticesPage => ({ rows, total: rows.length, summary: { delivered: rows.length }, place: 0, back: null, further: null }); // prettier-ignore

describe('the ledger', () => {
  const open = async (inputs: Record<string, string>, senders: string[]) => {
    const page = await openPage(LedgerPage, { inputs });
    await page.answer('/api/views/ledger', []);
    await page.answer('/api/courses', [{ id: '2', title: 'Fire Teams Aboard' }]);
    await page.answer('/api/people/structure', { departments: [], sites: [], groups: [] });
    await page.answer(`/api/notices/choices${inputs['course'] ? `?course=${inputs['course']}` : ''}`, { steps: ['Late', 'Invitation'], senders }); // prettier-ignore
    return page;
  };
  const asked = (page: Awaited<ReturnType<typeof open>>): string =>
    page
      .waiting()
      .find((url) => url.startsWith('GET /api/notices?'))!
      .slice(4);

  it('is narrowed down to a step of the course, and to whom messages came from where that is not always the same', async () => {
    const page = await open({ course: '2', step: 'Late', sender: 'Tora Hauge' }, ['Safety training', 'Tora Hauge']);
    expect(new URLSearchParams(asked(page).split('?')[1]).get('sender')).toBe('Tora Hauge');
    await page.answer(asked(page), found([row]));
    expect(page.text()).toContain('Late (2), Fire Teams Aboard');
    expect(page.getByRole('combobox', { name: 'Step' }).textContent).toContain('Late');
    expect(page.getByRole('combobox', { name: 'Message from' }).textContent).toContain('Tora Hauge');
  });
  it('a step that is gone from the choices stands there all the same; where all comes from one sender nobody asks', async () => {
    const page = await open({ step: 'Old welcome' }, ['Safety training']);
    await page.answer(asked(page), found([]));
    expect(page.text()).toContain('No notice fits.');
    expect(page.getByRole('combobox', { name: 'Step' }).textContent).toContain('Old welcome');
    expect(page.queryByRole('combobox', { name: 'Message from' })).toBeNull();
  });
});

describe('tests', () => {
  it('follow the days and the course that are chosen', async () => {
    const page = await openPage(TestLettersPage, { inputs: { from: '2027-03-01', to: '2027-03-05', course: '2' } });
    await page.answer('/api/test-letters?from=2027-03-01&to=2027-03-05&course=2', { rows: [], hasMore: false });
    expect(page.text()).toContain('No test was sent in these days. All tests');
  });
});
