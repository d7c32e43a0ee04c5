import { describe, expect, it, test } from 'vitest';
import type { AssignmentEvent } from '../assignments/event.ts';
import { standingAt, type Assignment } from '../assignments/state.ts';
import { decide } from '../notices/decide.ts';
import { slotsOf } from '../notices/slot.ts';
import type { Person, Roster } from '../people/person.ts';
import { aPerson, aRoster, aStep, anAssignment, utc } from '../testing.ts';
import { type CONDITIONS, conditionsFor, type Leaf } from './catalogue.ts';
import { holds, tellCondition, type Condition } from './condition.ts';
import { Further, NO_NOTICES, type NoticesOf } from './further.ts';

const at = (iso: string) => utc(`2027-${iso}`);
const NOW = at('03-10T12:00');
const submitted = (unit: string, on: string, score: number, passed: boolean): AssignmentEvent => ({ type: 'quiz-submitted', unit, at: at(on), score, passed }); // prettier-ignore
const done = (unit: string, on: string): AssignmentEvent => ({ type: 'unit-finished', unit, at: at(on) });

interface Around {
  events?: AssignmentEvent[];
  assignment?: Partial<Assignment>;
  people?: Person[];
  noticesOf?: NoticesOf;
  now?: number;
  roster?: Roster;
}
const PEOPLE = [aPerson('runa', { manager: 'odd' }), aPerson('odd'), aPerson('tora')];

function asked(
  condition: Condition,
  { events = [], assignment = {}, people = PEOPLE, noticesOf = NO_NOTICES, now = NOW, roster = aRoster(people) }: Around,
): boolean {
  // prettier-ignore
  const made = anAssignment({ events: events.map((event, i) => ({ ...event, id: String(i + 1) })), ...assignment });
  const person = roster.getPerson('runa');
  const standing = standingAt(made, now);
  const further = new Further(made, standing, person, roster.calendarOf(person), roster, now, noticesOf);
  return holds(condition, { person, state: standing.state, unitsFinished: standing.unitsFinished, further }, roster.structure);
}

// [condition, where it holds, where it does not, its words, and those of its opposite]
const CASES: Partial<Record<keyof typeof CONDITIONS, [Condition, Around, Around, string, string]>> = {
  progressAtLeast: [{ progressAtLeast: 50 }, { events: [done('u1', '03-02T09:00')] }, {}, 'at least 50 % is done', 'less than 50 % is done'],
  unitFinished: [{ unitFinished: 'u1' }, { events: [done('u1', '03-02T09:00')] }, { events: [done('u2', '03-02T09:00')] }, 'the unit u1 is finished', 'the unit u1 is not finished'],
  unitOpened: [{ unitOpened: 'u2' }, { events: [{ type: 'unit-opened', unit: 'u2', at: at('03-09T08:00') }] }, { events: [{ type: 'unit-opened', unit: 'u2', at: at('03-11T08:00') }] }, 'the unit u2 is open', 'the unit u2 is not open yet'],
  quizPassed: [{ quizPassed: 'q' }, { events: [submitted('q', '03-02T09:00', 40, false), submitted('q', '03-03T09:00', 90, true)] }, { events: [submitted('other', '03-03T09:00', 90, true)] }, 'the quiz q is passed', 'the quiz q is not passed'],
  quizScore: [{ quizScore: { unit: 'q', atLeast: 60 } }, { events: [submitted('q', '03-02T09:00', 60, false), submitted('q', '03-03T09:00', 10, false)] }, { events: [submitted('q', '03-02T09:00', 59, false)] }, 'the best score in the quiz q is at least 60 %', 'no score in the quiz q is 60 % or more'],
  quizAttempts: [{ quizAttempts: { unit: 'q', atLeast: 2 } }, { events: [submitted('q', '03-02T09:00', 0, false), submitted('q', '03-03T09:00', 0, false)] }, { events: [submitted('q', '03-02T09:00', 0, false), { type: 'quiz-marked', unit: 'q', at: at('03-03T09:00'), score: 1, passed: false }] }, 'the quiz q was tried at least 2 times', 'the quiz q was tried fewer than 2 times'],
  signedOff: [{ signedOff: ['not-met', 'absent'] }, { events: [{ type: 'signed-off', at: at('03-02T09:00'), met: true }, { type: 'signed-off', at: at('03-03T09:00'), attended: false }] }, { events: [{ type: 'signed-off', at: at('03-02T09:00'), met: false }, { type: 'signed-off', at: at('03-03T09:00'), met: true }] }, 'the last sign-off came to not met or absent', 'the last sign-off did not come to not met or absent'],
  idleDays: [{ idleDays: 7 }, { events: [{ type: 'started', at: at('03-03T22:30') }], now: at('03-10T23:30') }, { events: [{ type: 'started', at: at('03-03T23:30') }], now: at('03-10T22:30') }, 'nothing was done for at least 7 days', 'something was done in the last 7 days'],
  manager: [{ manager: ['away', 'none'] }, { people: [PEOPLE[0]!, aPerson('odd', { leave: [{ from: '2027-03-10', to: null, cover: null }] }), PEOPLE[2]!] }, {}, 'the manager is away or missing', 'the manager is not away or missing'],
  round: [{ round: 2 }, { assignment: { round: 3 } }, {}, 'it is round 2 or later', 'it is before round 2'],
  replied: [{ replied: true }, { events: [{ type: 'replied', at: at('03-02T09:00') }] }, { events: [{ type: 'replied', at: at('03-11T09:00') }] }, 'they replied', 'they did not reply'],
  // Oslo is an hour ahead: its day begins at 23:00
  fromDate: [{ fromDate: '2027-03-11' }, { now: at('03-10T23:00') }, { now: at('03-10T22:59') }, 'it is 11 Mar 2027 or later', 'it is before 11 Mar 2027'],
  beforeDate: [{ beforeDate: '2027-03-11' }, { now: at('03-10T22:59') }, { now: at('03-10T23:00') }, 'it is before 11 Mar 2027', 'it is 11 Mar 2027 or later'],
  stepSent: [{ stepSent: 's0' }, { noticesOf: () => ({ isSent: true, isBounced: false }) }, {}, '“s0” went to them', '“s0” did not go to them'],
  stepBounced: [{ stepBounced: 's0' }, { noticesOf: () => ({ isSent: true, isBounced: true }) }, { noticesOf: () => ({ isSent: true, isBounced: false }) }, '“s0” came back', '“s0” did not come back'],
  holds: [{ holds: ['c2'] }, { people: [aPerson('runa', { held: [{ course: 'c2', until: '2027-03-10' }] })] }, { people: [aPerson('runa', { held: [{ course: 'c2', until: '2027-03-09' }] })] }, 'holds c2', 'does not hold c2'],
  lacks: [{ lacks: ['c2'] }, { people: [aPerson('runa', { held: [{ course: 'c2', until: '2027-03-09' }] })] }, { people: [aPerson('runa', { held: [{ course: 'c2', until: null }] })] }, 'lacks c2', 'not without c2'],
  joinedWithin: [{ joinedWithin: 30 }, { people: [aPerson('runa', { joinedOn: '2027-02-08' })] }, { people: [aPerson('runa', { joinedOn: '2027-02-07' })] }, 'joined in the last 30 days', 'not joined in the last 30 days'],
  state: [{ state: ['in progress'] }, { events: [{ type: 'started', at: at('03-02T09:00') }] }, {}, 'in progress', 'not in progress'],
}; // prettier-ignore

