import { describe, expect, it } from 'vitest';
import type { PreviewedPerson, RequirementPreview } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { RequirementReview } from './requirement-review.ts';

const none = { count: 0, people: [] as PreviewedPerson[] };
const some = (count: number, ...names: string[]) => ({ count, people: names.map((name, id) => ({ id: String(id), name, site: 'Orla Quay', words: 'due Mon 22 Mar 17:00' })) }); // prettier-ignore
const preview = (rest: Partial<RequirementPreview> = {}): RequirementPreview => ({
  words: [], in: 0, assigned: none, attached: none, staying: none, covered: none, settled: none, joining: none, falling: none, mails: 0, byDay: [], warnings: [], found: [], ...rest,
}); // prettier-ignore
const open = (rest: Partial<RequirementPreview>) => openPage(RequirementReview, { inputs: { preview: preview(rest), outside: 'ask' } });

describe('what a requirement would do', () => {
  it('counts first: assigned, open, covered, joining, mails', async () => {
    const page = await open({ assigned: some(8_375, 'Runa Aske'), attached: some(1, 'Per Moe'), staying: some(1, 'Odd Nes'), covered: some(43, 'Aud Vik'), joining: some(13, 'Nils Tarvik'), mails: 67_104, byDay: [{ day: '2027-03-01', count: 8_374 }] }); // prettier-ignore
    const counts = [...page.getByTestId('review-counts').children].map((part) => part.textContent);
    expect(counts).toEqual(['8,375 assigned now', '2 have it open already', '43 covered', '13 join in the next 60 days', '67,104 mails']);
    expect(page.text()).toContain('Runa Aske Orla Quay due Mon 22 Mar 17:00');
    expect(page.text()).toContain('… and 8,374 more.');
    expect(page.text()).toContain('Mon 1 Mar 8,374');
  });
  it('says that nobody is concerned, or that nothing changes', async () => {
    const page = await open({});
    expect(page.text()).toContain('Nobody is concerned: nobody is in the audience now, and nobody joins it in the next 60 days.');
    expect(page.text()).toContain('No mail.');
    expect((await open({ staying: some(3, 'Runa Aske') })).text()).toContain("Nobody's assignments change by it.");
  });
  it('asks what becomes of those who fall out, and keeps the answer', async () => {
    const page = await open({ falling: some(1, 'Odd Nes') });
    expect(page.getByRole('group', { name: 'What becomes of them' }).textContent).toContain('1 person has the course open because of this');
    await page.click(page.getByLabelText('withdraw their assignments'));
    expect(page.fixture.componentInstance.outside()).toBe('withdraw');
    expect((await open({ assigned: some(1, 'Runa Aske') })).queryByRole('group', { name: 'What becomes of them' })).toBeNull();
  });
  it('tells every warning', async () => {
    const page = await open({ warnings: ['“Late” is switched off.', 'Certificates run out after 12 months.'] });
    expect(page.text()).toContain('“Late” is switched off. Certificates run out after 12 months.');
  });
});
