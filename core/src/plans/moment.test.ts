import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { aRoster, anAssignment, aPerson, aStep, LONDON, OSLO, utc } from '../testing.ts';
import { Calendar } from '../time/calendar.ts';
import { isoOf } from '../time/words.ts';
import { slotsOf } from '../notices/slot.ts';
import { baseMoments } from './moment.ts';
import { stepFault, tellWhen, type Step } from './step.ts';

const oslo = new Calendar(OSLO);
const london = new Calendar(LONDON);
const moments = (step: Partial<Step>, anchor: string, assignee = oslo, recipient = assignee): string[] =>
  baseMoments(aStep(step), utc(anchor), assignee, recipient).map((at) => isoOf(at).slice(0, 16));

describe('the moment of a step', () => {
  test.each<[string, Partial<Step>, string, string[]]>([
    [
      '48 hours before due is 48 × 3600 s, across a clock change too',
      { offset: { amount: -48, unit: 'hours' } },
      '2027-03-29T15:00',
      ['2027-03-27T15:00'],
    ],
    [
      '2 days before due keeps the wall clock across a clock change',
      { offset: { amount: -2, unit: 'days' } },
      '2027-03-29T15:00',
      ['2027-03-27T16:00'],
    ],
    [
      'due on Monday, two working days before, falls on Thursday',
      { offset: { amount: -2, unit: 'working days' }, at: '09:00' },
      '2027-03-08T16:00',
      ['2027-03-04T08:00'],
    ],
    [
      'a time of day before the anchor, offset 0, is one day later',
      { offset: { amount: 0, unit: 'days' }, at: '09:00' },
      '2027-03-05T10:00',
      ['2027-03-06T08:00'],
    ],
    [
      '… and one working day later with working days',
      { offset: { amount: 0, unit: 'working days' }, at: '09:00' },
      '2027-03-05T10:00',
      ['2027-03-08T08:00'],
    ],
    [
      'a time of day exactly at the anchor stays',
      { offset: { amount: 0, unit: 'days' }, at: '09:00' },
      '2027-03-05T08:00',
      ['2027-03-05T08:00'],
    ],
    [
      'months clamp and repeats do not drift',
      { offset: { amount: 0, unit: 'days' }, repeat: { every: { amount: 1, unit: 'months' }, times: 3 } },
      '2027-01-31T12:00',
      ['2027-01-31T12:00', '2027-02-28T12:00', '2027-03-31T11:00'],
    ],
    [
      'the first working morning after due, then every 3 working days',
      {
        offset: { amount: 1, unit: 'working days' },
        at: '09:00',
        repeat: { every: { amount: 3, unit: 'working days' }, times: 4 },
      },
      '2027-03-19T16:00',
      ['2027-03-22T08:00', '2027-03-30T07:00', '2027-04-02T07:00', '2027-04-07T07:00'],
    ],
    [
      'repeats in hours are elapsed',
      { offset: { amount: 1, unit: 'hours' }, repeat: { every: { amount: 24, unit: 'hours' }, times: 2 } },
      '2027-03-27T12:00',
      ['2027-03-27T13:00', '2027-03-28T13:00'],
    ],
    ['weeks', { offset: { amount: 1, unit: 'weeks' }, at: '08:30' }, '2027-03-23T10:00', ['2027-03-30T06:30']],
  ])('%s', (_, step, anchor, expected) => expect(moments(step, anchor)).toEqual(expected));

  it('takes dates from the assignee, the time of day from the recipient', () => {
    expect(moments({ offset: { amount: 1, unit: 'days' }, at: '09:00' }, '2027-03-10T23:30', oslo, london)).toEqual(['2027-03-12T09:00']);
    expect(moments({ offset: { amount: 1, unit: 'days' }, at: '09:00' }, '2027-03-10T23:30', london, oslo)).toEqual(['2027-03-11T08:00']);
  });

  it('agrees with an independent implementation for every unit', () => {
    const unit = fc.constantFrom('minutes', 'hours', 'days', 'weeks', 'months');
    const zones = fc.constantFrom(oslo, london);
    fc.assert(
      fc.property(
        unit,
        fc.integer({ min: -60, max: 60 }),
        fc.integer({ min: utc('2026-01-01T00:00') / 60_000, max: utc('2029-01-01T00:00') / 60_000 }),
        zones,
        zones,
        fc.boolean(),
        (unit, amount, minute, assignee, recipient, timed) => {
          const anchor = Temporal.Instant.fromEpochMilliseconds(minute * 60_000).toZonedDateTimeISO(assignee.zone.name);
          const isElapsed = unit === 'minutes' || unit === 'hours';
          const at = timed && !isElapsed ? '09:00' : null;
          let expected = anchor.add({ [unit]: amount });
          if (at) {
            const on = (date: Temporal.PlainDate) => date.toZonedDateTime({ timeZone: recipient.zone.name, plainTime: '09:00' });
            expected = on(expected.toPlainDate());
            if (amount >= 0 && expected.epochMilliseconds < anchor.epochMilliseconds)
              expected = on(expected.toPlainDate().add({ days: 1 }));
          }
          expect(baseMoments(aStep({ offset: { amount, unit }, at }), minute * 60_000, assignee, recipient)).toEqual([
            expected.epochMilliseconds,
          ]);
        },
      ),
      { numRuns: 1000 },
    );
  });
});

