import { expect, it } from 'vitest';
import { KEPT_KINDS, type ErasePreview, type KeepingView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { ErasePerson } from './erase-person.ts';
import { KeepingPage } from './keeping.page.ts';

const VIEW: KeepingView = {
  kinds: KEPT_KINDS.map((kind) => ({ kind, months: kind === 'tests' ? 12 : null, changedAt: kind === 'tests' ? '2027-03-01T08:00:00.000Z' : null, changedBy: kind === 'tests' ? 'Sigrid Aune' : null, firstNight: kind === 'tests' ? '2027-03-03' : null, ranOn: null, next: kind === 'tests' ? { count: 2, from: '2025-01-01', to: '2025-02-01', words: '2 entries from before 1 Mar 2026 go: 1 Jan 2025 to 1 Feb 2025.' } : null })), // prettier-ignore
  erasures: [{ id: '1', kind: 'person', title: 'Person 7K3Q-9M2X', personId: '15', at: '2027-02-28T08:00:00.000Z', byWhom: 'Sigrid Aune', reason: 'asked for by letter', counts: [{ what: 'conversations', count: 2 }] }], // prettier-ignore
  hasMore: false,
  list: { path: 'data/nudrik.erased', fault: null },
};

it('a time is set only after seeing what would go by it; the one that is asked last counts', async () => {
  const page = await openPage(KeepingPage, { role: 'administrator' });
  await page.answer('/api/keeping', VIEW);
  await page.answer('/api/record/keeping', []);
  expect(page.text()).toContain('2 entries from before 1 Mar 2026 go');
  expect(page.text()).toContain('for the first time in the night to 3 Mar 2027');
  expect(page.text()).toMatch(/Person 7K3Q-9M2X\s*conversations: 2/);
  const list = page.root.querySelector<HTMLElement>('[aria-label="How long is kept: What messages said"]')!;
  await page.choose(list, '3 years');
  expect(page.text()).toContain('Counting what would go');
  expect((await page.answer('/api/keeping/preview', { count: 7, from: '2023-01-01', to: '2024-01-01', words: '7 entries go.' })).body).toEqual({ kind: 'messages', months: 36 }); // prettier-ignore
  expect(page.text()).toContain('7 entries go.');
  await page.click([...page.root.querySelectorAll('button')].find(({ textContent }) => textContent === 'Keep it for 3 years')!);
  const request = await page.answer('/api/keeping', VIEW, 'PUT');
  expect(request.body).toEqual({ kind: 'messages', months: 36 });
});

const PREVIEW: ErasePreview = {
  name: 'Runa Aske',
  pseudonym: 'Person 7K3Q-9M2X',
  faults: [],
  goes: [{ what: 'conversations', count: 2 }],
  stays: [{ what: 'certificates', count: 3 }],
  notes: ['Somebody else is called Runa Aske too: …'],
};

it('whoever cannot be erased is told why, and there is nothing to press', async () => {
  const page = await openPage(ErasePerson, { inputs: { id: '15' } });
  await page.answer('/api/people/15/erasing', { ...PREVIEW, faults: ['They are the trainer of Fire Teams Aboard. Name another first.'] });
  expect(page.text()).toContain('Name another first.');
  expect(page.text()).not.toContain('Erase for good');
});

it('erases when the name is typed once more, and keeps what was typed where it is refused', async () => {
  const page = await openPage(ErasePerson, { inputs: { id: '15' } });
  await page.answer('/api/people/15/erasing', PREVIEW);
  expect(page.text()).toMatch(/Stays, under Person 7K3Q-9M2X\s*certificates: 3/);
  expect(page.text()).toContain('Somebody else is called Runa Aske too');
  const button = [...page.root.querySelectorAll('button')].find(({ textContent }) => textContent?.includes('Erase for good'))!;
  expect(button.disabled).toBe(true);
  await page.type(page.root.querySelector<HTMLElement>('input[name="reason"]')!, 'asked for');
  await page.type(page.root.querySelector<HTMLElement>('input[name="name"]')!, 'Runa Aske');
  expect(button.disabled).toBe(false);
  await page.click(button);
  expect((await page.refuse('/api/people/15/erase', { code: 'conflict', message: 'They cover for Per Moe. Nothing was erased.' }, 409)).body).toEqual({ name: 'Runa Aske', reason: 'asked for' }); // prettier-ignore
  expect(page.text()).toContain('They cover for Per Moe. Nothing was erased.');
});
