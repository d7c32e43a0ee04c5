import { describe, expect, it } from 'vitest';
import type { StructureView } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { StructurePage } from './structure.page.ts';

const STRUCTURE: StructureView = {
  departments: [{ id: '1', name: 'Aboard', parentId: null, people: 0, version: 1 }, { id: '2', name: 'Deck', parentId: '1', people: 72, version: 1 }, { id: '3', name: 'Cabin', parentId: '1', people: 43, version: 1 }, { id: '4', name: 'Office', parentId: null, people: 18, version: 1 }],
  sites: [{ id: '5', name: 'Orla Quay', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], people: 59, holidays: [{ on: '2027-01-01', name: 'New Year' }, { on: '2027-05-17', name: 'Day' }], version: 3 }, { id: '6', name: 'Tarn Ness', zone: 'Europe/London', workingDays: [6, 1, 2], people: 29, holidays: [], version: 1 }],
  groups: [{ id: '8', name: 'Fire team A', about: 'First at the hose', people: 13, version: 1 }],
}; // prettier-ignore
const open = async (view = STRUCTURE, inputs = {}) => {
  const page = await openPage(StructurePage, { inputs });
  await page.answer('/api/people/structure', view);
  return page;
};
const rowOf = (page: Awaited<ReturnType<typeof open>>, text: string) => textOf(page.getByRole('link', { name: text }).closest('tr')!);

describe('the structure', () => {
  it('shows departments below each other, counted with those below', async () => {
    const page = await open();
    expect(rowOf(page, 'Aboard')).toBe('Aboard 115 with those below Hold … Change');
    expect(rowOf(page, 'Deck')).toBe('Deck 72 Hold … Change');
    expect(page.getByRole('link', { name: 'Deck' }).closest('td')!.style.paddingLeft).toBe('30px');
  });
  it('shows sites with their zone, working days and the holidays still to come', async () => {
    const page = await open();
    expect(rowOf(page, 'Orla Quay')).toBe('Orla Quay Oslo time Europe/Oslo Mon to Fri 59 1 Calendar Change');
    expect(rowOf(page, 'Tarn Ness')).toContain('Mon, Tue, Sat');
  });
  it('adds a department below another', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Add a department' }));
    await page.type(page.getByLabelText('Name'), 'Rafts');
    await page.choose(page.getByLabelText('Stands below'), 'Deck');
    await page.click(page.getByRole('button', { name: 'Save' }));
    expect((await page.answer('/api/people/departments', { id: '9' })).body).toEqual({ name: 'Rafts', parentId: '2' });
    await page.answer('/api/people/structure', STRUCTURE);
    expect(page.queryByLabelText('Name')).toBeNull();
  });
  it('changes a site’s zone and working days', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Change Orla Quay' }));
    await page.choose(page.getByLabelText('Time zone'), 'Europe/London (London time)');
    await page.click(page.getByLabelText('Sat'));
    await page.click(page.getByLabelText('Mon'));
    await page.click(page.getByRole('button', { name: 'Save' }));
    const { method, body } = await page.answer('/api/people/sites/5', {});
    expect([method, body]).toEqual(['PATCH', { version: 3, name: 'Orla Quay', zone: 'Europe/London', workingDays: [2, 3, 4, 5, 6] }]);
  });
  it('shows both where somebody else saved meanwhile, and goes on with mine', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Change Orla Quay' }));
    await page.type(page.getByLabelText('Name'), 'Orla Dock');
    await page.click(page.getByRole('button', { name: 'Save' }));
    await page.refuse('/api/people/sites/5', { code: 'stale', message: 'Version 4 of this site was saved by Tora Hauge.' });
    await page.answer('/api/people/structure', {
      ...STRUCTURE,
      sites: [{ ...STRUCTURE.sites[0]!, zone: 'Europe/London', version: 4 }, STRUCTURE.sites[1]!],
    });
    const table = page.getByRole('table', { name: 'The two versions' });
    expect(textOf(table)).toContain('Orla Dock Orla Quay');
    expect(textOf(table)).toContain('Europe/Oslo Europe/London');
    await page.click(page.getByRole('button', { name: 'Go on with mine' }));
    await page.click(page.getByRole('button', { name: 'Save' }));
    expect((await page.answer('/api/people/sites/5', {})).body).toMatchObject({ name: 'Orla Dock', zone: 'Europe/Oslo', version: 4 });
  });
  it('keeps a group that something depends on, and says what', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Change Fire team A' }));
    expect((page.getByLabelText('What it is for') as HTMLInputElement).value).toBe('First at the hose');
    await page.click(page.getByRole('button', { name: 'Remove' }));
    await page.refuse('/api/people/groups/8', { code: 'conflict', message: 'Fire team A stands in the audience of “Fire teams”.' });
    expect(page.getByRole('alert').textContent).toBe('Fire team A stands in the audience of “Fire teams”.');
    expect(page.getByLabelText('What it is for')).toBeTruthy();
  });
  it('opens a site’s calendar beside it, and closes it', async () => {
    const page = await open(STRUCTURE, { site: '5' });
    expect(page.getByRole('complementary', { name: 'Calendar of Orla Quay' })).toBeTruthy();
    await page.click(page.getByRole('button', { name: 'Close' }));
    expect(page.router.url).toBe('/');
  });
  it('says where departments and groups come from while there are none', async () => {
    const page = await open({ departments: [], sites: [], groups: [] });
    expect(page.text()).toContain('No department yet; a roster file brings them.');
    expect(page.text()).toContain('No group yet.');
  });
});
