import { describe, expect, it } from 'vitest';
import type { LearningUnit, LearningView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { LearnPage } from './learn.page.ts';

const unit = (id: string, rest: Partial<LearningUnit> = {}): LearningUnit => ({
  id, kind: 'page', title: `Unit ${id}`, required: true, opens: null, body: `<p>Words of ${id}</p>`, url: null, file: null, video: null, survey: null, signOff: null, place: null, about: null, doneAt: null, ...rest,
}); // prettier-ignore
const view = (...units: LearningUnit[]): LearningView => ({
  person: 'Runa Aske', organisation: 'Orlasund Ferries', trainer: 'Tora Hauge', course: { title: 'Fire Teams Aboard', summary: null }, hasAsking: false, assignedAt: '2027-03-01T09:30:00Z', dueAt: '2027-03-19T16:00:00Z',
  zone: 'Europe/Oslo', state: 'in progress', closedReason: null, unitsDone: 0, unitsRequired: 2, percent: 0, finishWords: 'both are done', sections: [{ title: 'One', units }], certificate: null, finishedAt: null, ...({} as object),
} as LearningView); // prettier-ignore

describe('the course behind a personal link', () => {
  const open = async (at: string | undefined, ...units: LearningUnit[]) => {
    const page = await openPage(LearnPage, { inputs: { token: 'abc', ...(at && { at }) } });
    await page.answer('/api/learning/abc', view(...units));
    return page;
  };
  const isOpen = (page: Awaited<ReturnType<typeof open>>, name: RegExp): boolean =>
    page.getByRole('button', { name }).getAttribute('aria-expanded') === 'true';

  it('opens the unit that a message leads to, and begins nothing by it', async () => {
    const page = await open('unit-7', unit('6'), unit('7'));
    expect([isOpen(page, /Unit 6/), isOpen(page, /Unit 7/)]).toEqual([false, true]);
    expect(page.waiting().filter((line) => line.startsWith('POST'))).toEqual([]);
  });
  it('opens none that is not open yet, is not there, or is no unit', async () => {
    for (const at of ['unit-7', 'unit-99', 'unit-x', undefined]) {
      const page = await open(at, unit('6'), unit('7', { opens: 'opens Mon 8 Mar 08:00', body: null }));
      expect([isOpen(page, /Unit 6/), isOpen(page, /Unit 7/)]).toEqual([false, false]);
    }
  });
});
