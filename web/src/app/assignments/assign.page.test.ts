import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from 'vitest';
import type { AssignPreview } from '@nudrik/contract';
import { NOW, openPage } from '../../testing/page.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { AssignPage } from './assign.page.ts';

const FACETS = { departments: [{ name: 'Deck', people: 3 }], groups: [{ id: '8', name: 'Fire team A', people: 2 }], sites: [{ name: 'Orla Quay', zone: 'Europe/Oslo', people: 9 }] }; // prettier-ignore
const PREVIEW: AssignPreview = {
  course: { id: '2', title: 'Fire Teams Aboard' }, count: 2, already: [{ id: '9', name: 'Aud Vik', due: 'Fri 19 Mar 17:00' }], missing: [{ step: 'What to bring', field: '{job}', people: ['Per Aske'] }],
  byDay: [{ day: '2027-03-01', count: 2 }], covered: [], mails: 2, found: [], warnings: ['“Late” is switched off in the plan of Fire Teams Aboard.'],
  people: [{ id: '4', name: 'Runa Aske', site: 'Orla Quay', zone: 'Europe/Oslo', due: 'Mon 22 Mar 17:00', dueAt: '2027-03-22T16:00:00Z', note: null, notices: [] }, { id: '5', name: 'Per Aske', site: 'Tarn Ness', zone: 'Europe/London', due: 'Mon 22 Mar 17:00', dueAt: '2027-03-22T17:00:00Z', note: 'joins Mon 8 Mar', notices: [] }],
}; // prettier-ignore
const open = async (inputs: Record<string, unknown> = {}) => {
  const page = await openPage(AssignPage, { inputs });
  await page.answer('/api/courses', [{ id: '2', title: 'Fire Teams Aboard', state: 'live' }, { id: '3', title: 'Muster', state: 'live' }, { id: '4', title: 'Night Watch', state: 'draft' }]); // prettier-ignore
  await page.answer('/api/people/facets', FACETS);
  return page;
};

describe('assigning by hand', () => {
  it('asks for a course and for whom, and shows for these very people what would happen', async () => {
    const page = await open();
    expect(page.text()).toContain('Choose a course, who gets it, and by when.');
    await page.choose(page.getByLabelText('Course'), 'Fire Teams Aboard');
    await page.choose(page.getByLabelText('To'), 'Deck (3)');
    const request = await page.answer('/api/assignments/preview', PREVIEW);
    expect(request.body).toEqual({
      courseId: '2',
      dueOn: '2027-03-22',
      dueTime: '17:00',
      personIds: [],
      departments: ['Deck'],
      sites: [],
      groups: [],
    });
    expect(page.getByRole('heading', { name: '2 people get Fire Teams Aboard' })).toBeTruthy();
    expect(page.text()).toContain('“What to bring” uses {job}, and Per Aske has none: that notice is held until it is filled in.');
    expect(page.text()).toContain('1 has it open already and keep their due date: Aud Vik (due Fri 19 Mar 17:00).');
    expect(page.text()).toContain('“Late” is switched off');
    expect(page.text()).toContain('joins Mon 8 Mar');
  });
  it('does just that at one press, says how many, and offers the way back', async () => {
    const page = await open({ group: '8', course: '2' });
    await page.answer('/api/assignments/preview', PREVIEW);
    await page.click(page.getByRole('button', { name: 'Assign to 2' }));
    expect((page.getByRole('button', { name: 'Assign to 2' }) as HTMLButtonElement).disabled).toBe(true);
    const request = await page.answer('/api/assignments', {
      actId: '7',
      words: 'Assigned Fire Teams Aboard to 2 people.',
      assigned: 2,
      already: 1,
    });
    expect(request.body.groups).toEqual(['8']);
    expect(page.text()).toContain('Assigned to 2 people; 1 had it already.');
    expect(page.queryByRole('button', { name: /^Assign to/ })).toBeNull();
    expect(page.getByRole('button', { name: 'Undo' })).toBeTruthy();
  });
  it('keeps the date that somebody chose while time goes on', async () => {
    const page = await open();
    const clock = TestBed.inject(ClockStore) as unknown as { now: { set(at: number): void } };
    const due = () => (page.getByLabelText(/^Due on/) as HTMLInputElement).value;
    expect(due()).toBe('Mon 22 Mar 2027');
    clock.now.set(Date.parse(NOW) + 86_400_000);
    await page.settle();
    expect(due()).toBe('Tue 23 Mar 2027');
    await page.type(page.getByLabelText(/^Due on/), '2027-06-01');
    clock.now.set(Date.parse(NOW) + 2 * 86_400_000);
    await page.settle();
    expect(due()).toBe('Tue 1 Jun 2027');
  });
  it('takes a pasted list; what is nobody is named and left out', async () => {
    const page = await open({ course: '2' });
    await page.click(page.getByRole('button', { name: 'paste a list' }));
    const list = page.getByLabelText('Pasted list of people') as HTMLTextAreaElement;
    list.value = 'runa@orlasund.example, ghost';
    await page.click(page.getByRole('button', { name: 'Find these people' }));
    const asked = await page.answer('/api/people/resolve', {
      found: [{ id: '4', name: 'Runa Aske' }],
      unknown: [{ text: 'ghost', why: 'nobody of this name' }],
    });
    expect(asked.body).toEqual({ text: 'runa@orlasund.example, ghost' });
    expect(page.text()).toContain('Not found, and left out: ghost (nobody of this name).');
    expect((await page.answer('/api/assignments/preview', PREVIEW)).body.personIds).toEqual(['4']);
  });
  it('a list of nobody chooses nobody', async () => {
    const page = await open({ course: '2' });
    await page.click(page.getByRole('button', { name: 'paste a list' }));
    await page.click(page.getByRole('button', { name: 'Find these people' }));
    await page.answer('/api/people/resolve', { found: [], unknown: [{ text: 'ghost', why: 'nobody of this name' }] });
    expect(page.getByRole('alert').textContent).toBe('Nobody in this list is on the roster; nothing was chosen.');
    expect(page.waiting()).toEqual([]);
  });
  it('is refused in a sentence, and nothing that was chosen is lost', async () => {
    const page = await open({ people: '4,5', course: '2' });
    await page.answer('/api/assignments/preview', PREVIEW);
    await page.click(page.getByRole('button', { name: 'Assign to 2' }));
    await page.refuse('/api/assignments', { code: 'conflict', message: 'Fire Teams Aboard has no required unit yet.' });
    expect(page.getByRole('alert').textContent).toBe('Fire Teams Aboard has no required unit yet.');
    expect((page.getByRole('button', { name: 'Assign to 2' }) as HTMLButtonElement).disabled).toBe(false);
    expect(page.getByLabelText('To').textContent).toBe('2 people chosen');
  });
});
