import type { LadderView, WaiverRequestView } from '@nudrik/contract';
import { expect, it } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { Ladder } from './ladder.ts';
import { WaiversPage } from './waivers.page.ts';

it('a ladder says who was told, who is next, and why nobody else', async () => {
  const view: LadderView = {
    rungs: [
      { step: 'a', name: 'To the manager', to: 'manager', state: 'delivered', at: '2027-02-26T08:00:00Z', who: 'Odd Aske', why: 'Sent.', noticeId: '5' },
      { step: 'b', name: 'Further up', to: 'manager 2', state: 'held', at: '2027-03-08T08:00:00Z', who: 'Ivar Moen', why: 'Kari Aske is on leave without cover', noticeId: '6' },
    ],
    takenUp: { by: 'Odd Aske', until: '2027-03-05', at: '2027-03-01T08:00:00Z' },
  }; // prettier-ignore
  const page = await openPage(Ladder, { inputs: { assignment: '3' } });
  await page.answer('/api/assignments/3/ladder', view);
  expect(page.text()).toContain('Taken up by Odd Aske Mon 1 Mar: done by Fri 5 Mar. Until then nobody further up is told.');
  expect(page.text()).toMatch(/Further up to Ivar Moen \(manager 2\), Mon 8 Mar 09:00 held ?Kari Aske is on leave without cover/);
  expect(page.getByRole('link', { name: 'To the manager' }).getAttribute('href')).toBe('/ledger/5');
});

it('a waiver that is asked for is answered, with words for whoever asked', async () => {
  const row: WaiverRequestView = { id: '4', assignmentId: '3', person: { id: '1', name: 'Runa Aske' }, course: { id: '7', title: 'Fire Teams' }, dueAt: '2027-03-05T16:00:00Z', reason: 'On loan', askedAt: '2027-03-01T08:00:00Z', askedBy: 'Odd Aske', answer: null }; // prettier-ignore
  const page = await openPage(WaiversPage);
  await page.answer('/api/waivers', [row]);
  await page.click(page.getByRole('button', { name: 'Answer about Runa Aske' }));
  await page.type(page.getByLabelText(/What Odd Aske reads/), 'Not this one');
  await page.click(page.getByRole('button', { name: 'Do not waive' }));
  expect((await page.answer('/api/waivers/4', { actId: null, words: 'Odd Aske reads that it is not waived.', undoUntil: null, settlesAt: null })).body).toEqual({ isWaived: false, words: 'Not this one', until: null }); // prettier-ignore
  await page.answer('/api/waivers', [{ ...row, answer: { at: '2027-03-01T09:30:00Z', byWhom: 'Sigrid Aune', isWaived: false, words: 'Not this one' } }]); // prettier-ignore
  expect(page.text()).toContain('not waived');
});
