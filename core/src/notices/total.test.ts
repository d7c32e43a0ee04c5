import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { aPerson, aRoster, aStep } from '../testing.ts';
import type { Assignment } from '../assignments/state.ts';
import { KINDS, repeatFault, spanFault, stepFault, UNITS, type Duration, type Step } from '../plans/step.ts';
import { compileAudience } from '../requirements/audience.ts';
import { reconcilePerson } from '../requirements/reconcile.ts';
import type { DueRule, Requirement } from '../requirements/requirement.ts';
import { noRecord } from '../requirements/standing.ts';
import { Calendar, dateOf, dayOf } from '../time/calendar.ts';
import { tellMoment } from '../time/words.ts';
import { decide, sentenceOf } from './decide.ts';
import { slotsOf } from './slot.ts';

// Whatever the contract lets in can be worked out: nothing throws, and no moment leaves the years that calendars and PostgreSQL know.

const [FIRST, LAST] = [dayOf('1970-01-01'), dayOf('2199-12-31')];
const date = fc.oneof(fc.integer({ min: FIRST, max: LAST }), fc.constantFrom(FIRST, LAST)).map(dateOf);
const instant = date.map((on) => Date.parse(`${on}T09:30:00Z`));
const time = fc
  .tuple(fc.nat(23), fc.nat(59))
  .map(([hour, minute]) => `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`);
const MOST = { minutes: 5_259_600, hours: 87_660, days: 3_653, 'working days': 2_610, weeks: 522, months: 120 } as const;
const span = (least: number): fc.Arbitrary<Duration> =>
  fc
    .constantFrom(...UNITS)
    .chain((unit) =>
      fc
        .oneof(fc.integer({ min: least < 1 ? -MOST[unit] : 1, max: MOST[unit] }), fc.constant(MOST[unit]))
        .map((amount) => ({ amount, unit })),
    );
const repeat = fc
  .record({ every: span(1), times: fc.integer({ min: 1, max: 100 }) })
  .map(({ every, times }) => ({ every, times: Math.min(times, 1 + Math.floor(MOST[every.unit] / every.amount)) }));
const step: fc.Arbitrary<Step> = fc
  .record({
    kind: fc.constantFrom(...KINDS),
    anchor: fc.oneof(
      fc.constantFrom('assigned', 'due', 'idle', 'finished', 'expires').map((event) => ({ event }) as Step['anchor']),
      date.map((on) => ({ event: 'date', date: on }) as Step['anchor']),
    ),
    offset: span(-1),
    at: fc.option(time),
    window: fc.constantFrom('exact' as const, 'later' as const, 'earlier' as const, null),
    repeat: fc.option(repeat),
    endsOn: fc.option(date),
  })
  .map((rest) => aStep({ ...rest, to: ['employee', 'manager'] }))
  .filter((made) => stepFault(made) === null);
const leave = fc.option(
  fc.record({ from: date, to: fc.option(date), cover: fc.constant(null) }).filter(({ from, to }) => to === null || from <= to),
);
const isInBounds = (at: number): boolean => at > Date.parse('1900-01-01') && at < Date.parse('2300-01-01');

describe('what the contract lets in can be worked out', () => {
  it('spans and repeats are within ten years', () => {
    fc.assert(
      fc.property(step, ({ offset, repeat: again }) => spanFault(offset) === null && (again === null || repeatFault(again) === null)),
    );
  });

  it('each slot has a moment and is decided in words', () => {
    fc.assert(
      fc.property(step, fc.tuple(instant, instant, instant), leave, fc.array(fc.record({ at: instant, dueAt: instant }), { maxLength: 2 }), (made, [assignedAt, dueAt, now], away, moved) => {
        const roster = aRoster([aPerson('runa', { manager: 'odd', leave: away ? [away] : [] }), aPerson('odd'), aPerson('tora')]);
        const events = [
          ...moved.map((event) => ({ type: 'extended', ...event }) as const),
          { type: 'finished', at: now, version: 1 } as const,
          { type: 'certificate-issued', at: now, serial: 'x', expiresAt: dueAt } as const,
        ].sort((a, b) => a.at - b.at); // prettier-ignore
        const assignment: Assignment = { id: 'a1', person: 'runa', course: 'c1', assignedAt, dueAt, events };
        for (const slot of slotsOf(made, assignment, roster, assignedAt, now)) {
          expect([slot.moment, slot.at].every(isInBounds)).toBe(true);
          const decision = decide({ slot, step: made, assignment, roster, now: slot.at, countOf: () => 0 });
          if (decision.kind === 'hold' && decision.until !== null) expect(isInBounds(decision.until)).toBe(true);
          expect(sentenceOf(decision, slot, made, roster.calendarOf(roster.getPerson('runa')).zone, slot.at, null)).not.toMatch(/NaN|Invalid/);
        }
      }),
      { numRuns: 300 },
    );
  }); // prettier-ignore

  it('so does a requirement', () => {
    const due: fc.Arbitrary<DueRule> = fc.oneof(
      date.map((on) => ({ kind: 'date', on }) as const),
      fc.record({
        kind: fc.constant('after' as const),
        amount: fc.nat(3_650),
        unit: fc.constantFrom('days' as const, 'working days' as const),
        event: fc.constantFrom('assigned' as const, 'joined' as const),
      }),
      fc.record({
        kind: fc.constant('month-end' as const),
        months: fc.nat(60),
        event: fc.constantFrom('assigned' as const, 'joined' as const),
      }),
    );
    const oneDayAWeek = new Calendar({ id: 'orla', zone: 'Pacific/Apia', workingDays: [3], holidays: ['2027-03-24', '2199-12-31'] });
    const facts = fc.record({
      due,
      now: instant,
      joinedOn: fc.option(date),
      from: fc.option(date),
      finishedOn: fc.option(date),
      expiresOn: fc.option(date),
      renewal: fc.option(fc.record({ months: fc.integer({ min: 1, max: 600 }), leadDays: fc.nat(27) })),
      creditMonths: fc.option(fc.nat(600)),
      graceDays: fc.integer({ min: 1, max: 3_650 }),
    });
    fc.assert(
      fc.property(facts, ({ now, joinedOn, finishedOn, expiresOn, ...rest }) => {
        const requirement: Requirement = {
          id: 'r1', name: 'Fire teams', course: 'fire', audience: { all: [] }, dueTime: '17:00', until: null, takesJoiners: true, whenOut: 'ask',
          switchedOnAt: now, ...rest,
        }; // prettier-ignore
        const person = {
          id: 'runa', name: 'Runa Aske', number: null, department: 'deck', site: 'orla', groups: [], job: null, manager: null, joinedOn, leftOn: null, held: [],
          jobSince: null, memberOf: [],
        }; // prettier-ignore
        const today = dateOf(oneDayAWeek.zone.dayAt(now));
        const matcher = compileAudience(requirement.audience, { parentOf: () => null, managerOf: () => null }, today);
        const finishes = finishedOn === null ? [] : [{ on: finishedOn, expiresOn, isRevoked: false }];
        const records = new Map([['fire', { ...noRecord('fire'), finishes }]]);
        const found = reconcilePerson([{ requirement, matcher }], { person, calendar: oneDayAWeek, now, morning: '08:00', records });
        if (found.wakeOn !== null) expect(found.wakeOn).toMatch(/^2[0-3]\d\d-|^19\d\d-/);
        for (const change of found.changes)
          if ('dueAt' in change && typeof change.dueAt === 'number')
            expect(tellMoment(change.dueAt, oneDayAWeek.zone)).not.toContain('NaN');
      }),
      { numRuns: 500 },
    );
  });
});
