import { describe, expect, it, vi } from 'vitest';
import type { ReachView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { DeclinePage } from '../declines/decline.page.ts';
import { Reach } from './reach.ts';

const REACH: ReachView = {
  by: null,
  houseBy: 'mail',
  chatName: 'runa.aske',
  dailyAt: null,
  leads: false,
  digest: null,
  declined: [{ id: '7', step: 'What to bring', course: 'Muster and Abandon Ship', at: '2027-03-01T09:00:00Z' }],
};
const open = async (change: Partial<ReachView> = {}, canChange = true) => {
  const page = await openPage(Reach, { inputs: { base: '/api/my-training', reach: { ...REACH, ...change }, canChange } });
  const changed = vi.fn();
  page.fixture.componentInstance.changed.subscribe(changed);
  return { ...page, changed };
};

describe('how somebody is told', () => {
  it('is chosen: the way, and whether all of a day comes at once', async () => {
    const page = await open();
    await page.choose(page.getByLabelText('How messages come'), 'in the chat, by mail where that fails');
    const { method, body } = await page.answer('/api/my-training/reach', { ...REACH, by: 'chat' });
    expect([method, body]).toEqual(['PUT', { by: 'chat' }]);
    await page.choose(page.getByLabelText('When messages come'), 'all of a day in one message');
    expect((await page.answer('/api/my-training/reach', { ...REACH, by: 'chat', dailyAt: '07:00' })).body).toEqual({ dailyAt: '07:00' });
    expect((page.getByLabelText('At what time of the day') as HTMLInputElement).value).toBe('07:00');
    await page.type(page.getByLabelText('At what time of the day'), '630');
    expect((await page.answer('/api/my-training/reach', { ...REACH, dailyAt: '06:30' })).body).toEqual({ dailyAt: '06:30' });
    expect(page.changed).toHaveBeenCalledTimes(3);
  });

  it('says nothing of a chat where there is none, and what was declined is had again', async () => {
    const page = await open({ chatName: null });
    expect(page.queryByLabelText('How messages come')).toBeNull();
    await page.click(page.getByRole('button', { name: 'Send “What to bring” again' }));
    expect((await page.answer('/api/my-training/declined/7', { ...REACH, declined: [] })).method).toBe('DELETE');
    expect(page.queryByText(/declined/)).toBeNull();
  });

  it('that was refused says why, and stands as it was', async () => {
    const page = await open({ dailyAt: '07:00' });
    await page.choose(page.getByLabelText('When messages come'), 'each message at its own moment');
    await page.refuse('/api/my-training/reach', { code: 'out-of-order', message: 'The database does not answer.' });
    expect(page.getByRole('alert').textContent).toBe('The database does not answer.');
    expect((page.getByLabelText('At what time of the day') as HTMLInputElement).value).toBe('07:00');
  });

  it('is only looked at by whoever may not change it', async () => {
    const page = await open({ dailyAt: '07:00' }, false);
    expect(page.queryByRole('button', { name: /again/ })).toBeNull();
    expect((page.getByLabelText('At what time of the day') as HTMLInputElement).disabled).toBe(true);
  });
});

describe('the link at the end of a message that may be declined', () => {
  const view = {
    organisation: 'Orlasund Ferries',
    person: 'Runa Aske',
    step: 'What to bring',
    course: 'Muster',
    isDeclined: false,
    refusal: null,
  };
  it('declines at a press and not before, and has it again', async () => {
    const page = await openPage(DeclinePage, { inputs: { token: 'abc' } });
    await page.answer('/api/declines/abc', view);
    expect(page.waiting()).toEqual([]);
    await page.click(page.getByRole('button', { name: 'I do not want these' }));
    expect((await page.answer('/api/declines/abc', { ...view, isDeclined: true })).method).toBe('POST');
    expect(page.getByRole('heading').textContent).toBe('You get no more of these');
    await page.click(page.getByRole('button', { name: 'Send them again' }));
    expect((await page.answer('/api/declines/abc', view)).method).toBe('DELETE');
    expect(page.getByRole('heading').textContent).toBe('No more of “What to bring”?');
  });
  it('says why where it cannot be declined', async () => {
    const page = await openPage(DeclinePage, { inputs: { token: 'abc' } });
    await page.answer('/api/declines/abc', { ...view, refusal: 'These belong to required training.' });
    expect(page.getByText('These belong to required training.')).toBeTruthy();
    expect(page.queryByRole('button')).toBeNull();
  });
});
