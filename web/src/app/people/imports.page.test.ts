import { describe, expect, it } from 'vitest';
import type { ImportRow } from '@nudrik/contract';
import type { Role } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { ImportsPage } from './imports.page.ts';

const row = (rest: Partial<ImportRow> = {}): ImportRow => ({
  id: '5', fileName: 'crew-may.csv', source: 'file', takenAt: '2027-02-26T09:00:00Z', takenBy: 'Sigrid Aune', added: 12_000, changed: 3, returned: 0, left: 0, rejected: 2, hasFile: true,
  undoneAt: null, undoneBy: null, ...rest,
}); // prettier-ignore
const open = async (list: ImportRow[], role?: Role) => {
  const page = await openPage(ImportsPage, role ? { role } : {});
  await page.answer('/api/people/imports', list);
  return page;
};

describe('the imports', () => {
  it('stand with their file, who and when, and what they changed', async () => {
    const page = await open([row()]);
    expect(page.text()).toMatch(/Fri 26 Feb 10:00 crew-may\.csv Sigrid Aune 12,000 3 2 Undo/);
    expect(page.getByRole('link', { name: 'crew-may.csv' }).getAttribute('href')).toBe('/api/people/imports/5/file');
  });
  it('are undone at a second word, and tell that it is being done', async () => {
    const page = await open([row()]);
    await page.click(page.getByRole('button', { name: 'Undo crew-may.csv' }));
    expect(page.waiting()).toEqual([]);
    await page.click(page.getByRole('button', { name: 'No' }));
    await page.click(page.getByRole('button', { name: 'Undo crew-may.csv' }));
    await page.click(page.getByRole('button', { name: 'Yes, set the roster back' }));
    expect(page.text()).toContain('setting the roster back …');
    await page.answer('/api/people/imports/5/undo', {});
    await page.answer('/api/people/imports', [row({ undoneAt: '2027-03-01T09:30:00Z', undoneBy: 'Sigrid Aune' })]);
    expect(page.getByRole('status').textContent).toContain('Undone: crew-may.csv. The roster is as it was before.');
    expect(page.text()).toContain('undone Mon 1 Mar 10:30 by Sigrid Aune');
  });
  it('that something depends on stay, and say on what', async () => {
    const page = await open([row()]);
    await page.click(page.getByRole('button', { name: 'Undo crew-may.csv' }));
    await page.click(page.getByRole('button', { name: 'Yes, set the roster back' }));
    await page.refuse('/api/people/imports/5/undo', {
      code: 'conflict',
      message: 'crew-may.csv cannot be undone: Per Aske was changed again.',
    });
    expect(page.getByRole('alert').textContent).toContain('Per Aske was changed again');
    expect(page.getByRole('button', { name: 'Undo crew-may.csv' })).toBeTruthy();
  });
  it('of the feed have no file, and an auditor undoes none', async () => {
    const page = await open([row({ source: 'feed', fileName: 'Personnel feed', hasFile: false })], 'auditor');
    expect(page.queryByRole('button')).toBeNull();
    expect(page.queryByRole('link', { name: 'Personnel feed', current: false })?.getAttribute('href')).not.toContain('/file');
  });
  it('when there is none, say where they come from', async () => {
    const page = await open([]);
    expect(page.text()).toContain('Nothing was imported yet.');
    await page.announce('people');
    expect(page.waiting()).toEqual(['GET /api/people/imports']);
  });
});
