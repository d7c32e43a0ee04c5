import { describe, expect, it } from 'vitest';
import type { TeamDay, TeamView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { MyTeamPage } from './my-team.page.ts';

const row = (assignmentId: string, name: string, rest: Partial<TeamView['rows'][number]> = {}): TeamView['rows'][number] => ({
  assignmentId, person: { id: assignmentId, name, job: 'Deckhand' }, reportsTo: null, course: { id: '2', title: 'Fire Teams Aboard' }, state: 'not started', dueAt: '2027-03-19T17:00:00Z', daysLate: 0,
  unitsDone: 0, unitsRequired: 5, last: null, takenUp: null, asked: null, ...rest,
}); // prettier-ignore
const team = (rows: TeamView['rows']): TeamView => ({
  manager: { id: '9', name: 'Duncan Farquhar', zone: 'Europe/London' },
  rows,
  people: 14,
  expiring: [],
  matrix: { courses: [], people: [] },
  mayExtendDays: null,
  counts: {
    open: rows.length,
    late: rows.filter(({ state }) => state === 'overdue').length,
    latePeople: new Set(rows.filter(({ state }) => state === 'overdue').map(({ person }) => person.id)).size,
  },
});
const open = async (rows: TeamView['rows']) => {
  const page = await openPage(MyTeamPage, { role: 'manager' });
  await page.answer('/api/team', team(rows));
  return page;
};

describe('a manager’s team', () => {
  it('shows who is late first, in the manager’s own time, with what was last sent', async () => {
    const page = await open([
      row('1', 'Runa Aske'),
      row('2', 'Per Moe', { state: 'overdue', daysLate: 5, dueAt: '2027-02-24T17:00:00Z', reportsTo: 'Odd Nes', last: { what: 'Late', at: '2027-02-25T09:00:00Z', outcome: 'delivered' } }),
      row('3', 'Per Moe', { person: { id: '2', name: 'Per Moe', job: 'Deckhand' }, state: 'overdue', daysLate: 1, dueAt: '2027-02-28T17:00:00Z' }),
    ]); // prettier-ignore
    expect(page.text()).toContain('14 people down the line of Duncan Farquhar. 1 person late, with 2 assignments.');
    expect(page.text()).toContain(
      'Per Moe Deckhand, reports to Odd Nes Fire Teams Aboard Wed 24 Feb 17:00 5 0 of 5 Late, Thu 25 Feb delivered',
    );
    expect(page.text().indexOf('Per Moe')).toBeLessThan(page.text().indexOf('Runa Aske'));
    expect(page.text()).toContain('none yet');
  });
  it('shows how the line stood at the end of a day that has passed, by the other reading too', async () => {
    const page = await openPage(MyTeamPage, { role: 'manager', inputs: { on: '2027-02-01' } });
    await page.answer('/api/team', team([row('1', 'Runa Aske')]));
    const matrix = { courses: [{ id: '2', title: 'Fire Teams Aboard' }], people: [{ id: '1', name: 'Runa Aske', cells: [{ course: '2', state: 'late' as const, on: '2027-01-31' }] }] }; // prettier-ignore
    const day: TeamDay = { manager: team([]).manager, people: 14, matrix, asOf: { on: '2027-02-01', known: 'then', differs: { count: 1, first: [{ person: { id: '1', name: 'Runa Aske' }, course: { id: '2', title: 'Fire Teams Aboard' }, then: 'late', now: 'holds it' }] } } }; // prettier-ignore
    await page.answer('/api/team/day?on=2027-02-01', day);
    expect(page.text()).toContain('At the end of Mon 1 Feb 2027');
    expect(page.text()).toContain('1 entry went on the record later');
    // a manager has no page of people to be led to
    expect(page.root.querySelector('nk-as-of a')).toBeNull();
    await page.set({ known: 'now' });
    await page.answer('/api/team/day?on=2027-02-01&known=now', { ...day, matrix: { courses: [], people: [] } });
    expect(page.text()).toContain('Nobody of your line was asked for anything on that day.');
  });
  it('says when nobody is late, and when nothing is open', async () => {
    const page = await open([]);
    expect(page.text()).toContain('Nobody is late.');
    expect(page.text()).toContain('Nobody of yours is late.');
    expect(page.text()).toContain('Nobody of yours has anything open.');
  });
  it('extends one, with a reason, and says so', async () => {
    const page = await open([row('1', 'Runa Aske')]);
    await page.click(page.getByRole('button', { name: 'Act on Fire Teams Aboard of Runa Aske' }));
    await page.type(page.getByLabelText('Reason'), 'at sea');
    await page.click(page.getByRole('button', { name: 'Extend' }));
    expect((await page.answer('/api/assignments/extend', { actId: '7', words: 'Extended Fire Teams Aboard of Runa Aske.', undoUntil: null, settlesAt: null })).body).toMatchObject({ assignmentIds: ['1'], reason: 'at sea', dueOn: '2027-03-26' }); // prettier-ignore
    await page.answer('/api/team', team([row('1', 'Runa Aske', { dueAt: '2027-03-26T17:00:00Z' })]));
    expect(page.getByRole('status').textContent.trim()).toBe('Extended Fire Teams Aboard of Runa Aske.');
    expect(page.text()).toContain('Fri 26 Mar 17:00');
    expect(page.queryByLabelText('Reason')).toBeNull();
  });
  it('acts on many at once: what is taken up says until when, and whether it is told further up', async () => {
    const page = await open([row('1', 'Runa Aske'), row('2', 'Per Moe', { takenUp: { by: 'Odd Nes', until: '2027-03-05' }, asked: { at: '2027-03-01T08:00:00Z', byWhom: 'Odd Nes', reason: 'On loan', answer: null } })]); // prettier-ignore
    expect(page.text()).toContain('taken up by Odd Nes, done by Fri 5 Mar');
    expect(page.text()).toContain('waiver asked by Odd Nes');
    await page.click(page.getByLabelText('Choose all of In progress'));
    expect(page.text()).toContain('On 2 assignments');
    await page.click(page.getByLabelText('tell whoever is above me'));
    await page.click(page.getByRole('button', { name: 'Take it up' }));
    expect((await page.answer('/api/assignments/take-up', { actId: '8', words: 'Taken up.', undoUntil: '2027-03-01T09:40:00Z', settlesAt: null })).body).toMatchObject({ assignmentIds: ['1', '2'], until: '2027-03-08', tellAbove: true }); // prettier-ignore
    await page.answer('/api/team', team([row('1', 'Runa Aske')]));
    expect(page.getByRole('status').textContent).toContain('Taken up.');
    await page.click(page.getByRole('button', { name: 'Act on Fire Teams Aboard of Runa Aske' }));
    await page.type(page.getByLabelText('Reason'), 'On loan');
    await page.click(page.getByRole('button', { name: 'Ask for a waiver' }));
    expect((await page.answer('/api/assignments/ask-waiver', { actId: null, words: 'Asked.', undoUntil: null, settlesAt: null })).body).toMatchObject({ assignmentIds: ['1'], reason: 'On loan' }); // prettier-ignore
  });
  it('shows people by courses, each with a mark that is told', async () => {
    const page = await openPage(MyTeamPage, { role: 'manager' });
    await page.answer('/api/team', {
      ...team([]),
      matrix: {
        courses: [{ id: '2', title: 'Fire Teams Aboard' }, { id: '3', title: 'Safe Lifting' }],
        people: [{ id: '1', name: 'Runa Aske', cells: [{ course: '3', state: 'late', on: '2027-02-24' }] }],
      },
    }); // prettier-ignore
    expect(page.getByRole('row', { name: /Runa Aske.*late, was due 24 Feb 2027/ })).toBeTruthy();
  });
  it('opened by a personal link is read, and says how to have a date moved', async () => {
    const page = await openPage(MyTeamPage, { inputs: { token: 'k'.repeat(32) }, role: 'employee' });
    await page.answer(`/api/team/${'k'.repeat(32)}`, team([row('2', 'Per Moe', { state: 'overdue', daysLate: 5 })]));
    expect(page.text()).toContain('To have a due date moved, reply to that message.');
    expect(page.queryByRole('button', { name: /Extend/ })).toBeNull();
  });
});
