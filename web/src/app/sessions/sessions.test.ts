import { TestBed } from '@angular/core/testing';
import type { LearningSessions, MySessions as Mine, SessionsView, SessionView } from '@nudrik/contract';
import { expect, it } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { CourseStore } from '../courses/course.store.ts';
import { MySessions } from './my-sessions.ts';
import { SessionsTab } from './sessions.tab.ts';
import { UnitSessions } from './unit-sessions.ts';

const session = (id: string, rest: Partial<SessionView> = {}): SessionView => ({ id, title: `Drill ${id}`, startsAt: `2027-03-1${id}T08:00:00Z`, endsAt: `2027-03-1${id}T10:00:00Z`, zone: 'Europe/Oslo', place: 'North quay', link: null, seats: 2, taken: 1, waiting: 0, trainer: null, isHeld: false, cancelled: null, ...rest }); // prettier-ignore
const draft = { title: 'Drill 1', on: '2027-03-11', starts: '09:00', endsOn: '2027-03-11', ends: '11:00', site: '1', place: 'North quay', link: null, seats: 2, trainerId: null }; // prettier-ignore

it('the office sees who has a seat, who waits and who has none; a move shows first who hears what', async () => {
  const view: SessionsView = {
    course: { id: '7', title: 'Fire Teams' },
    unit: { id: '9', title: 'The drill' },
    rules: { employees: true, managers: true, rule: false, closes: 12 },
    now: '2027-03-01T09:30:00Z',
    sessions: [{ ...session('1'), draft, people: [{ assignmentId: '3', person: { id: '1', name: 'Runa Aske' }, department: 'Deck', site: 'Orla Quay', state: 'seat', since: '2027-03-01T08:00:00Z', byWhom: 'Runa', clash: 'is on leave Thu 11 Mar to Fri 12 Mar', outcome: null }] }],
    unseated: [{ assignmentId: '4', person: { id: '2', name: 'Per Aske' }, department: 'Deck', site: 'Orla Quay', dueAt: '2027-03-19T16:00:00Z' }],
    unseatedCount: 1,
  }; // prettier-ignore
  const page = await openPage(SessionsTab, { inputs: { unit: '9' }, providers: [CourseStore] });
  TestBed.inject(CourseStore).id.set('7');
  await page.settle();
  await page.answer('/api/courses/7/sessions/9', view);
  expect(page.getByRole('region', { name: 'Drill 1' }).textContent).toContain('is on leave Thu 11 Mar');
  await page.choose(page.getByLabelText('Give Per Aske a seat'), 'Drill 1, Thu 11 Mar 09:00, 1 free');
  await page.refuse('/api/sessions/1/seats', { code: 'clash', message: 'Per Aske is on leave. Nothing was changed.' }, 409);
  await page.click(page.getByRole('button', { name: 'Seat them anyway' }));
  expect((await page.answer('/api/sessions/1/seats', { state: 'seat', words: 'Per Aske has a seat.' })).body).toEqual({ assignmentId: '4', anyway: true }); // prettier-ignore
  await page.answer('/api/courses/7/sessions/9', view);
  expect(page.getByRole('status').textContent).toBe('Per Aske has a seat.');
  await page.click(page.getByRole('button', { name: 'Cancel Drill 1' }));
  await page.answer('/api/sessions/1/cancel/preview', { people: [{ person: 'Runa Aske', clash: null, messages: [{ step: 'No seat', to: 'Runa Aske', words: 'Mon 1 Mar 10:30', goes: true }] }], falls: 1 }); // prettier-ignore
  expect(page.getByRole('region', { name: 'Who hears what' }).textContent).toContain('“No seat” to Runa Aske, Mon 1 Mar 10:30');
  await page.click(page.getByRole('button', { name: 'Cancel the session' }));
  await page.answer('/api/sessions/1/cancel', { words: 'Cancelled.' });
  await page.answer('/api/courses/7/sessions/9', { ...view, sessions: [] });
  expect(page.text()).toContain('No session yet');
});

it('an employee chooses a date, waits where it is full, and gives it up', async () => {
  const row = (id: string, rest: Partial<LearningSessions['sessions'][number]>): LearningSessions['sessions'][number] => ({ ...session(id), mine: null, isClosed: false, clash: null, ...rest }); // prettier-ignore
  const view: LearningSessions = {
    mayChoose: true,
    closes: 12,
    sessions: [row('1', {}), row('2', { taken: 2 }), row('3', { isClosed: true })],
  };
  const page = await openPage(UnitSessions, { inputs: { token: 'abc', unit: '9' } });
  await page.answer('/api/learning/abc/units/9/sessions', view);
  expect(page.getByRole('button', { name: 'Choose Drill 2' }).textContent).toBe('Wait for a seat');
  expect(page.queryByRole('button', { name: 'Choose Drill 3' })).toBe(null);
  await page.click(page.getByRole('button', { name: 'Choose Drill 1' }));
  expect((await page.answer('/api/learning/abc/units/9/seat', { state: 'seat', words: 'You have a seat.' })).body).toEqual({ session: '1', anyway: false }); // prettier-ignore
  await page.answer('/api/learning/abc/units/9/sessions', { ...view, sessions: [row('1', { mine: 'seat' }), row('2', {})] });
  expect(page.getByRole('button', { name: 'Choose Drill 2' }).textContent).toBe('Choose this one instead');
  await page.click(page.getByRole('button', { name: 'Give up Drill 1' }));
  await page.answer('/api/learning/abc/units/9/seat/give-up', { state: 'given-up', words: 'Given up.' });
});

it('a manager sees who of theirs has no seat, and gives them one', async () => {
  const mine: Mine[] = [{ course: { id: '7', title: 'Fire Teams' }, unit: { id: '9', title: 'The drill' }, closes: 12, sessions: [session('1'), session('2', { taken: 2 })], people: [{ assignmentId: '4', person: { id: '2', name: 'Per Aske' }, session: null, state: null }, { assignmentId: '3', person: { id: '1', name: 'Runa Aske' }, session: '2', state: 'waiting' }] }]; // prettier-ignore
  const page = await openPage(MySessions, { role: 'manager' });
  await page.answer('/api/my-sessions', mine);
  expect(page.text()).toMatch(/Runa Aske ?Drill 2, Fri 12 Mar 09:00 waits for a seat/);
  await page.choose(page.getByLabelText('Session of Runa Aske'), 'No seat any more');
  await page.answer('/api/sessions/2/seats/3/give-up', { state: 'given-up', words: 'Given up.' });
  await page.answer('/api/my-sessions', mine);
  await page.choose(page.getByLabelText('Session of Per Aske'), 'Drill 2, Fri 12 Mar 09:00, full: they wait');
  await page.answer('/api/sessions/2/seats', { state: 'waiting', words: 'Per Aske waits.' });
  await page.answer('/api/my-sessions', mine);
  expect(page.getByRole('status').textContent).toBe('Per Aske waits.');
});
