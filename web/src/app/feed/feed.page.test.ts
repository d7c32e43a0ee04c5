import { describe, expect, it } from 'vitest';
import type { FeedView, PullRow, Role } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { FeedPage } from './feed.page.ts';

const pull = (rest: Partial<PullRow> = {}): PullRow => ({
  id: '3', at: '2027-03-01T05:00:00Z', outcome: 'taken', words: '1 added.', rejected: [], importId: '8', decidedBy: null, ...rest,
}); // prettier-ignore
const feed = (rest: Partial<FeedView> = {}): FeedView => ({
  url: 'https://personnel.example/people', isOn: true, times: ['06:00', '18:00'], nextAt: '2027-03-01T17:00:00Z', lastOkAt: '2027-03-01T05:00:00Z', changeShare: 5,
  isStandIn: false, mode: null, pulls: [pull()], strangers: [], ...rest,
}); // prettier-ignore
const open = async (view: FeedView, role: Role = 'administrator') => {
  const page = await openPage(FeedPage, { role });
  await page.answer('/api/people/feed', view);
  return page;
};
const HELD = pull({ id: '4', outcome: 'held', words: '31 people would leave, which is more than 5 %.', importId: null });
const nils = { personnelNumber: 'OF-9', name: 'Nils Tarvik', email: 'nils@orlasund.example', department: 'Deck', site: 'Orla Quay', job: 'Cook', managerEmail: null, joinedOn: null, leftOn: '2027-03-01' }; // prettier-ignore
const PREVIEW = {
  added: [], returned: [], unchanged: 200, rejected: [], newDepartments: [], rosterSize: 231,
  changed: [{ row: null, id: '7', person: { ...nils, name: 'Runa Aske', email: 'runa@orlasund.example' }, changes: [{ field: 'managerEmail', from: null, to: 'kari@orlasund.example' }] }],
  left: [{ row: null, id: '9', person: nils, changes: [{ field: 'leftOn', from: null, to: '2027-03-01' }] }],
}; // prettier-ignore

describe('the personnel feed', () => {
  it('says when it is pulled next and when it last answered', async () => {
    expect((await open(feed())).text()).toContain('Pulled daily at 06:00 and 18:00; next Mon 1 Mar 18:00. Last answered Mon 1 Mar 06:00');
  });
  it('says that it is off, or was never set up', async () => {
    expect((await open(feed({ isOn: false }))).text()).toContain('Switched off: the roster is not kept by it.');
    const bare = await open(feed({ url: '', pulls: [], lastOkAt: null }));
    expect(bare.text()).toContain('Not pulled yet. Set the feed up with its address first.');
    expect(bare.queryByRole('button', { name: 'Pull now' })).toBeNull();
  });
  it('names a refused row with its reason, and who is not in the feed', async () => {
    const rejected = [{ row: 7, column: 'site', reason: 'There is no site "Orla Key".' }];
    const page = await open(feed({ pulls: [pull({ rejected } as Partial<PullRow>)], strangers: [{ id: '12', name: 'Odd Holm' }] }));
    expect(page.text()).toContain('site: There is no site "Orla Key".');
    expect(page.getByRole('link', { name: 'Odd Holm' }).getAttribute('href')).toBe('/people/12');
  });
  it('is pulled at once; a feed that is down is told as a problem', async () => {
    const page = await open(feed());
    await page.click(page.getByRole('button', { name: 'Pull now' }));
    expect((page.getByRole('button', { name: 'Pulling …' }) as HTMLButtonElement).disabled).toBe(true);
    await page.answer('/api/people/feed/pull', pull({ outcome: 'failed', words: 'The feed does not answer.' }));
    await page.answer('/api/people/feed', feed());
    expect(page.getByRole('alert').textContent).toBe('The feed does not answer.');
    await page.click(page.getByRole('button', { name: 'Pull now' }));
    await page.answer('/api/people/feed/pull', pull({ outcome: 'unchanged', words: '246 people, nothing differs.' }));
    await page.answer('/api/people/feed', feed());
    expect(page.queryByRole('alert')).toBeNull();
    expect(page.getByRole('status').textContent).toBe('246 people, nothing differs.');
  });
});

