import { expect, it } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { HouseRecord } from './house-record.ts';

it('the record tells who changed what, and is read again when something changes', async () => {
  const page = await openPage(HouseRecord, { inputs: { area: 'structure' } });
  await page.answer('/api/record/structure', []);
  expect(page.text()).toContain('Nothing was changed yet.');
  await page.announce('people');
  await page.answer('/api/record/structure', [
    { at: '2027-02-01T08:00:00Z', byWhom: 'Sigrid Aune', words: 'The department Ramps was removed.' },
  ]);
  expect(page.text()).toContain('The department Ramps was removed. Sigrid Aune');
  await page.announce('people');
  await page.refuse('/api/record/structure', { code: 'out-of-order', message: 'The database does not answer.' }, 503);
  expect(page.getByRole('alert').textContent).toContain('does not answer');
});
