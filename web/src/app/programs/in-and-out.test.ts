import { expect, it } from 'vitest';
import type { HookCallsView, HookRow, StatementRow, StatementsView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { HooksPage } from './hooks.page.ts';
import { StatementsPage } from './statements.page.ts';

const STATEMENT: StatementRow = { id: '00000000-0000-4000-8000-000000000001', program: 'Course register', at: '2027-03-01T07:00:00.000Z', storedAt: '2027-03-01T08:00:00.000Z', who: 'nobody@orlasund.example', verb: 'completed', activity: 'https://register.example/77', title: 'Pottery', outcome: 'no-person', words: 'nobody@orlasund.example is nobody of the roster: neither by address nor by personnel number.', personId: null, courseId: null, seenAt: null, seenBy: null }; // prettier-ignore
const VIEW: StatementsView = { rows: [STATEMENT], next: 'x_y', toSee: 3, activities: [{ activity: 'https://register.example/77', title: 'Pottery', count: 2 }], endpoint: 'https://nudrik.example/api/xapi/' }; // prettier-ignore
const TO_SEE = '/api/programs/statements?show=to-see';

it('what nobody could match is told with why; which course it is, is said once, and what waited is recorded', async () => {
  const page = await openPage(StatementsPage);
  await page.answer('/api/courses', [{ id: '7', title: 'Safe Lifting' }]);
  await page.answer(TO_SEE, VIEW);
  expect(page.text()).toContain('nobody of the roster');
  expect(page.text()).toContain('2 statements');
  await page.choose(page.getByLabelText('Course of https://register.example/77'), 'Safe Lifting');
  expect((await page.answer('/api/programs/activities', { recorded: 2 })).body).toEqual({ activity: 'https://register.example/77', courseId: '7' }); // prettier-ignore
  await page.answer(TO_SEE, { ...VIEW, activities: [] });
  expect(page.text()).toContain('2 completions were recorded.');
  await page.click(page.getByRole('button', { name: 'Earlier' }));
  await page.answer(`${TO_SEE}&after=x_y`, { ...VIEW, rows: [{ ...STATEMENT, id: '2', who: 'somebody else' }], next: null });
  expect(page.text()).toContain('somebody else');
  expect(page.queryByRole('button', { name: 'Earlier' })).toBeNull();
  await page.click(page.getByRole('button', { name: 'Nothing to do for nobody@orlasund.example' }));
  await page.refuse(`/api/programs/statements/${STATEMENT.id}/seen`, { code: 'not-found', message: 'There is no such statement, or somebody looked at it before.' }, 404); // prettier-ignore
  expect(page.text()).toContain('somebody looked at it before');
});

const HOOK: HookRow = { id: '4', name: 'Personnel', url: 'https://personnel.example/told', what: ['finished'], madeAt: '2027-03-01T08:00:00.000Z', madeBy: 'Sigrid Aune', endedAt: null, endedBy: null, failingSince: null, tryAt: null, told: 3, waiting: 0, failed: 1, left: 0 }; // prettier-ignore
const CALLS: HookCallsView = { rows: [{ id: '9', what: 'finished', words: 'Runa Aske, Safe Lifting', at: '2027-03-01T08:00:00.000Z', state: 'failed', attempts: 1, tryAt: null, answeredAt: '2027-03-01T08:00:01.000Z', answer: 'answered 410 Gone', leftBy: null }], next: null }; // prettier-ignore

it('an address is made, its secret is told once; each call stands there with its answer, and is told again by hand', async () => {
  const page = await openPage(HooksPage);
  await page.answer('/api/programs/hooks', { hooks: [] });
  await page.click(page.getByRole('button', { name: 'A new address' }));
  await page.type(page.getByLabelText('What it is for'), 'Personnel');
  await page.type(page.getByLabelText('Address'), ' https://personnel.example/told ');
  await page.click(page.getByRole('checkbox', { name: /certificate was issued/ }));
  await page.click(page.getByRole('button', { name: 'Make it' }));
  expect((await page.answer('/api/programs/hooks', { id: '4', secret: 'whsec_abc' }, 'POST')).body).toEqual({ name: 'Personnel', url: 'https://personnel.example/told', what: ['finished'] }); // prettier-ignore
  await page.answer('/api/programs/hooks', { hooks: [HOOK] });
  expect(page.getByTestId('token').textContent).toBe('whsec_abc');
  expect(page.text()).toMatch(/3 calls told.*1 not taken/);
  await page.click(page.getByRole('button', { name: 'Each call' }));
  await page.answer('/api/programs/hooks/4/calls', CALLS);
  await page.click(page.getByRole('button', { name: 'Leave it' }));
  expect((await page.answer('/api/programs/hooks/4/leave', { left: 1 }, 'POST')).body).toEqual({ call: '9' });
  await page.answer('/api/programs/hooks', { hooks: [{ ...HOOK, failed: 0, left: 1 }] });
  expect(page.text()).toContain('3 calls told, 1 left, though not taken.');
  await page.click(page.getByRole('button', { name: 'Each call' }));
  await page.answer('/api/programs/hooks/4/calls', { ...CALLS, rows: [{ ...CALLS.rows[0]!, leftBy: 'Sigrid Aune' }] });
  expect(page.text()).toContain('answered 410 Gone; left by Sigrid Aune');
  expect(page.text()).toContain('answered 410 Gone');
  await page.click(page.getByRole('button', { name: 'Tell again' }));
  expect((await page.answer('/api/programs/hooks/4/again', { again: 1 })).body).toEqual({ call: '9' });
  await page.answer('/api/programs/hooks', { hooks: [{ ...HOOK, failingSince: '2027-03-01T08:00:00.000Z', tryAt: '2027-03-01T09:00:00.000Z', waiting: 2 }] }); // prettier-ignore
  expect(page.text()).toMatch(/It does not answer since .*; tried again .*\. 2 calls wait\./);
});
