import { expect, it } from 'vitest';
import { NOW, openPage } from '../../testing/page.ts';
import { Undo } from './undo.ts';

const in10 = (actId: string | null): string | null => (actId === null ? null : new Date(Date.parse(NOW) + 10 * 60_000).toISOString());
const doneOf = (actId: string | null, words: string) => ({ actId, words, undoUntil: in10(actId), settlesAt: in10(actId) });
const open = (actId: string | null = '7') => openPage(Undo, { inputs: { done: doneOf(actId, 'Extended Safe Lifting of 3 people.') } });

it('tells what was done, takes it back, and says so', async () => {
  const page = await open();
  expect(page.getByRole('status').textContent).toContain('Extended Safe Lifting of 3 people.');
  await page.click(page.getByRole('button', { name: 'Undo' }));
  await page.answer('/api/assignments/acts/7/undo', {});
  expect(page.getByRole('status').textContent).toMatch(/^\s*Taken back: extended Safe Lifting of 3 people\.\s*$/);
  expect(page.queryByRole('button')).toBeNull();
});
it('says why it cannot be taken back', async () => {
  const page = await open();
  await page.click(page.getByRole('button', { name: 'Undo' }));
  await page.refuse('/api/assignments/acts/7/undo', { code: 'conflict', message: 'A mail went out because of it.' });
  expect(page.getByRole('alert').textContent).toBe('A mail went out because of it.');
});
it('offers no way back where there is none, and a new one for the next act', async () => {
  const page = await open(null);
  expect(page.queryByRole('button')).toBeNull();
  await page.set({ done: doneOf('8', 'Waived.') });
  expect(page.getByRole('button', { name: 'Undo' })).toBeTruthy();
});
