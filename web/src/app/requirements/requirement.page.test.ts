import { describe, expect, it } from 'vitest';
import type { RequirementPeople, RequirementPerson, RequirementView, Role } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { RequirementPage } from './requirement.page.ts';

const VIEW: RequirementView = {
  id: '3', version: 4, name: 'Fire teams for deck', courseId: '2', audience: { department: ['1'], below: true }, due: { kind: 'after', amount: 15, unit: 'working days', event: 'assigned' },
  dueTime: '17:00', graceDays: 14, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: false, whenOut: 'ask', isOn: true, switchedOnAt: '2027-02-01T08:00:00Z',
  changedAt: '2027-02-01T08:00:00Z', changedBy: 'Sigrid Aune', course: { id: '2', title: 'Fire Teams Aboard', validity: { count: 12, unit: 'months', toMonthEnd: false } }, words: ['Deck must hold Fire Teams Aboard.'],
  record: [{ at: '2027-02-01T08:00:00Z', byWhom: 'Sigrid Aune', what: 'switched on', words: 'Switched on.' }],
}; // prettier-ignore
const person = (name: string, standing: RequirementPerson['standing'], words: string, assignmentId: string | null = null): RequirementPerson => ({
  id: name, name, department: 'Deck', site: 'Orla Quay', zone: 'Europe/Oslo', standing, words, assignmentId, dueAt: null,
}); // prettier-ignore
const PEOPLE = [
  person('Aud Vik', 'covered', 'finished on 3 Jan 2027'),
  person('Per Aske', 'open', 'due Mon 22 Mar 17:00', '11'),
  person('Odd Nes', 'late', 'due Fri 26 Feb 17:00', '12'),
  person('Runa Moe', 'asks', 'not in the audience, and has it open', '13'),
  person('Nils Tarvik', 'not-asked', 'came after it was switched on'),
];
const count = (people: RequirementPerson[]): RequirementPeople => ({
  people,
  counts: people.reduce<Record<string, number>>((counts, { standing }) => ({ ...counts, [standing]: (counts[standing] ?? 0) + 1 }), {}),
});
const open = async ({ view = VIEW, people = PEOPLE, role = 'administrator' as Role, show = undefined as string | undefined } = {}) => {
  const page = await openPage(RequirementPage, { inputs: { id: '3', show }, role });
  await page.answer('/api/requirements/3', view);
  await page.answer('/api/requirements/3/people', count(people));
  const rows = () => [...page.getByTestId('standings').querySelectorAll('tbody tr')].map(textOf);
  const again = async (next: RequirementPerson[]) => {
    await page.answer('/api/requirements/3', view);
    await page.answer('/api/requirements/3/people', count(next));
  };
  return { ...page, rows, again };
};

