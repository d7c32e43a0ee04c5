import { describe, expect, it } from 'vitest';
import type { TodayNeed, TodayView } from '@nudrik/contract';
import { NOW, openPage, textOf } from '../../testing/page.ts';
import { TodayPage } from './today.page.ts';

const need = (kind: TodayNeed['kind'], label: string, words: string, link: string | null, does: 'try-now' | null = null): TodayNeed => ({
  kind, label, words, act: { label: does ? 'Try now' : 'Open it', link, does },
}); // prettier-ignore
type Both = TodayView & { needs: TodayNeed[] };
const view = (rest: Partial<Both> = {}): Both => ({ now: NOW, sentToday: 0, plannedToday: 0, heldToday: 0, needs: [], next: [], courses: [], newlyLate: [], ahead: { assigned: 0, notices: 0 }, finishedFrom: '2027-02-28', finished: [], ...rest }); // prettier-ignore
const open = async ({ needs, ...today }: Both) => {
  const page = await openPage(TodayPage);
  await page.answer('/api/today', today);
  await page.answer('/api/today/needs', needs);
  return page;
};

describe('today', () => {
  it('on a quiet day says that nothing needs anybody', async () => {
    const page = await open(view());
    expect(page.getByRole('heading', { level: 1 }).textContent).toBe('Monday 1 March');
    expect(page.text()).toContain('Nothing has gone out yet today. No more are planned. Nothing needs you.');
    expect(page.text()).toContain('Nothing is failed, bounced, missing or without a manager.');
    expect(page.text()).toContain('No course yet. Make the first.');
    expect(page.text()).toContain('Nobody became late in the last three days.');
  });
  it('says first what needs a person, and leads to where that is done', async () => {
    const page = await open(view({
      sentToday: 1, plannedToday: 2, heldToday: 1,
      needs: [need('bounced', 'Bounced', 'Mail to Elin Strand came back.', '/people/12?mend=email'), need('roster', 'Held', 'A pull waits for you.', '/people/feed'), need('missing-value', 'Missing value', '6 people have no job.', null)],
    })); // prettier-ignore
    expect(page.text()).toContain('1 notice went out today. 2 more are planned, 1 of them held. Three things need you.');
    const links = page.getAllByRole('link', { name: 'Open it' }).map((link) => link.getAttribute('href'));
    expect(links).toEqual(['/people/12?mend=email', '/people/feed']);
    expect(page.getByText('Missing value').className).toContain('soon');
    expect(page.getByText('Bounced').className).toContain('late');
  });
  it('tells of the days that are chosen on the ribbon what went out and goes out then', async () => {
    const page = await openPage(TodayPage, { inputs: { from: '2027-03-01', to: '2027-03-02' } });
    await page.answer('/api/today/needs', []);
    const row = { at: '2027-03-01T08:00:00Z', day: '2027-03-01', kind: 'reminder', stepName: 'Two days to go', courses: ['Muster'] };
    await page.answer('/api/today?from=2027-03-01&to=2027-03-02', view({ next: [{ ...row, count: 5, sent: 3, held: 0 }, { ...row, at: '2027-03-02T08:00:00Z', day: '2027-03-02', count: 2, sent: 0, held: 0 }] })); // prettier-ignore
    expect(page.getByRole('heading', { name: 'What goes out on Mon 1 Mar to Tue 2 Mar' })).toBeTruthy();
    expect(page.text()).toContain('3 of 5 sent');
    await page.set({ to: undefined });
    await page.answer('/api/today?from=2027-03-01&to=2027-03-01', view());
    expect(page.text()).toContain('Nothing went out or is planned on Mon 1 Mar.');
  });
  it('says what requirements will bring that no list has yet', async () => {
    const told = async (assigned: number, notices: number): Promise<string> => (await open(view({ ahead: { assigned, notices } }))).text();
    expect(await told(3, 1)).toContain('Requirements will assign 3 courses in the next 7 days to who joins, moves or has to renew; of what they assign 1 more notice goes out then.'); // prettier-ignore
    expect(await told(1, 0)).toContain('Requirements will assign 1 course in the next 7 days');
    expect(await told(1, 0)).toContain('nothing of it goes out then');
    expect(await told(0, 4)).toContain('Of what requirements will assign before, 4 more notices go out in the next 7 days.');
    expect(await told(0, 0)).not.toContain('Requirements');
  });
  it('tries the mail server again at one press', async () => {
    const page = await open(view({ needs: [need('mail-server', 'Mail', 'The mail server does not answer.', null, 'try-now')] }));
    await page.click(page.getByRole('button', { name: 'Try now' }));
    expect(page.waiting().some((line) => line.startsWith('POST /api/'))).toBe(true);
  });
  it('shows what goes out next: what of today by its hour, the rest by its day', async () => {
    const page = await open(view({
      next: [
        { at: '2027-03-01T14:00:00Z', day: '2027-03-01', kind: 'late', stepName: 'Late', courses: ['Muster'], count: 8, sent: 0, held: 8 },
        { at: '2027-03-03T08:00:00Z', day: '2027-03-03', kind: 'reminder', stepName: 'Two days to go', courses: ['Muster', 'Safe Lifting', 'Fire'], count: 4, sent: 0, held: 1 },
      ],
    })); // prettier-ignore
    const rows = page.getAllByRole('row').map(textOf);
    expect(rows.find((row) => row.includes('Late Muster'))).toMatch(/^15:00 L Late Muster, held 8 who$/);
    expect(rows.find((row) => row.includes('Two days'))).toMatch(/^Wed 3 09:00 R Two days to go 3 courses, 1 held 4 who$/);
    expect(page.getByRole('link', { name: 'Who gets Late' }).getAttribute('href')).toBe(
      '/ledger?from=2027-03-01&to=2027-03-01&kind=late&step=Late',
    );
  });
  it('names a few of many who became late', async () => {
    const page = await open(
      view({ newlyLate: [{ course: 'Muster', courseId: '1', people: ['A', 'B', 'C', 'D'], count: 6, since: 'Fri 26 Feb' }] }),
    );
    expect(page.text()).toContain('A, B, C, D, and 2 more Muster, since Fri 26 Feb');
  });
  it.each(['notices', 'feed', 'requirements', 'people'])('looks again when %s changed', async (topic) => {
    const page = await open(view());
    await page.announce(topic);
    expect(page.waiting()).toEqual(['GET /api/today', 'GET /api/today/needs']);
  });
  it('that cannot be had says so and can be tried again', async () => {
    const page = await openPage(TodayPage);
    expect(page.text()).toBe('Looking at the day …');
    await page.refuse('/api/today', null, 500);
    expect(page.getByRole('alert').textContent).toContain('The server answered 500.');
    await page.click(page.getByRole('button', { name: 'Try again' }));
    await page.answer('/api/today', view());
    await page.answer('/api/today/needs', []);
    expect(page.getByRole('heading', { level: 1 }).textContent).toBe('Monday 1 March');
  });
});
