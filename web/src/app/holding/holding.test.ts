import { describe, expect, it } from 'vitest';
import type { HoldPreview, HoldView, ReleasePreview } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { HoldingPage } from './holding.page.ts';
import { HoldStrip } from './hold-strip.ts';

const hold = (rest: Partial<HoldView> = {}): HoldView => ({
  id: '7', scope: 'plan', of: '2', name: 'Fire Teams Aboard', words: 'the plan of “Fire Teams Aboard” is held', from: '2027-03-01T09:00:00Z',
  until: null, untilOn: null, by: 'Sigrid Aune', reason: 'The drill ground is flooded', waits: 4, ended: null, ...rest,
}); // prettier-ignore
const preview = (rest: Partial<HoldPreview> = {}): HoldPreview => ({
  words: 'the plan of “Fire Teams Aboard” is held', notices: 33, people: 8, steps: [{ name: 'Late', course: 'Fire Teams Aboard', count: 19 }], onTheWay: 0, horizon: 'Wed 17 Mar', stands: null, ...rest,
}); // prettier-ignore
const release = (rest: Partial<ReleasePreview> = {}): ReleasePreview => ({
  hold: hold(), waits: 2, looked: 2, goes: 1, later: 0, passes: 1, rows: [
    { id: '1', person: 'Runa Aske', addressee: null, stepName: 'Late', course: 'Fire Teams Aboard', moment: 'Tue 2 Mar 09:00', outcome: 'send', at: null, words: '' },
    { id: '2', person: 'Per Moe', addressee: null, stepName: 'Late', course: 'Fire Teams Aboard', moment: 'Tue 2 Mar 09:00', outcome: 'skip', at: null, words: 'Skipped: Per Moe finished on Mon 1 Mar.' },
  ], ...rest,
}); // prettier-ignore

describe('what holds the messages of a page', () => {
  const inputs = { scope: 'plan', of: '2', name: 'The plan of Fire Teams Aboard', what: 'this plan' };
  it('is said with who, why and how much waits, and is released after a look', async () => {
    const page = await openPage(HoldStrip, { inputs });
    await page.answer('/api/holds/over?scope=plan&of=2', [hold()]);
    expect(page.text()).toMatch(
      /The plan of “Fire Teams Aboard” is held\. Since .* by Sigrid Aune: The drill ground is flooded\. Until it is released; 4 messages wait\./,
    );
    await page.click(page.getByRole('button', { name: 'Release …' }));
    await page.answer('/api/holds/7/release', release());
    expect(document.body.textContent).toContain('Per Moe finished on Mon 1 Mar');
    await page.click(page.getByRole('radio', { name: /Let pass/ }));
    await page.click(page.getByRole('button', { name: 'Release and let pass' }));
    expect((await page.answer('/api/holds/7/release', { decided: 1, passed: 1 })).body).toEqual({ how: 'let-pass' });
    await page.answer('/api/holds/over?scope=plan&of=2', []);
    expect(page.text()).not.toContain('flooded');
  });
  it('is held after it says how much waits, with a reason and never without', async () => {
    const page = await openPage(HoldStrip, { inputs });
    await page.answer('/api/holds/over?scope=plan&of=2', []);
    await page.click(page.getByRole('button', { name: 'Hold this plan …' }));
    await page.answer('/api/holds/preview', preview());
    expect(document.body.textContent).toContain('33 messages, about 8 people, would wait until Wed 17 Mar');
    const act = page.getByRole('button', { name: 'Hold it' });
    expect(act).toHaveProperty('disabled', true);
    await page.type(page.getByLabelText(/Why/), 'flooded');
    await page.click(act);
    expect((await page.answer('/api/holds', { id: '9' })).body).toEqual({ scope: 'plan', of: '2', until: null, reason: 'flooded' });
  });
  it('is read by an auditor, who holds and releases nothing; a trainer does what they publish', async () => {
    for (const [role, may] of [
      ['auditor', 0],
      ['trainer', 1],
    ] as const) {
      const page = await openPage(HoldStrip, { inputs, role });
      await page.answer('/api/holds/over?scope=plan&of=2', [hold(), hold({ id: '8', scope: 'everything', of: null })]);
      expect(page.queryAllByRole('button', { name: 'Release …' })).toHaveLength(may);
    }
  });
});

describe('held messages', () => {
  it('lists what is held and what was, and lets nothing leave the house', async () => {
    const page = await openPage(HoldingPage, {});
    await page.answer('/api/holds', {
      standing: [hold()],
      past: [hold({ id: '5', ended: { at: '2027-02-03T09:00:00Z', by: 'Tora Hauge', how: 'let-pass' } })],
    });
    expect(page.text()).toContain('by Tora Hauge: let pass');
    await page.click(page.getByRole('button', { name: /Let nothing leave/ }));
    await page.answer('/api/holds/preview', preview({ notices: null, people: null, onTheWay: 3 }));
    expect(document.body.textContent).toContain('3 are on the way to the mail server in this moment and still leave.');
    await page.type(page.getByLabelText(/Why/), 'wrong text');
    await page.click(page.getByRole('button', { name: 'Hold everything' }));
    await page.refuse('/api/holds', { code: 'conflict', message: 'Not now.' });
    expect(page.getByText('Not now.')).toBeTruthy();
  });
});
