import { describe, expect, it } from 'vitest';
import type { TimelineEntry } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { PersonTimeline } from './person-timeline.ts';

const fire = { id: '2', title: 'Fire Teams Aboard' };
const entry = (at: string, what: TimelineEntry['what'], words: string, rest: Partial<TimelineEntry> = {}): TimelineEntry => ({
  at, what, words, isAhead: false, course: null, noticeId: null, kind: null, outcome: null, because: null, byWhom: null, document: null, ...rest,
}); // prettier-ignore
const LINE: TimelineEntry[] = [
  entry('2027-01-04T08:00:00Z', 'change', 'Joined', { byWhom: 'crew.csv' }),
  entry('2027-01-05T08:00:00Z', 'assignment', 'Fire Teams Aboard assigned', { course: fire }),
  entry('2027-01-05T08:00:00Z', 'notice', 'Invitation, Fire Teams Aboard', { course: fire, noticeId: '41', kind: 'invitation', outcome: 'delivered' }),
  entry('2027-02-01T08:00:00Z', 'finish', 'Muster finished', { course: { id: '1', title: 'Muster' } }),
  entry('2027-03-03T08:00:00Z', 'notice', 'Two days to go, Fire Teams Aboard', { course: fire, noticeId: '42', kind: 'reminder', outcome: 'planned', isAhead: true }),
]; // prettier-ignore

const open = async (line: TimelineEntry[] = LINE) => {
  const page = await openPage(PersonTimeline, { inputs: { id: '9', zone: 'Europe/Oslo' } });
  await page.answer('/api/people/9/timeline', line);
  const rows = () => page.getAllByRole('row').map(textOf);
  return { ...page, rows };
};

describe('a person’s time line', () => {
  it('runs from oldest to newest; what is still to come stands below a line of its own', async () => {
    const { rows } = await open();
    expect(rows()).toEqual([
      '4 Jan 2027 09:00 Joined crew.csv',
      '5 Jan 2027 09:00 Fire Teams Aboard assigned',
      '5 Jan 2027 09:00 I Invitation, Fire Teams Aboard delivered',
      '1 Feb 2027 09:00 Muster finished',
      'Still to come',
      '3 Mar 2027 09:00 R Two days to go, Fire Teams Aboard planned',
    ]);
  });
  it('is told in the time of whom it is about, and says so where that is not the reader’s', async () => {
    const page = await openPage(PersonTimeline, { inputs: { id: '9', zone: 'Europe/London' } });
    await page.answer('/api/people/9/timeline', [entry('2027-01-05T08:00:00Z', 'assignment', 'Muster assigned')]);
    expect(page.text()).toContain('Days and times are London time.');
    expect(page.text()).toContain('5 Jan 2027 08:00');
  });
  it('is filtered by what it is and by course', async () => {
    const page = await open();
    await page.click(page.getByLabelText('notices'));
    expect(page.rows()).toHaveLength(3);
    await page.choose(page.getByLabelText('Course'), 'Muster');
    expect(page.rows()).toEqual(['1 Feb 2027 09:00 Muster finished']);
    await page.click(page.getByLabelText('finishes'));
    expect(page.text()).toContain('Nothing of this kind.');
    await page.choose(page.getByLabelText('Course'), 'every course');
    await page.click(page.getByLabelText('notices'));
    expect(page.rows()).toHaveLength(5);
  });
  it('leads from a notice to the ledger', async () => {
    const page = await open();
    expect(page.getByRole('link', { name: 'Invitation, Fire Teams Aboard' }).getAttribute('href')).toBe('/ledger/41?person=9');
  });
  it('says so where nothing happened yet, and offers no course to choose from one', async () => {
    expect((await open([])).text()).toContain('Nothing happened yet.');
    expect((await open(LINE.slice(0, 3))).queryByLabelText('Course')).toBeNull();
  });
  it('tells a failure, and is fetched anew when something changed', async () => {
    const page = await openPage(PersonTimeline, { inputs: { id: '9', zone: 'Europe/Oslo' } });
    expect(page.text()).toBe('Gathering what happened …');
    await page.refuse('/api/people/9/timeline', { code: 'not-found', message: 'There is no such person.' }, 404);
    expect(page.getByRole('alert').textContent).toBe('There is no such person.');
    await page.announce('notices');
    await page.answer('/api/people/9/timeline', LINE);
    expect(page.text()).toContain('Joined');
  });
});
