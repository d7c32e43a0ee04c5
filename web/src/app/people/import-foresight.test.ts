import { HttpParams } from '@angular/common/http';
import { describe, expect, it } from 'vitest';
import type { ImportForesight, ImportOrder } from '@nudrik/contract';
import { ALL_GROUPS } from '@nudrik/core';
import { openPage } from '../../testing/page.ts';
import { ImportForesightPart } from './import-foresight.ts';

const ORDER: ImportOrder = { fileName: 'crew.csv', mark: 'm', columns: ['name'], dateOrder: 'ymd', isComplete: false, emptyCells: 'keep', groups: ALL_GROUPS, confirmedLeft: null }; // prettier-ignore
const url = (order: ImportOrder): string =>
  `/api/people/imports/foresee?${new HttpParams({ fromObject: { order: JSON.stringify(order) } }).toString()}`;
const rule = (rest: Partial<ImportForesight['requirements'][number]> = {}): ImportForesight['requirements'][number] => ({
  id: '3', name: 'Fire teams', course: 'Fire Teams Aboard', people: 5, names: ['Maud Ellery', 'Nils Tarvik', 'Ola Nes'],
  first: { at: '2027-03-08T08:00:00Z', step: 'Invitation', name: 'Maud Ellery', zone: 'Europe/London' }, ...rest,
}); // prettier-ignore
const open = (changes: number) =>
  openPage(ImportForesightPart, { inputs: { file: new File(['name'], 'crew.csv'), order: ORDER, changes } });
const asked = (page: Awaited<ReturnType<typeof open>>): string[] => page.waiting();

describe('what would come of an import', () => {
  it('says which requirement asks whom and when the first mail goes, in the time of its reader', async () => {
    const page = await open(5);
    await page.answer(url(ORDER), { requirements: [rule(), rule({ id: '4', name: 'Office', people: 1, names: ['Ola Nes'], first: null })], withdrawn: 2, asked: 0 }); // prettier-ignore
    expect(page.text()).toContain('Fire teams Fire Teams Aboard 5 Maud Ellery, Nils Tarvik, Ola Nes and 2 more Mon 8 Mar 08:00 London time Invitation to Maud Ellery'); // prettier-ignore
    expect(page.text()).toContain('Office Fire Teams Aboard 1 Ola Nes none is planned');
    expect(page.text()).toContain('2 open assignments would be withdrawn.');
  });
  it('that is refused says why, and shows nothing older', async () => {
    const page = await open(5);
    await page.answer(url(ORDER), { requirements: [rule()], withdrawn: 0, asked: 0 });
    const other = { ...ORDER, isComplete: true };
    await page.set({ order: other });
    await page.refuse(url(other), { code: 'stale', message: 'The roster was changed after this preview was made.' });
    expect(page.getByRole('alert').textContent).toContain('The roster was changed');
    expect(page.text()).not.toContain('Fire teams');
  });
  it('of a large file is worked out when somebody asks, and of nothing never', async () => {
    const page = await open(20_000);
    await page.settle();
    expect(asked(page)).toEqual([]);
    await page.click(page.getByRole('button', { name: /See which requirements/ }));
    await page.answer(url(ORDER), { requirements: [], withdrawn: 0, asked: 0 });
    expect(page.text()).toContain('No requirement asks anything new of these people, and no mail would follow.');
    expect((await open(0)).text()).toBe('');
  });
});
