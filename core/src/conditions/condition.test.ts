import { describe, expect, it, test } from 'vitest';
import { aPerson, anAssignment, utc } from '../testing.ts';
import type { FurtherFacts } from './catalogue.ts';
import { holds, tellCondition, type Condition, type ConditionFacts } from './condition.ts';
import type { AssignmentEvent } from '../assignments/event.ts';
import { standingAt } from '../assignments/state.ts';

const facts: ConditionFacts = {
  person: aPerson('runa', { groups: ['Night boat'], job: 'Deckhand', joinedOn: '2026-05-01' }),
  state: 'in progress',
  unitsFinished: new Set(['u1']),
  further: {} as FurtherFacts,
};

describe('a condition', () => {
  test.each<[string, Condition, boolean, string]>([
    ['a department', { department: ['Engine', 'Deck'] }, true, 'in Engine or Deck'],
    ['another department', { department: ['Engine'] }, false, 'in Engine'],
    ['a site', { site: ['Orla Quay'] }, true, 'at Orla Quay'],
    ['a group', { group: ['Night boat'] }, true, 'in the group Night boat'],
    ['a job', { job: ['Boatswain'] }, false, 'works as Boatswain'],
    ['joined before', { joinedBefore: '2026-05-02' }, true, 'joined before 2 May 2026'],
    ['joined before is not on the day', { joinedBefore: '2026-05-01' }, false, 'joined before 1 May 2026'],
    ['joined after', { joinedAfter: '2026-04-30' }, true, 'joined after 30 Apr 2026'],
    ['a unit', { unitFinished: 'u1' }, true, 'the unit u1 is finished'],
    ['a state', { state: ['not started', 'in progress'] }, true, 'not started or in progress'],
    ['all', { all: [{ department: ['Deck'] }, { not: { unitFinished: 'u2' } }] }, true, 'in Deck and the unit u2 is not finished'],
    [
      'any, nested',
      { any: [{ job: ['Cook'] }, { all: [{ site: ['Orla Quay'] }, { state: ['overdue'] }] }] },
      false,
      'works as Cook or (at Orla Quay and overdue)',
    ],
    ['all of nothing', { all: [] }, true, 'always'],
    ['any of nothing', { any: [] }, false, 'never'],
  ])('%s', (_, condition, expected, words) => {
    expect(holds(condition, facts)).toBe(expected);
    expect(holds({ not: condition }, facts)).toBe(!expected);
    expect(tellCondition(condition)).toBe(words);
  });
  it('“finished” takes in “finished late”, and not the other way round', () => {
    expect(holds({ state: ['finished'] }, { ...facts, state: 'finished late' })).toBe(true);
    expect(holds({ state: ['finished late'] }, { ...facts, state: 'finished' })).toBe(false);
  });
  it('somebody without the attribute does not fit', () => {
    const nobody = { ...facts, person: aPerson('per', { department: null, site: null, job: null, joinedOn: null }) };
    for (const condition of [
      { department: ['Deck'] },
      { site: ['Orla Quay'] },
      { job: ['Deckhand'] },
      { joinedBefore: '2030-01-01' },
      { joinedAfter: '2000-01-01' },
    ] as Condition[])
      expect(holds(condition, nobody)).toBe(false);
  });
});

describe('how an assignment stands', () => {
  const event = (type: 'started' | 'finished' | 'waived' | 'withdrawn', at: string): AssignmentEvent => ({ type, at: utc(at) });
  test.each<[string, AssignmentEvent[], string, string]>([
    ['nothing happened', [], '2027-03-10T10:00', 'not started'],
    ['started', [event('started', '2027-03-05T10:00')], '2027-03-10T10:00', 'in progress'],
    ['an event that is not known yet', [event('started', '2027-03-11T10:00')], '2027-03-10T10:00', 'not started'],
    ['due this very moment is not late', [], '2027-03-19T16:00', 'not started'],
    ['past due', [event('started', '2027-03-05T10:00')], '2027-03-19T16:01', 'overdue'],
    ['finished in time', [event('finished', '2027-03-19T16:00')], '2027-03-20T10:00', 'finished'],
    ['finished late', [event('finished', '2027-03-19T16:01')], '2027-03-20T10:00', 'finished late'],
    ['waived stays waived', [event('waived', '2027-03-06T10:00'), event('finished', '2027-03-07T10:00')], '2027-03-20T10:00', 'waived'],
    [
      'extended is not late',
      [{ type: 'extended', at: utc('2027-03-18T10:00'), dueAt: utc('2027-04-02T15:00') }],
      '2027-03-25T10:00',
      'not started',
    ],
    ['a quiz is a beginning', [{ type: 'quiz-submitted', at: utc('2027-03-05T10:00'), passed: false }], '2027-03-10T10:00', 'in progress'],
  ])('%s', (_, events, now, state) => expect(standingAt(anAssignment({ events }), utc(now)).state).toBe(state));

  it('counts the revisions of the due date', () => {
    const extended = anAssignment({
      events: [
        { type: 'extended', at: utc('2027-03-10T10:00'), dueAt: utc('2027-03-26T16:00') },
        { type: 'extended', at: utc('2027-03-20T10:00'), dueAt: utc('2027-04-02T15:00') },
      ],
    });
    expect(
      [utc('2027-03-09T00:00'), utc('2027-03-12T00:00'), utc('2027-03-21T00:00')].map((now) => standingAt(extended, now).dueRevision),
    ).toEqual([0, 1, 2]);
  });
});
