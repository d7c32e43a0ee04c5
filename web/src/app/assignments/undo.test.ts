import { expect, it } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { Undo } from './undo.ts';

const open = (actId: string | null = '7') => openPage(Undo, { inputs: { done: { actId, words: 'Extended Safe Lifting of 3 people.' } } });

it('tells what was done, takes it back, and says so', async () => {
  const page = await open();
  expect(page.getByRole('status').textContent).toContain('Extended Safe Lifting of 3 people.');
  await page.click(page.getByRole('button', { name: 'Undo' }));
  await page.answer('/api/assignments/acts/7/undo', {});
  expect(page.getByRole('status').textContent).toBe('Taken back: extended Safe Lifting of 3 people.');
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
  await page.set({ done: { actId: '8', words: 'Waived.' } });
  expect(page.getByRole('button', { name: 'Undo' })).toBeTruthy();
});
