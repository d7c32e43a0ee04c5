import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { dateOf, weekdayOf } from '../time/calendar.ts';
import { Zone } from '../time/zone.ts';
import { nextOf, rhythmFault, tellRhythm, type Rhythm } from './rhythm.ts';

const oslo = Zone.of('Europe/Oslo');
const at = (iso: string): number => Date.parse(iso);
const day = (hour: string): Rhythm => ({ every: 'day', on: null, at: hour });

describe('when something is sent next', () => {
  test.each<[string, Rhythm, string, string]>([
    ['later the same day', day('08:00'), '2027-03-01T06:59:00Z', '2027-03-01T07:00:00Z'],
    ['never at the very moment again', day('08:00'), '2027-03-01T07:00:00Z', '2027-03-02T07:00:00Z'],
    ['an hour that the spring leaves out', day('02:30'), '2027-03-27T12:00:00Z', '2027-03-28T01:30:00Z'],
    ['an hour that the autumn has twice, the first time', day('02:30'), '2027-10-30T12:00:00Z', '2027-10-31T00:30:00Z'],
    ['on Monday', { every: 'week', on: 1, at: '08:00' }, '2027-03-01T07:00:00Z', '2027-03-08T07:00:00Z'],
    ['on the last day of February', { every: 'month', on: 31, at: '08:00' }, '2027-02-01T07:00:00Z', '2027-02-28T07:00:00Z'],
    ['on the 30th, of February its last', { every: 'month', on: 30, at: '08:00' }, '2028-02-01T07:00:00Z', '2028-02-29T07:00:00Z'],
    ['on the 30th of a month of 31', { every: 'month', on: 30, at: '08:00' }, '2027-03-30T05:00:00Z', '2027-03-30T06:00:00Z'],
    ['on the first, over the new year', { every: 'month', on: 1, at: '00:00' }, '2027-12-31T12:00:00Z', '2027-12-31T23:00:00Z'],
  ])('%s', (_, rhythm, after, next) => expect(new Date(nextOf(rhythm, at(after), oslo)).toISOString()).toBe(new Date(next).toISOString()));

  it('is always later, on such a day, and none in between', () => {
    const rhythm = fc.oneof(
      fc.record({ every: fc.constant('day' as const), on: fc.constant(null) }),
      fc.record({ every: fc.constant('week' as const), on: fc.integer({ min: 1, max: 7 }) }),
      fc.record({ every: fc.constant('month' as const), on: fc.integer({ min: 1, max: 31 }) }),
    );
    const hour = fc.integer({ min: 0, max: 23 }).map((h) => `${String(h).padStart(2, '0')}:15`);
    fc.assert(
      fc.property(rhythm, hour, fc.integer({ min: at('2020-01-01T00:00:00Z'), max: at('2040-01-01T00:00:00Z') }), fc.constantFrom('Europe/Oslo', 'America/New_York', 'Pacific/Apia'), (kind, hours, after, name) => {
        const zone = Zone.of(name);
        const one: Rhythm = { ...kind, at: hours };
        const next = nextOf(one, after, zone);
        expect(next).toBeGreaterThan(after);
        expect(rhythmFault(one)).toBeNull();
        const on = zone.dayAt(next);
        const date = Number(dateOf(on).slice(8));
        const isLast = dateOf(on + 1).slice(8) === '01';
        if (one.every === 'week') expect(weekdayOf(on)).toBe(one.on);
        if (one.every === 'month') expect(date === one.on || (isLast && date < one.on!)).toBe(true);
        // a moment before it leads to it as well
        expect(nextOf(one, next - 1, zone)).toBe(next);
        expect(next - after).toBeLessThanOrEqual((one.every === 'day' ? 2 : one.every === 'week' ? 8 : 32) * 86_400_000);
      }),
    ); // prettier-ignore
  });

  it('is told, and what is none is named', () => {
    expect(tellRhythm(day('08:00'))).toBe('each day at 08:00');
    expect(tellRhythm({ every: 'week', on: 7, at: '08:00' })).toBe('each Sunday at 08:00');
    expect([1, 2, 3, 11, 22, 30, 31].map((on) => tellRhythm({ every: 'month', on, at: '08:00' }))).toEqual([
      'on the 1st of each month at 08:00',
      'on the 2nd of each month at 08:00',
      'on the 3rd of each month at 08:00',
      'on the 11th of each month at 08:00',
      'on the 22nd of each month at 08:00',
      'on the 30th of each month at 08:00, or on its last day',
      'on the last day of each month at 08:00',
    ]);
    for (const wrong of [
      { every: 'day', on: 1 },
      { every: 'week', on: 8 },
      { every: 'week', on: null },
      { every: 'month', on: 0 },
      { every: 'month', on: 1.5 },
    ] as const)
      // prettier-ignore
      expect(rhythmFault({ ...wrong, at: '08:00' })).not.toBeNull();
  });
});
