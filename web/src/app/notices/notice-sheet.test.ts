import { describe, expect, it, test, vi } from 'vitest';
import type { NoticeRow, NoticeSheet } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { NoticeSheetPart } from './notice-sheet.ts';

const notice = (rest: Partial<NoticeRow> = {}): NoticeRow => ({
  id: '41', kind: 'reminder', stepName: 'Two days to go', occurrence: 0, course: { id: '2', title: 'Fire Teams Aboard' }, person: { id: '4', name: 'Runa Aske' }, addressee: null, state: 'delivered',
  because: null, sentence: null, at: '2027-03-17T16:00:00Z', local: 'Wed 17 Mar 17:00', zone: 'Europe/Oslo', gathered: 0, ...rest,
}); // prettier-ignore
const sheet = (rest: Partial<NoticeSheet> = {}): NoticeSheet => ({
  notice: notice(), stepName: 'Two days to go', kind: 'reminder', course: { id: '2', title: 'Fire Teams Aboard' }, person: { id: '4', name: 'Runa Aske', job: 'Deckhand', site: 'Vessel pool' },
  sentence: 'Goes to Runa Aske on Wed 17 Mar 17:00.', trace: [{ check: 'due', result: true, because: 'due Fri 19 Mar 17:00, less 48 hours' }], timeline: [{ what: 'delivered', at: '2027-03-17T16:00:05Z', words: 'Wed 17 Mar 17:00' }],
  mail: null, followed: [], gatheredWith: [], conversations: [], acts: [], again: null, ...rest,
}); // prettier-ignore
const open = async (view: NoticeSheet) => {
  const page = await openPage(NoticeSheetPart, { inputs: { notice: '41' } });
  await page.answer('/api/notices/41', view);
  return page;
};

describe('a notice', () => {
  it('that went says to whom, when and why', async () => {
    const page = await open(sheet({ followed: [{ at: '2027-03-18T08:00:00Z', words: 'began the course' }] }));
    expect(page.text()).toContain('Fire Teams Aboard · to Runa Aske, deckhand, Vessel pool');
    expect(page.text()).toContain('Why it went ✓due Fri 19 Mar 17:00, less 48 hours');
    expect(page.text()).toContain('What followed began the course');
    expect(page.queryByTestId('sentence')).toBeNull();
  });
  it('to a manager says whom it is about, and with whom it was gathered', async () => {
    const page = await open(sheet({ notice: notice({ addressee: { id: '9', name: 'Ivar Moen' } }), gatheredWith: [{ id: '42', name: 'Per Moe' }, { id: '43', name: 'Odd Nes' }] })); // prettier-ignore
    expect(page.text()).toContain('to Ivar Moen, about Runa Aske');
    expect(page.text()).toMatch(/one message with 2 more: Per Moe, ?Odd Nes/);
    expect(page.getByRole('link', { name: 'Per Moe' }).getAttribute('href')).toBe('/ledger/42');
  });
  it('is skipped with its reason, sent now, and goes again, by an administrator alone', async () => {
    const planned = sheet({ notice: notice({ state: 'planned' }), acts: ['skip', 'send'] });
    const page = await open(planned);
    await page.click(page.getByRole('button', { name: 'Skip this one' }));
    await page.type(page.getByLabelText('Why, for the record'), 'she asked for it');
    await page.click(page.getByRole('button', { name: 'Skip it' }));
    expect((await page.answer('/api/notices/41/act', { done: true })).body).toEqual({ what: 'skip', reason: 'she asked for it' });
    await page.answer('/api/notices/41', sheet({ notice: notice({ state: 'skipped', because: 'by-hand' }), acts: ['restore'] }));
    await page.click(page.getByRole('button', { name: 'Take the skip back' }));
    await page.refuse('/api/notices/41/act', { code: 'conflict', message: 'Its moment has passed.' });
    expect(page.getByRole('alert').textContent).toBe('Its moment has passed.');
    const trainer = await openPage(NoticeSheetPart, { inputs: { notice: '41' }, role: 'trainer' });
    await trainer.answer('/api/notices/41', planned);
    expect(trainer.queryByRole('button', { name: 'Send it now' })).toBeNull();
  });
  it('that went begins the text that goes again with its own', async () => {
    const again = {
      assignmentId: '12',
      name: 'Again: Two days to go',
      message: { subject: '{course} is due', body: 'Hello.', button: null },
    };
    const page = await open(sheet({ again }));
    await page.click(page.getByRole('button', { name: 'Send again…' }));
    const { body } = await page.answer('/api/assignments/remind/preview', { count: 1, closed: 0, toldLately: 1, told: [], people: [], byDay: [], held: [], skipped: [], missing: [], fault: null, settles: 0, letter: null }); // prettier-ignore
    expect(body).toMatchObject({ assignmentIds: ['12'], name: again.name, message: again.message, alsoTold: true });
  });
  test.each([
    ['planned', null, 'Why it will go'],
    ['held', 'leave', 'Why it is held'],
    ['skipped', 'finished', 'Why it did not go'],
    ['cancelled', 'withdrawn', 'Why it did not go'],
    ['bounced', 'bounced', 'Why it went'],
  ] as const)('that is %s says its sentence and %s', async (state, because, words) => {
    const page = await open(sheet({ notice: notice({ state, because }), sentence: 'A sentence that says why.' }));
    expect(page.getByTestId('sentence').textContent).toBe('A sentence that says why.');
    expect(page.text()).toContain(words);
  });
  it('that never was is asked for by assignment and step', async () => {
    const page = await openPage(NoticeSheetPart, { inputs: { assignment: '11', step: 'certificate' } });
    await page.answer('/api/notices/why?assignment=11&step=certificate', sheet({ notice: null, trace: [{ check: 'finished', result: false, because: 'not finished yet' }], sentence: 'Waits: Runa Aske has not finished.' })); // prettier-ignore
    expect(page.text()).toContain('Why there is none ✕not finished yet');
    expect(page.getByTestId('sentence').textContent).toBe('Waits: Runa Aske has not finished.');
  });
  it('that is not to be had can still be closed', async () => {
    const page = await openPage(NoticeSheetPart, { inputs: { notice: '41' } });
    const closed = vi.fn();
    page.fixture.componentInstance.closed.subscribe(closed);
    await page.refuse('/api/notices/41', { code: 'not-found', message: 'There is no such notice.' }, 404);
    expect(page.getByRole('alert').textContent).toBe('There is no such notice.');
    await page.click(page.getByRole('button', { name: 'Close' }));
    expect(closed).toHaveBeenCalledTimes(1);
  });
});