describe('a pull that waits for a person', () => {
  const held = async (role?: Role) => {
    const page = await open(feed({ pulls: [HELD, pull()] }), role);
    await page.answer('/api/people/feed/pulls/4', PREVIEW);
    return page;
  };
  it('shows old and new beside each other before anything is taken', async () => {
    const page = await held();
    expect(page.getByRole('region', { name: 'Held pull' }).textContent).toContain('31 people would leave, which is more than 5 %.');
    const rows = [...page.getByTestId('held').querySelectorAll('tbody tr')].map(textOf);
    expect(rows).toEqual([
      '1 changed Runa Aske Deck, Orla Quay manager nothing kari@orlasund.example',
      '1 left Nils Tarvik Deck, Orla Quay left nothing 1 Mar 2027',
    ]);
  });
  it('is told once, where it waits', async () => {
    const page = await open(feed());
    await page.click(page.getByRole('button', { name: 'Pull now' }));
    await page.answer('/api/people/feed/pull', HELD);
    await page.answer('/api/people/feed', feed({ pulls: [HELD] }));
    await page.answer('/api/people/feed/pulls/4', PREVIEW);
    expect(page.queryByRole('status')).toBeNull();
    expect(page.text()).toContain('Waits for you');
  });
  it('is taken, or declined, by one word', async () => {
    const page = await held();
    await page.click(page.getByRole('button', { name: 'Take these changes' }));
    await page.answer('/api/people/feed/pulls/4/approve', {});
    await page.answer('/api/people/feed', feed({ pulls: [pull({ id: '4', decidedBy: 'Sigrid Aune' })] }));
    expect(page.text()).toContain('1 added. Approved by Sigrid Aune.');
    expect(page.queryByRole('region', { name: 'Held pull' })).toBeNull();
  });
  it('is refused where the roster has moved on, and stays', async () => {
    const page = await held();
    await page.click(page.getByRole('button', { name: 'Decline it' }));
    await page.refuse('/api/people/feed/pulls/4/decline', { code: 'stale', message: 'Somebody decided it already.' });
    expect(page.getByRole('alert').textContent).toBe('Somebody decided it already.');
    expect(page.getByRole('button', { name: 'Take these changes' })).toBeTruthy();
  });
  it('is seen by an auditor, who decides nothing', async () => {
    const page = await held('auditor');
    expect(page.getByTestId('held')).toBeTruthy();
    expect(page.queryByRole('button')).toBeNull();
  });
});

describe('setting it up', () => {
  it('sends times as a list, however they are parted, and stays open with what is wrong', async () => {
    const page = await open(feed());
    await page.click(page.getByRole('button', { name: 'Change' }));
    await page.type(page.getByLabelText('Pulled at, times of the day'), '06:00; 12:30 18:00');
    // a pull that happens meanwhile does not overwrite what is typed
    await page.announce('feed');
    await page.answer('/api/people/feed', feed({ pulls: [pull({ id: '9' }), pull()] }));
    await page.click(page.getByRole('button', { name: 'Save' }));
    await page.refuse('/api/people/feed', { code: 'wrong-input', message: 'times: expected a time of day like 06:00.' }, 400);
    expect(page.getByRole('alert').textContent).toContain('expected a time of day like 06:00');
    await page.click(page.getByRole('button', { name: 'Save' }));
    const { body } = await page.answer('/api/people/feed', {});
    expect(body).toEqual({ url: 'https://personnel.example/people', isOn: true, times: ['06:00', '12:30', '18:00'], changeShare: 5 });
    await page.answer('/api/people/feed', feed());
    expect(page.queryByLabelText('Address of the feed')).toBeNull();
  });
});