describe('what a step may ask', () => {
  test.each(Object.entries(CASES))('%s', (_, [condition, where, whereNot, words, opposite]) => {
    expect([asked(condition, where), asked(condition, whereNot)]).toEqual([true, false]);
    expect([asked({ not: condition }, where), asked({ not: condition }, whereNot)]).toEqual([false, true]);
    expect([tellCondition(condition), tellCondition({ not: condition })]).toEqual([words, opposite]);
  });

  it('is each condition of an assignment, of what is held, and of what was sent', () => {
    expect(conditionsFor('assignment', 'held', 'notices').filter((name) => !(name in CASES))).toEqual([]);
  });

  it('progress is told as everywhere: by weight, and 100 only when it is finished', () => {
    const roster = new (aRoster(PEOPLE).constructor as new (facts: object) => Roster)({
      people: PEOPLE,
      calendars: [],
      courses: [{ id: 'c1', title: 'X', owner: null, units: ['u1', 'u2'], finish: { kind: 'score', percent: 80 }, counted: [{ id: 'u1', required: true, weight: 1 }, { id: 'u2', required: true, weight: 3 }] }], // prettier-ignore
      settings: aRoster(PEOPLE).settings,
    });
    const events = [submitted('u2', '03-02T09:00', 40, false)];
    // 0.4 of 3 of 4 is 30 %, and 80 % are asked for
    expect([asked({ progressAtLeast: 37 }, { events, roster }), asked({ progressAtLeast: 38 }, { events, roster })]).toEqual([true, false]);
    expect(asked({ progressAtLeast: 100 }, { events: [{ type: 'finished', at: at('03-03T09:00') }] })).toBe(true);
  });

  it('a unit that opens at once is open; one that waits opens in its time', () => {
    const [course] = [{ id: 'c1', title: 'X', owner: null, units: ['u1'], released: [{ id: 'u2', title: 'Two', kind: 'page', release: { kind: 'on' as const, date: '2027-03-11', at: '08:00' } }] }]; // prettier-ignore
    const { settings } = aRoster(PEOPLE);
    const roster = new (aRoster(PEOPLE).constructor as new (facts: object) => Roster)({ people: PEOPLE, calendars: [{ id: 'orla', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: [] }], courses: [course], settings }); // prettier-ignore
    expect(asked({ unitOpened: 'u1' }, { roster })).toBe(true);
    expect([asked({ unitOpened: 'u2' }, { roster }), asked({ unitOpened: 'u2' }, { roster, now: at('03-11T07:00') })]).toEqual([
      false,
      true,
    ]);
  });

  it('why it was not sent names what was looked at', () => {
    const roster = aRoster(PEOPLE);
    const step = aStep({ onlyIf: { all: [{ progressAtLeast: 50 }, { not: { quizPassed: 'q' } }] as readonly Leaf[] as Condition[] } });
    const assignment = anAssignment({ events: [submitted('q', '03-02T09:00', 60, true)] });
    const [slot] = slotsOf(step, assignment, roster, at('03-01T00:00'), NOW);
    const decision = decide({ slot: slot!, step, assignment, roster, now: slot!.at, countOf: () => 0 });
    expect(decision).toMatchObject({ kind: 'skip', because: 'condition' });
    expect(decision.trace.at(-1)!.because).toBe('it goes only if at least 50 % is done and the quiz q is not passed; Person runa is in progress, Deck, Orla Quay; 0 % is done; the quiz q was tried 1 time, best score 60 %, passed'); // prettier-ignore
  });
});