describe('window and moments that have passed', () => {
  const roster = aRoster([aPerson('runa'), aPerson('tora')]);
  const slot = (step: Partial<Step>, publishedAt = '2027-03-01T09:30', assignment = anAssignment()) =>
    slotsOf(aStep({ window: null, ...step }), assignment, roster, utc(publishedAt), Infinity).map(({ at, moment, missed }) => ({
      at: isoOf(at).slice(0, 16),
      moment: isoOf(moment).slice(0, 16),
      missed,
    }))[0];

  it('goes earlier before due, later otherwise', () => {
    expect(slot({ offset: { amount: -5, unit: 'days' } })!.at).toBe('2027-03-12T17:00'); // Sun 14 Mar 17:00 → Fri 18:00 local
    expect(slot({ offset: { amount: 1, unit: 'days' } })!.at).toBe('2027-03-22T07:00');
  });
  it('uses later where earlier would pass the moment it became known', () =>
    expect(slot({ offset: { amount: -5, unit: 'days' } }, '2027-03-13T12:00')!.at).toBe('2027-03-15T07:00'));
  it('late within the tolerance goes when it becomes known', () =>
    expect(slot({ offset: { amount: -8, unit: 'days' }, window: 'exact' }, '2027-03-12T12:00')).toEqual({
      at: '2027-03-12T12:00',
      moment: '2027-03-11T16:00',
      missed: null,
    }));
  it('later than the tolerance is moment-passed', () =>
    expect(slot({ offset: { amount: -10, unit: 'days' } }, '2027-03-12T12:00')!.missed).toBe('moment-passed'));
  it('before the assignment is before-assignment', () =>
    expect(slot({ offset: { amount: -21, unit: 'days' } })!.missed).toBe('before-assignment'));
  it('an invitation never passes', () =>
    expect(
      slot({ kind: 'invitation', anchor: { event: 'assigned' }, offset: { amount: 0, unit: 'days' } }, '2027-03-12T12:00'),
    ).toMatchObject({ at: '2027-03-12T12:00', missed: null }));
  it('each extension is a revision of its own and replaces the one before', () => {
    const extended = anAssignment({
      events: [{ type: 'extended', at: utc('2027-03-15T08:00'), dueAt: utc('2027-04-02T15:00') }],
    });
    const slots = slotsOf(aStep(), extended, roster, 0, Infinity);
    expect(slots.map(({ revision, replacedAt }) => [revision, replacedAt])).toEqual([
      [0, utc('2027-03-15T08:00')],
      [1, null],
    ]);
  });
});

test.each<[string, Partial<Step>, string]>([
  ['a time of day with hours', { offset: { amount: 2, unit: 'hours' }, at: '09:00' }, 'a time of day (09:00) goes with days'],
  ['gathering without a time of day', { gather: 'per day' }, 'needs a time of day'],
  ['a span of more than ten years', { offset: { amount: 10_000, unit: 'weeks' } }, 'at most ten years (522 weeks); got 10000 weeks'],
  [
    'a last repeat after more than ten years',
    { repeat: { every: { amount: 2, unit: 'months' }, times: 100 } },
    'the last repeat comes too late: expected at most ten years (120 months); got 198 months',
  ],
  ['the anchor date without a date', { anchor: { event: 'date' } }, 'needs a date'],
])('refuses %s', (_, step, words) => expect(stepFault(aStep(step))).toContain(words));

test('a step reads as words', () =>
  expect(
    tellWhen(
      aStep({
        offset: { amount: 1, unit: 'working days' },
        at: '09:00',
        repeat: { every: { amount: 3, unit: 'working days' }, times: 4 },
      }),
    ),
  ).toBe('1 working day after due, 09:00; every 3 working days, 4 times'));
