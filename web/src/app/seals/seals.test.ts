import { expect, test } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { SealsPage } from './seals.page.ts';

const HEAD = 'ab'.repeat(32);
const VIEW = { days: [{ day: '2027-03-01', count: 12, head: HEAD }], hasMore: false, sealed: 12, waiting: 0 };
async function open() {
  const page = await openPage(SealsPage, { role: 'auditor' });
  await page.answer('/api/seals', VIEW);
  return page;
}

test('each day stands with its head, and a look says that all stands', async () => {
  const page = await open();
  expect(page.text()).toContain(`1 Mar 2027 12 ${HEAD}`);
  await page.click(page.getByRole('button', { name: 'Look whether all stands' }));
  expect((await page.answer('/api/seals/verify', { sealed: 12, taken: 0, erased: 0, waiting: 1, faults: [], more: 0, head: HEAD })).body).toEqual({ day: null, head: null }); // prettier-ignore
  expect(page.getByRole('status').textContent).toBe('All 12 entries stand as they were written. 1 entry of the last seconds waits for its seal.'); // prettier-ignore
});

test('what does not stand is named; a head that was kept is looked at with its day', async () => {
  const page = await open();
  await page.type(page.getByRole('textbox', { name: 'Day of the head' }), '2027-03-01');
  await page.type(page.getByLabelText('Its head, 64 digits'), HEAD);
  await page.click(page.getByRole('button', { name: 'Look' }));
  const fault = { day: '2027-03-01', what: 'changed', words: 'Written on 1 Mar 2027: an event, number 7, was changed since.' };
  expect((await page.answer('/api/seals/verify', { sealed: 12, taken: 0, erased: 0, waiting: 0, faults: [fault], more: 3, head: HEAD })).body).toEqual({ day: '2027-03-01', head: HEAD }); // prettier-ignore
  expect(page.text()).toContain('4 entries do not stand as they were written.');
  expect(page.text()).toContain('number 7, was changed since.');
  expect(page.text()).toContain('and 3 more');
});

test('what cannot be looked at says why', async () => {
  const page = await open();
  await page.click(page.getByRole('button', { name: 'Look whether all stands' }));
  await page.refuse('/api/seals/verify', { code: 'wrong-input', message: 'head: expected the 64 digits' }, 400);
  expect(page.getByRole('alert').textContent).toContain('expected the 64 digits');
});