describe('one requirement', () => {
  it('shows first who needs a word, then who is late, open, covered, and who is not asked', async () => {
    const { rows } = await open();
    expect(rows().map((row) => row.split(' ').slice(0, 2).join(' '))).toEqual([
      'Runa Moe',
      'Odd Nes',
      'Per Aske',
      'Aud Vik',
      'Nils Tarvik',
    ]);
  });
  it('says that somebody fits and is not asked, and leads to where that is changed', async () => {
    const page = await open();
    expect(page.text()).toContain(
      '1 person fits the audience and is not asked, because it takes in nobody who came after it was switched on.',
    );
    expect(page.getByRole('link', { name: 'Let it take them in' }).getAttribute('href')).toBe('/requirements/3/edit');
    expect((await open({ people: PEOPLE.slice(0, 3) })).text()).not.toContain('not asked');
  });
  it('is filtered by how people stand', async () => {
    const page = await open({ show: 'late' });
    expect(page.rows()).toEqual(['Odd Nes Deck Orla Quay late due Fri 26 Feb 17:00']);
    await page.click(page.getByRole('button', { name: '1 covered' }));
    expect(page.router.url).toBe('/?show=covered');
    expect((await open({ show: 'waived' })).text()).toContain('Nobody stands so.');
  });
  it('asks what becomes of those who fell out, one by one or all', async () => {
    const page = await open({ people: [...PEOPLE, person('Siv Holm', 'asks', 'not in the audience', '14')] });
    expect(page.text()).toContain('2 are no longer in the audience and have the course open.');
    await page.click(page.getByRole('button', { name: 'Keep Runa Moe' }));
    expect((await page.answer('/api/requirements/3/outside', { id: '3', assigned: 0, attached: 0, withdrawn: 0, kept: 1, asked: 0 })).body).toEqual({ assignmentIds: ['13'], outside: 'keep' });
    await page.again([person('Siv Holm', 'asks', 'not in the audience', '14')]);
    expect(page.getByRole('status').textContent?.trim()).toBe('Kept: 1 assignment kept.');
    await page.click(page.getByRole('button', { name: 'Withdraw it' }));
    expect((await page.answer('/api/requirements/3/outside', { id: '3', assigned: 0, attached: 0, withdrawn: 1, kept: 0, asked: 0 })).body).toEqual({ assignmentIds: ['14'], outside: 'withdraw' });
  }); // prettier-ignore
  it('is switched off only after saying what becomes of what is open', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Switch it off' }));
    const form = page.getByRole('form', { name: 'Switch it off' });
    expect(textOf(form)).toContain('3 people have Fire Teams Aboard open because of it.');
    await page.click(page.getByLabelText(/keep what is open/));
    await page.click(form.querySelector('button')!);
    expect((await page.answer('/api/requirements/3/off', { id: '3', assigned: 0, attached: 0, withdrawn: 0, kept: 3, asked: 0 })).body).toEqual({ version: 4, outside: 'keep' });
    expect(page.getByRole('status').textContent?.trim()).toBe('Switched off: 3 assignments kept.');
  }); // prettier-ignore
  it('that somebody else changed meanwhile says so, and nothing happened', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Switch it off' }));
    await page.click(page.getByRole('form', { name: 'Switch it off' }).querySelector('button')!);
    await page.refuse('/api/requirements/3/off', { code: 'stale', message: 'Tora Hauge changed it in the meantime. Load the page again.' });
    expect(page.getByRole('alert').textContent).toContain('Tora Hauge changed it in the meantime');
  });
  it('never switched on can be removed; one that was on stays on the record', async () => {
    const off = await open({ view: { ...VIEW, isOn: false, switchedOnAt: null }, people: [] });
    expect(off.text()).toContain('Off: it assigns nobody. Written 1 Feb 2027 by Sigrid Aune');
    expect(off.text()).toContain('Nobody is in its audience.');
    await off.click(off.getByRole('button', { name: 'Remove' }));
    await off.answer('/api/requirements/3', {});
    expect(off.router.url).toBe('/requirements');
    expect((await open({ view: { ...VIEW, isOn: false } })).queryByRole('button', { name: 'Remove' })).toBeNull();
  });
  it('is only read by an auditor', async () => {
    const page = await open({ role: 'auditor' });
    expect(page.queryByRole('button', { name: /Switch|Keep|Withdraw/ })).toBeNull();
    expect(page.queryByRole('link', { name: /Change it|Let it/ })).toBeNull();
    expect(page.text()).toContain('Mon 1 Feb 09:00 Sigrid Aune Switched on.');
  });
  it('shows a few hundred of many at once, and says how many more', async () => {
    const many = Array.from({ length: 1_250 }, (_, n) => person(`Person ${n}`, 'covered', 'finished'));
    const page = await open({ people: many });
    expect(page.rows()).toHaveLength(300);
    expect(page.text()).toContain('… and 950 more.');
    expect(page.getByRole('button', { name: '1,250 people' })).toBeTruthy();
  });
  it('that is gone says so', async () => {
    const page = await openPage(RequirementPage, { inputs: { id: '99' } });
    await page.refuse('/api/requirements/99', { code: 'not-found', message: 'There is no such requirement, or not any more.' }, 404);
    expect(page.getByRole('alert').textContent).toBe('There is no such requirement, or not any more.');
  });
});
