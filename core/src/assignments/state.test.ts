import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { slotsOf } from '../notices/slot.ts';
import { anAssignment, aPerson, aRoster, aStep, utc } from '../testing.ts';
import type { AssignmentEvent } from './event.ts';
import { assignedRevisions, dueRevisions, intervalsOf, standingAt } from './state.ts';

const LATER = utc('2027-12-01T00:00');
const at = (iso: string) => utc(`2027-${iso}`);
// each event of these lists has its place in it as its id, from 1
const extended = (on: string, to: string): AssignmentEvent => ({ type: 'extended', at: at(on), dueAt: at(to) });
const undone = (on: string, which: number): AssignmentEvent => ({ type: 'undone', at: at(on), event: String(which) });
const reopened = (on: string, to: string): AssignmentEvent => ({ type: 'reopened', at: at(on), dueAt: at(to) });
const closed = (type: 'waived' | 'withdrawn' | 'finished', on: string): AssignmentEvent => ({ type, at: at(on) });
const withIds = (events: AssignmentEvent[]): AssignmentEvent[] => events.map((event, i) => ({ ...event, id: String(i + 1) }));
const told = (events: AssignmentEvent[], now = LATER): string => {
  const { state, dueAt, dueRevision } = standingAt(anAssignment({ events: withIds(events) }), now);
  return `${state}, due ${new Date(dueAt).toISOString().slice(5, 16)}, revision ${dueRevision}`;
};
// the first due date is 03-19T16:00

