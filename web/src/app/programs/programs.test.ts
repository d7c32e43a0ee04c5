import { expect, test } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { ProgramsPage } from './programs.page.ts';

const ROW = { id: '3', name: 'Payroll', scopes: ['people'], madeBy: 'Sigrid Aune', madeAt: '2027-02-01T09:00:00.000Z', until: '2027-12-31', lastUsedAt: null, endedAt: null, endedBy: null }; // prettier-ignore
async function open(tokens: object[]) {
  const page = await openPage(ProgramsPage);
  await page.answer('/api/programs', { tokens });
  return page;
}

test('a token is made for what it is for, and told once', async () => {
  const page = await open([]);
  expect(page.text()).toContain('No other program reads here.');
  await page.click(page.getByRole('button', { name: 'A new token' }));
  await page.type(page.getByLabelText('What it is for'), 'Payroll');
  await page.click(page.getByRole('checkbox', { name: /^people/ }));
  await page.click(page.getByRole('checkbox', { name: /^notices/ }));
  await page.click(page.getByRole('checkbox', { name: /^notices/ }));
  await page.click(page.getByRole('button', { name: 'Make it' }));
  expect((await page.answer('/api/programs', { id: '3', token: 'nudrik_abc' })).body).toEqual({ name: 'Payroll', scopes: ['people'], until: null }); // prettier-ignore
  await page.answer('/api/programs', { tokens: [ROW] });
  expect(page.getByTestId('token').textContent).toBe('nudrik_abc');
  await page.click(page.getByRole('button', { name: 'I have it' }));
  expect(page.text()).not.toContain('nudrik_abc');
  expect(page.text()).toContain('31 Dec 2027');
});

test('one is ended only after a second press; what is refused is told, and the form keeps what was written', async () => {
  const page = await open([ROW, { ...ROW, id: '2', name: 'Old', endedAt: '2027-02-02T09:00:00.000Z', endedBy: 'Tora' }]);
  expect(page.queryByRole('button', { name: 'End the token Old' })).toBeNull();
  await page.click(page.getByRole('button', { name: 'End the token Payroll' }));
  expect(page.text()).toContain('It opens nothing from then on.');
  await page.click(page.getByRole('button', { name: 'End it' }));
  await page.answer('/api/programs/3', {});
  await page.answer('/api/programs', { tokens: [] });
  await page.click(page.getByRole('button', { name: 'A new token' }));
  await page.type(page.getByLabelText('What it is for'), 'Rota');
  await page.click(page.getByRole('button', { name: 'Make it' }));
  await page.refuse('/api/programs', { code: 'wrong-input', message: 'Scopes: expected at least one thing that may be read. Nothing was changed.' }, 400); // prettier-ignore
  expect(page.getByRole('alert').textContent).toContain('expected at least one thing');
  expect((page.getByLabelText('What it is for') as HTMLInputElement).value).toBe('Rota');
});
