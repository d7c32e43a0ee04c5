import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { aPerson, aRoster, aStep, anAssignment, utc } from '../testing.ts';
import { mailsByDay } from '../rehearsal/mails.ts';
import { rehearse } from '../rehearsal/rehearse.ts';
import { Zone } from '../time/zone.ts';
import type { Step } from '../plans/step.ts';
import { slotsOf } from './slot.ts';

const DUE = utc('2027-03-19T16:00');
const people = [aPerson('runa', { manager: 'odd', dailyAt: '07:00' }), aPerson('odd', { dailyAt: '07:00' })];
const roster = aRoster(people);
const plain = aRoster(people.map((person) => ({ ...person, dailyAt: null })));
const at = (change: Partial<Step>, of = roster): string[] =>
  slotsOf(aStep({ window: null, ...change }), anAssignment({ dueAt: DUE }), of, utc('2027-03-01T00:00'), Infinity).map((slot) =>
    new Date(slot.at).toISOString().slice(0, 16),
  );

describe('who hears of a day at once', () => {
  it.each<[string, Partial<Step>, string]>([
    [
      'what comes after something waits for the next morning',
      { anchor: { event: 'assigned' }, offset: { amount: 2, unit: 'hours' } },
      '2027-03-02T06:00',
    ],
    ['what comes before the due date is told earlier, and never later', { offset: { amount: -48, unit: 'hours' } }, '2027-03-17T06:00'],
    [
      "a weekend is nobody's morning",
      { anchor: { event: 'assigned' }, offset: { amount: 4, unit: 'days' }, at: '12:00' },
      '2027-03-08T06:00',
    ],
    [
      'what would come on the last day before the due date goes at its own moment',
      { anchor: { event: 'assigned' }, offset: { amount: 18, unit: 'days' }, at: '11:00' },
      '2027-03-19T10:00',
    ],
    ['after the due date all is gathered again', { offset: { amount: 3, unit: 'days' }, at: '09:00' }, '2027-03-23T06:00'],
    [
      'an exact moment is exact',
      { anchor: { event: 'assigned' }, offset: { amount: 90, unit: 'minutes' }, window: 'exact' },
      '2027-03-01T11:00',
    ],
    [
      "a manager's own choice is about their own training",
      { to: ['manager'], offset: { amount: 3, unit: 'days' }, at: '09:00' },
      '2027-03-22T08:00',
    ],
  ])('%s', (_, change, expected) => expect(at(change)).toEqual([expected]));

  it.each<[string, { at: string; on: number | null }, Partial<Step>, string]>([
    ['of each day', { at: '07:00', on: null }, { offset: { amount: 3, unit: 'days' }, at: '09:00' }, '2027-03-23T06:00'],
    ['of a week, on Wednesday', { at: '07:00', on: 3 }, { offset: { amount: 3, unit: 'days' }, at: '09:00' }, '2027-03-24T06:00'],
    ['of a week, the morning of that day itself', { at: '10:00', on: 1 }, { offset: { amount: 3, unit: 'days' }, at: '09:00' }, '2027-03-22T09:00'],
    ['of a week, where that day is a holiday: on the next working day', { at: '07:00', on: 5 }, { offset: { amount: 3, unit: 'days' }, at: '09:00' }, '2027-03-30T05:00'],
  ])('a manager hears at once %s', (_, digest, change, expected) => {
    const leads = aRoster(people.map((person) => ({ ...person, digest: person.id === 'odd' ? digest : null })));
    expect(at({ to: ['manager'], ...change }, leads)).toEqual([expected]);
    // what they hear of their own training is another choice
    expect(at(change, leads)).toEqual(['2027-03-23T06:00']);
  }); // prettier-ignore

  it('gets one mail of what falls on a day, whatever course and step it is of, and it counts once against the day', () => {
    const steps = ['09:00', '11:00', '13:30', '16:00'].map((time, i) =>
      aStep({ id: `s${i}`, kind: 'follow-up', window: null, anchor: { event: 'assigned' }, offset: { amount: 3, unit: 'days' }, at: time }),
    );
    const assignments = ['a1', 'a2'].map((id) => anAssignment({ id, dueAt: DUE }));
    const run = (of: typeof roster) => {
      const lines = rehearse({
        from: utc('2027-03-01T00:00'),
        until: DUE,
        roster: of,
        plans: [{ course: 'c1', publishedAt: 0, steps }],
        assignments,
      });
      return mailsByDay(lines, ({ step }) => steps.find(({ id }) => id === step)!, of, Zone.of('Europe/Oslo'));
    };
    expect(run(roster)).toEqual([{ day: '2027-03-05', count: 1 }]);
    // three a day, and the rest on the days after
    expect(run(plain)).toEqual([
      { day: '2027-03-04', count: 3 },
      { day: '2027-03-05', count: 3 },
      { day: '2027-03-08', count: 2 },
    ]);
  });

  it('hears nothing later than a day, and nothing after a due date that would have come before it', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('assigned' as const, 'due' as const),
        fc.integer({ min: -400, max: 800 }),
        fc.constantFrom('00:30', '07:00', '12:15', '17:59', '23:45'),
        fc.constantFrom(null, 'later' as const, 'earlier' as const),
        (event, amount, dailyAt, window) => {
          const of = aRoster([aPerson('runa', { dailyAt }), people[1]!]);
          const step = {
            anchor: { event },
            offset: { amount: event === 'assigned' ? Math.abs(amount) : amount, unit: 'hours' as const },
            window,
          };
          const [own] = at(step, plain).map((text) => Date.parse(`${text}Z`));
          const [gathered] = at(step, of).map((text) => Date.parse(`${text}Z`));
          // over the nights and holidays between two working mornings
          expect(gathered! - own!).toBeLessThanOrEqual(6 * 86_400_000);
          if (own! < DUE) expect(gathered!).toBeLessThan(DUE);
        },
      ),
    );
  });
});
