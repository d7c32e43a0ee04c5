import { describe, expect, it, test } from 'vitest';
import { slotsOf } from '../notices/slot.ts';
import { anAssignment, aPerson, aRoster, aStep, utc } from '../testing.ts';
import { assignedRevisions, dueRevisions, standingAt, type AssignmentEvent } from './state.ts';

const LATER = utc('2027-12-01T00:00');
const at = (iso: string) => utc(`2027-${iso}`);
const extended = (on: string, to: string): AssignmentEvent => ({ type: 'extended', at: at(on), dueAt: at(to) });
const undone = (on: string): AssignmentEvent => ({ type: 'extension-undone', at: at(on) });
const reopened = (on: string, to: string | null): AssignmentEvent => ({ type: 'reopened', at: at(on), dueAt: to === null ? null : at(to) });
const closed = (type: 'waived' | 'withdrawn' | 'finished', on: string): AssignmentEvent => ({ type, at: at(on) });
const told = (events: AssignmentEvent[], now = LATER): string => {
  const { state, dueAt, dueRevision } = standingAt(anAssignment({ events }), now);
  return `${state}, due ${new Date(dueAt).toISOString().slice(5, 16)}, revision ${dueRevision}`;
};
// the first due date is 03-19T16:00

describe('how an assignment stands', () => {
  test.each<[string, AssignmentEvent[], string]>([
    ['an extension is a new revision', [extended('03-10T09:00', '04-02T15:00')], 'overdue, due 04-02T15:00, revision 1'],
    ['taken back, the first due date stands as the first revision', [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05')], 'overdue, due 03-19T16:00, revision 0'], // prettier-ignore
    ['the next extension is not mistaken for the one taken back', [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05'), extended('03-11T09:00', '04-09T15:00')], 'overdue, due 04-09T15:00, revision 2'], // prettier-ignore
    ['the second of two is taken back', [extended('03-10T09:00', '04-02T15:00'), extended('03-11T09:00', '04-09T15:00'), undone('03-11T09:05')], 'overdue, due 04-02T15:00, revision 1'], // prettier-ignore
    ['nothing to take back', [undone('03-10T09:05')], 'overdue, due 03-19T16:00, revision 0'],
    ['a closing that was undone', [closed('waived', '03-10T09:00'), reopened('03-10T09:05', null)], 'overdue, due 03-19T16:00, revision 0'],
    ['begun anew with a due date', [closed('withdrawn', '03-10T09:00'), reopened('11-01T09:00', '12-24T16:00')], 'not started, due 12-24T16:00, revision 1'], // prettier-ignore
    ['finished after it began anew', [closed('withdrawn', '03-10T09:00'), reopened('11-01T09:00', '12-24T16:00'), closed('finished', '11-20T09:00')], 'finished, due 12-24T16:00, revision 1'], // prettier-ignore
    ['of two closings the first counts', [closed('waived', '03-10T09:00'), closed('withdrawn', '03-11T09:00')], 'waived, due 03-19T16:00, revision 0'], // prettier-ignore
  ])('%s', (_, events, expected) => expect(told(events)).toBe(expected));
  it('what is not known yet does not count', () =>
    expect(told([extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05')], at('03-10T09:02'))).toContain('04-02T15:00, revision 1'));
});

describe('the revisions of an anchor', () => {
  it('one that was replaced says when, one that came back stands', () => {
    const list = dueRevisions(anAssignment({ events: [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05')] }), LATER);
    expect(list.map(({ revision, replacedAt }) => [revision, replacedAt])).toEqual([[0, null], [1, at('03-10T09:05')]]); // prettier-ignore
  });
  it('a new beginning is a new assignment for what hangs on it, an undone closing is not', () => {
    const events = [closed('withdrawn', '03-10T09:00'), reopened('03-10T09:05', null), closed('withdrawn', '03-11T09:00'), reopened('11-01T09:00', '12-24T16:00')]; // prettier-ignore
    expect(assignedRevisions(anAssignment({ events }), LATER).map((revision) => revision.at)).toEqual([
      at('03-01T09:30'),
      at('11-01T09:00'),
    ]);
  });
});

describe('notices of an assignment that began anew', () => {
  const roster = aRoster([aPerson('runa'), aPerson('tora')]);
  const slots = (step: Parameters<typeof aStep>[0], events: AssignmentEvent[]) =>
    slotsOf(aStep(step), anAssignment({ events }), roster, 0, LATER).map((slot) => [slot.revision, new Date(slot.at).toISOString().slice(5, 16), slot.missed, slot.replacedAt !== null]); // prettier-ignore
  const anew = [closed('withdrawn', '03-02T09:00'), reopened('11-01T09:00', '11-24T16:00')];
  it('the invitation comes again, and what came before it is not caught up with', () => {
    expect(slots({ kind: 'invitation', anchor: { event: 'assigned' }, offset: { amount: 0, unit: 'days' } }, anew)[1]).toEqual([1, '11-01T09:00', null, false]); // prettier-ignore
    expect(slots({ anchor: { event: 'date', date: '2027-03-15' }, offset: { amount: 0, unit: 'days' } }, anew)).toEqual([[0, '03-14T23:00', 'moment-passed', false]]); // prettier-ignore
  });
  it('reminders hang on the new due date', () =>
    expect(slots({}, anew)).toEqual([[0, '03-17T16:00', 'moment-passed', true], [1, '11-22T16:00', null, false]])); // prettier-ignore
  it('a closing that was undone moves nothing', () =>
    expect(slots({}, [closed('withdrawn', '03-02T09:00'), reopened('03-02T09:05', null)])).toEqual(slots({}, [])));
});
