import { describe, expect, it } from 'vitest';
import type { RequirementRow, Role } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { RequirementsPage } from './requirements.page.ts';

const row = (rest: Partial<RequirementRow> = {}): RequirementRow => ({
  id: '3', name: 'Fire teams for deck', course: { id: '2', title: 'Fire Teams Aboard' }, audience: 'Deck', due: '15 working days after assignment', renewal: 'every 12 months', isOn: true,
  switchedOnAt: '2027-02-01T08:00:00Z', changedAt: '2027-02-01T08:00:00Z', changedBy: 'Sigrid Aune', in: 73, open: 8, late: 3, asks: 0, joining: 14, notAsked: 0, isCounted: true, ...rest,
}); // prettier-ignore
const open = async (list: RequirementRow[], role?: Role) => {
  const page = await openPage(RequirementsPage, role ? { role } : {});
  await page.answer('/api/requirements', list);
  return { ...page, rows: () => page.getAllByRole('row').slice(1).map(textOf) }; // prettier-ignore
};

describe('the standing rules', () => {
  it('say in a line whether each is on, whom it asks, and how that stands', async () => {
    const { rows } = await open([row()]);
    expect(rows()).toEqual([
      'on Fire teams for deck Deck Fire Teams Aboard 15 working days after assignment again every 12 months 73 8 3 14',
    ]);
  });
  it('say since when one is off, and by whom', async () => {
    const { rows, text } = await open([
      row({ isOn: false, open: 0, late: 0, joining: 0 }),
      row({ id: '4', name: 'Lines', isOn: false, switchedOnAt: null }),
    ]);
    expect(rows()[0]).toContain('off Fire teams for deck Deck switched off 1 Feb 2027 by Sigrid Aune');
    expect(rows()[1]).toContain('never switched on; written 1 Feb 2027 by Sigrid Aune');
    expect(text()).toContain('0 on, 2 off.');
  });
  it('name who fits and is not asked, and who fell out and waits for a word', async () => {
    const { rows } = await open([row({ notAsked: 50_023, asks: 2 }), row({ id: '4', notAsked: 1 })]);
    expect(rows()[0]).toContain('50,023 more fit it and are not asked: it takes in nobody later');
    expect(rows()[0]).toContain('2 no longer in, to be decided');
    expect(rows()[1]).toContain('1 more fits it and is not asked');
  });
  it('of a day that has passed say which were on and how those stood whom each had asked, and lead to these people', async () => {
    const page = await openPage(RequirementsPage, { inputs: { on: '2027-02-10' } });
    await page.answer('/api/requirements', [row()]);
    await page.answer('/api/requirements/day?on=2027-02-10', {
      asOf: { on: '2027-02-10', known: 'then', differs: { count: 0, first: [] } },
      rows: [
        { id: '3', name: 'Fire teams for deck', course: { id: '2', title: 'Fire Teams Aboard' }, wasOn: true, asked: 1_073, finished: 60, open: 8, late: 5, waived: 0 }, // prettier-ignore
        { id: '4', name: 'Lines', course: { id: '5', title: 'Lines' }, wasOn: false, asked: 0, finished: 0, open: 0, late: 0, waived: 0 },
      ],
    });
    expect(page.text()).toContain('At the end of Wed 10 Feb 2027');
    expect(page.getAllByRole('row').slice(1).map(textOf)).toEqual(['on Fire teams for deck Fire Teams Aboard 1,073 60 8 5', 'off Lines Lines 0']); // prettier-ignore
    expect(page.getByRole('link', { name: 'Fire teams for deck' }).getAttribute('href')).toBe('/matrix/2?requirement=3&on=2027-02-10');
    await page.click(page.getByRole('button', { name: 'Back to now' }));
    expect(page.router.url).toBe('/');
  });
  it('of a day that cannot be had say why, and lead back', async () => {
    const page = await openPage(RequirementsPage, { inputs: { on: '2099-02-10' } });
    await page.answer('/api/requirements', [row()]);
    await page.refuse('/api/requirements/day?on=2099-02-10', { code: 'wrong-input', message: '10 Feb 2099 has not come yet.' }, 400);
    expect(page.getByRole('alert').textContent).toContain('10 Feb 2099 has not come yet.');
  });
  it('are opened from their line', async () => {
    const page = await open([row()]);
    await page.click(page.getByText('Fire teams for deck'));
    expect(page.router.url).toBe('/requirements/3');
  });
  it('where there is none yet, say what one is for; only an administrator writes one', async () => {
    const page = await open([]);
    expect(page.getByRole('link', { name: 'Write the first one' }).getAttribute('href')).toBe('/requirements/new');
    const read = await open([], 'auditor');
    expect(read.text()).toContain('No requirement yet.');
    expect(read.queryByRole('link', { name: /Write|New requirement/ })).toBeNull();
  });
  it('that cannot be had say why, and are had at another try', async () => {
    const page = await openPage(RequirementsPage);
    expect(page.text()).toContain('Looking up the requirements …');
    await page.refuse('/api/requirements', null, 503);
    expect(page.getByRole('alert').textContent).toContain('The server answered 503.');
    await page.click(page.getByRole('button', { name: 'Try again' }));
    await page.answer('/api/requirements', [row()]);
    expect(page.queryByRole('alert')).toBeNull();
  });
});