describe('how an assignment stands', () => {
  test.each<[string, AssignmentEvent[], string]>([
    ['an extension is a new revision', [extended('03-10T09:00', '04-02T15:00')], 'overdue, due 04-02T15:00, revision 1'],
    [
      'taken back, the first due date stands as the first revision',
      [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05', 1)],
      'overdue, due 03-19T16:00, revision 0',
    ],
    [
      'the next extension is not mistaken for the one taken back',
      [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05', 1), extended('03-11T09:00', '04-09T15:00')],
      'overdue, due 04-09T15:00, revision 2',
    ],
    [
      'the second of two is taken back',
      [extended('03-10T09:00', '04-02T15:00'), extended('03-11T09:00', '04-09T15:00'), undone('03-11T09:05', 2)],
      'overdue, due 04-02T15:00, revision 1',
    ],
    [
      'the first of two is taken back',
      [extended('03-10T09:00', '04-02T15:00'), extended('03-11T09:00', '04-09T15:00'), undone('03-11T09:05', 1)],
      'overdue, due 04-09T15:00, revision 2',
    ],
    [
      'both are taken back',
      [extended('03-10T09:00', '04-02T15:00'), extended('03-11T09:00', '04-09T15:00'), undone('03-11T09:05', 2), undone('03-11T09:06', 1)],
      'overdue, due 03-19T16:00, revision 0',
    ],
    [
      'both are taken back, the first one first',
      [extended('03-10T09:00', '04-02T15:00'), extended('03-11T09:00', '04-09T15:00'), undone('03-11T09:05', 1), undone('03-11T09:06', 2)],
      'overdue, due 03-19T16:00, revision 0',
    ],
    [
      'taking back is taken back',
      [extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05', 1), undone('03-10T09:06', 2)],
      'overdue, due 04-02T15:00, revision 1',
    ],
    ['nothing to take back', [undone('03-10T09:05', 7)], 'overdue, due 03-19T16:00, revision 0'],
    ['a closing that was undone', [closed('waived', '03-10T09:00'), undone('03-10T09:05', 1)], 'overdue, due 03-19T16:00, revision 0'],
    [
      'a unit that was undone is no beginning',
      [{ type: 'unit-finished', at: at('03-10T09:00'), unit: 'u1' }, undone('03-10T09:05', 1), extended('03-11T09:00', '12-24T15:00')],
      'not started, due 12-24T15:00, revision 1',
    ],
    [
      'the assignment itself is taken back',
      [{ type: 'assigned', at: at('03-01T09:30'), dueAt: at('03-19T16:00') }, undone('03-01T09:35', 1)],
      'withdrawn, due 03-19T16:00, revision 0',
    ],
    [
      'recorded as finished on the due date',
      [{ type: 'finished', at: at('03-25T09:00'), on: '2027-03-19', onAt: at('03-18T23:00') }],
      'finished, due 03-19T16:00, revision 0',
    ],
    [
      'recorded as finished the day after',
      [{ type: 'finished', at: at('03-25T09:00'), on: '2027-03-20', onAt: at('03-19T23:00') }],
      'finished late, due 03-19T16:00, revision 0',
    ],
    ['begun anew with a due date', [closed('withdrawn', '03-10T09:00'), reopened('11-01T09:00', '12-24T16:00')], 'not started, due 12-24T16:00, revision 1'], // prettier-ignore
    ['finished after it began anew', [closed('withdrawn', '03-10T09:00'), reopened('11-01T09:00', '12-24T16:00'), closed('finished', '11-20T09:00')], 'finished, due 12-24T16:00, revision 1'], // prettier-ignore
    ['of two closings the first counts', [closed('waived', '03-10T09:00'), closed('withdrawn', '03-11T09:00')], 'waived, due 03-19T16:00, revision 0'], // prettier-ignore
  ])('%s', (_, events, expected) => expect(told(events)).toBe(expected));
  it('what is not known yet does not count', () =>
    expect(told([extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05', 1)], at('03-10T09:02'))).toContain(
      '04-02T15:00, revision 1',
    ));
});

describe('the revisions of an anchor', () => {
  it('one that was replaced says when, one that came back stands', () => {
    const events = withIds([extended('03-10T09:00', '04-02T15:00'), undone('03-10T09:05', 1)]);
    expect(dueRevisions(anAssignment({ events }), LATER).map(({ revision, replacedAt, gaps }) => [revision, replacedAt, gaps])).toEqual([
      [0, null, [{ from: at('03-10T09:00'), to: at('03-10T09:05') }]],
      [1, at('03-10T09:05'), []],
    ]);
  });
  it('a new beginning is a new assignment for what hangs on it, an undone closing is not', () => {
    const events = withIds([closed('withdrawn', '03-10T09:00'), undone('03-10T09:05', 1), closed('withdrawn', '03-11T09:00'), reopened('11-01T09:00', '12-24T16:00')]); // prettier-ignore
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
    expect(slots({}, withIds([closed('withdrawn', '03-02T09:00'), undone('03-02T09:05', 1)]))).toEqual(slots({}, [])));
  it('what fell into a closing that was undone goes when it is undone', () =>
    expect(slots({}, withIds([closed('withdrawn', '03-17T15:58'), undone('03-17T16:05', 1)]))).toEqual([[0, '03-17T16:05', null, false]])); // prettier-ignore
  it('… unless that took longer than the tolerance', () =>
    expect(slots({}, withIds([closed('withdrawn', '03-17T15:58'), undone('03-19T09:00', 1)]))).toEqual([[0, '03-17T16:00', 'moment-passed', false]])); // prettier-ignore
});

describe('what an act by hand would send waits until it has settled', () => {
  const roster = aRoster([aPerson('runa'), aPerson('tora')], { settle: 10 * 60_000 });
  const first = (step: Parameters<typeof aStep>[0], rest: Parameters<typeof anAssignment>[0]) =>
    slotsOf(aStep(step), anAssignment(rest), roster, 0, LATER).map((slot) => new Date(slot.at).toISOString().slice(5, 16));
  const invitation = { kind: 'invitation', anchor: { event: 'assigned' }, offset: { amount: 0, unit: 'days' } } as const;
  test.each<[string, Parameters<typeof aStep>[0], Parameters<typeof anAssignment>[0], string[]]>([
    ['an invitation of an assignment by hand', invitation, { isByHand: true }, ['03-01T09:40']],
    ['not one by a requirement', invitation, {}, ['03-01T09:30']],
    ['into the next morning where it would pass the window', { ...invitation, window: 'later' }, { isByHand: true, assignedAt: at('03-01T16:55') }, ['03-02T07:00']],
    ['a reminder that an extension by hand brings', {}, { events: [{ type: 'extended', at: at('03-18T09:00'), dueAt: at('03-20T09:02'), byHand: true }] }, ['03-17T16:00', '03-18T09:10']],
    ['what comes later anyway is not moved', {}, { isByHand: true }, ['03-17T16:00']],
  ])('%s', (_, step, rest, expected) => expect(first(step, rest)).toEqual(expected));
}); // prettier-ignore

describe('an assignment as intervals', () => {
  const tell = (events: AssignmentEvent[], reading: 'then' | 'now'): string[] =>
    intervalsOf(anAssignment({ events: withIds(events) }), reading, LATER).map(
      ({ from, to, dueAt, closedBy }) =>
        `${new Date(from).toISOString().slice(5, 16)}–${to === null ? '' : new Date(to).toISOString().slice(5, 16)} ${closedBy ?? new Date(dueAt).toISOString().slice(5, 10)}`,
    );
  const waivedAndBack = [closed('waived', '03-05T09:00'), undone('03-05T09:05', 1)];
  const recorded: AssignmentEvent[] = [{ type: 'finished', at: at('03-25T09:00'), on: '2027-03-10', onAt: at('03-09T23:00') }];
  test.each<[string, AssignmentEvent[], string[], string[]]>([
    ['nothing happened', [], ['03-01T09:30– 03-19'], ['03-01T09:30– 03-19']],
    ['extended', [extended('03-10T09:00', '04-02T15:00')], ['03-01T09:30–03-10T09:00 03-19', '03-10T09:00– 04-02'], ['03-01T09:30–03-10T09:00 03-19', '03-10T09:00– 04-02']],
    ['waived by mistake', waivedAndBack, ['03-01T09:30–03-05T09:00 03-19', '03-05T09:00–03-05T09:05 waived', '03-05T09:05– 03-19'], ['03-01T09:30– 03-19']],
    ['recorded later', recorded, ['03-01T09:30–03-25T09:00 03-19', '03-25T09:00– finished'], ['03-01T09:30–03-09T23:00 03-19', '03-09T23:00– finished']],
    ['recorded for a day before it was assigned', [{ ...recorded[0]!, on: '2027-01-12', onAt: utc('2027-01-11T23:00') } as AssignmentEvent], ['03-01T09:30–03-25T09:00 03-19', '03-25T09:00– finished'], ['03-01T09:30– finished']],
    ['withdrawn and begun anew', [closed('withdrawn', '03-05T09:00'), reopened('11-01T09:00', '11-24T15:00')], ['03-01T09:30–03-05T09:00 03-19', '03-05T09:00–11-01T09:00 withdrawn', '11-01T09:00– 11-24'], ['03-01T09:30–03-05T09:00 03-19', '03-05T09:00–11-01T09:00 withdrawn', '11-01T09:00– 11-24']],
  ])('%s', (_, events, then, now) => expect([tell(events, 'then'), tell(events, 'now')]).toEqual([then, now]));
}); // prettier-ignore

describe('random histories', () => {
  type Act = { what: 'extend' | 'waive' | 'withdraw' | 'finish' | 'record' | 'unit' | 'reopen'; days: number; undoAfter: number | null };
  const acts = fc.array(
    fc.record<Act>({
      what: fc.constantFrom('extend', 'waive', 'withdraw', 'finish', 'record', 'unit', 'reopen'),
      days: fc.integer({ min: 1, max: 60 }),
      undoAfter: fc.option(fc.integer({ min: 0, max: 3 })),
    }),
    { maxLength: 8 },
  );
  /** Each act a day after the one before, as a house allows it; taken back after so many later acts. */
  function play(list: Act[]): { all: AssignmentEvent[]; kept: AssignmentEvent[] } {
    const all: AssignmentEvent[] = [];
    const undoneIds = new Set<string>();
    const due: { id: string; after: number }[] = [];
    list.forEach((act, i) => {
      const when = at('03-02T09:00') + i * 86_400_000;
      const id = `e${i}`;
      const made: AssignmentEvent = {
        extend: { type: 'extended', dueAt: at('03-19T16:00') + act.days * 86_400_000 },
        waive: { type: 'waived' },
        withdraw: { type: 'withdrawn', because: 'by-hand' },
        finish: { type: 'finished' },
        record: { type: 'finished', on: '2027-02-10', onAt: utc('2027-02-09T23:00') },
        unit: { type: 'unit-finished', unit: `u${act.days % 3}` },
        reopen: { type: 'reopened', dueAt: at('03-19T16:00') + act.days * 86_400_000 },
      }[act.what] as AssignmentEvent;
      all.push({ ...made, id, at: when });
      if (act.undoAfter !== null) due.push({ id, after: i + act.undoAfter });
      for (const { id: which, after } of due) {
        if (after !== i || undoneIds.has(which)) continue;
        undoneIds.add(which);
        all.push({ type: 'undone', id: `back-${which}`, at: when + 60_000, event: which });
      }
    });
    const kept = all.filter((event) => event.type !== 'undone' && !undoneIds.has(event.id!));
    return { all, kept };
  }
  it('stand as if what was taken back had never been', () =>
    void fc.assert(
      fc.property(acts, (list) => {
        const { all, kept } = play(list);
        const { dueRevision: _, closing: __, ...withUndone } = standingAt(anAssignment({ events: all }), LATER);
        const { dueRevision: ___, closing: ____, ...without } = standingAt(anAssignment({ events: kept }), LATER);
        expect(withUndone).toEqual(without);
        expect(intervalsOf(anAssignment({ events: all }), 'now', LATER)).toEqual(intervalsOf(anAssignment({ events: kept }), 'now', LATER));
      }),
      { numRuns: 500 },
    ));
  it('are the same read as intervals and asked for any moment', () =>
    void fc.assert(
      fc.property(acts, fc.integer({ min: 0, max: 20 * 24 }), (list, hours) => {
        const assignment = anAssignment({ events: play(list).all });
        const moment = at('03-02T00:00') + hours * 3_600_000;
        const interval = intervalsOf(assignment, 'then', LATER).find(({ from, to }) => from <= moment && (to === null || moment < to))!;
        const { dueAt, closedBy } = standingAt(assignment, moment);
        expect([interval.dueAt, interval.closedBy]).toEqual([dueAt, closedBy]);
      }),
      { numRuns: 500 },
    ));
  it('give no number of a due date twice, and one of them stands', () =>
    void fc.assert(
      fc.property(acts, (list) => {
        const revisions = dueRevisions(anAssignment({ events: play(list).all }), LATER);
        expect(revisions.map(({ revision }) => revision)).toEqual(revisions.map((_, i) => i));
        expect(revisions.filter(({ replacedAt }) => replacedAt === null)).toHaveLength(1);
      }),
    ));
});
