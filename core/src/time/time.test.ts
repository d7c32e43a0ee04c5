import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { addMonths, Calendar, dateOf, dayOf, weekdayOf } from './calendar.ts';
import { tellAmount } from './words.ts';
import { DAY_MS, Zone } from './zone.ts';
import { LONDON, OSLO, utc } from '../testing.ts';

const ZONES = [
  'Europe/Oslo',
  'Europe/London',
  'America/New_York',
  'Australia/Lord_Howe',
  'Asia/Kolkata',
  'America/St_Johns',
  'Pacific/Chatham',
  'UTC',
  'Africa/Casablanca',
  'Asia/Kathmandu',
  'Pacific/Apia', // without a 30 December 2011
  'Europe/Dublin', // whose winter is the exception
];
const instants = fc.integer({ min: utc('2010-01-01T00:00'), max: utc('2035-01-01T00:00') });

describe('a zone agrees with an independent implementation', () => {
  it('from instant to wall clock', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), instants, (name, instant) => {
        const expected = Temporal.Instant.fromEpochMilliseconds(instant).toZonedDateTimeISO(name);
        const { day, ms } = Zone.of(name).toLocal(instant);
        expect(dateOf(day)).toBe(expected.toPlainDate().toString());
        expect(ms).toBe(expected.hour * 3_600_000 + expected.minute * 60_000 + expected.second * 1000 + expected.millisecond);
      }),
      { numRuns: 800 },
    );
  });
  it('from wall clock to instant, gaps and repeated hours included', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), instants, fc.integer({ min: 0, max: 47 }), (name, near, halfHour) => {
        const day = Math.floor(near / DAY_MS);
        const wall = Temporal.PlainDate.from(dateOf(day)).toPlainDateTime({
          hour: Math.floor(halfHour / 2),
          minute: (halfHour % 2) * 30,
        });
        expect(Zone.of(name).toInstant(day, halfHour * 1_800_000)).toBe(
          wall.toZonedDateTime(name, { disambiguation: 'compatible' }).epochMilliseconds,
        );
      }),
      { numRuns: 800 },
    );
  });
  it.each([
    ['a time that does not exist moves forward by the gap', 'Europe/Oslo', '2027-03-28', 2.5, '2027-03-28T01:30'],
    ['a time that happens twice is the earlier', 'Europe/Oslo', '2027-10-31', 2.5, '2027-10-31T00:30'],
    ['of a day that does not exist too', 'Pacific/Apia', '2011-12-30', 9, '2011-12-30T19:00'],
    ['a half-hour gap moves by half an hour', 'Australia/Lord_Howe', '2027-10-03', 2.25, '2027-10-02T15:45'],
  ])('%s', (_, zone, date, hours, expected) => {
    expect(Zone.of(zone).toInstant(dayOf(date), hours * 3_600_000)).toBe(utc(expected));
  });
});

describe('calendar arithmetic', () => {
  const oslo = new Calendar(OSLO);
  test.each([
    ['+1 from Friday is Monday', '2027-03-05', 1, '2027-03-08'],
    ['+1 from Saturday is Monday', '2027-03-06', 1, '2027-03-08'],
    ['−1 from Monday is Friday', '2027-03-08', -1, '2027-03-05'],
    ['−1 from Sunday is Friday', '2027-03-07', -1, '2027-03-05'],
    ['0 is the day itself, a Sunday too', '2027-03-07', 0, '2027-03-07'],
    ['holidays do not count', '2027-03-24', 1, '2027-03-30'],
    ['back over Easter', '2027-03-30', -1, '2027-03-24'],
  ])('%s', (_, from, count, to) => expect(dateOf(oslo.addWorkingDays(dayOf(from), count))).toBe(to));

  test.each([
    ['31 January + 1 month clamps to 28 February', '2027-01-31', 1, '2027-02-28'],
    ['31 January + 1 month clamps to 29 February in a leap year', '2028-01-31', 1, '2028-02-29'],
    ['31 March − 1 month clamps', '2027-03-31', -1, '2027-02-28'],
    ['over the turn of a year', '2026-11-30', 3, '2027-02-28'],
  ])('%s', (_, from, months, to) => expect(dateOf(addMonths(dayOf(from), months))).toBe(to));

  it('months and weekdays agree with an independent implementation', () => {
    fc.assert(
      fc.property(fc.integer({ min: dayOf('2000-01-01'), max: dayOf('2060-01-01') }), fc.integer({ min: -40, max: 40 }), (day, months) => {
        const date = Temporal.PlainDate.from(dateOf(day));
        expect(dateOf(addMonths(day, months))).toBe(date.add({ months }).toString());
        expect(weekdayOf(day)).toBe(date.dayOfWeek);
      }),
    );
  });

  const window = { from: '08:00', to: '18:00' };
  test.each([
    ['inside stays', '2027-03-10T09:00', '2027-03-10T09:00', '2027-03-10T09:00'],
    ['18:00 itself is inside', '2027-03-10T17:00', '2027-03-10T17:00', '2027-03-10T17:00'],
    ['after hours', '2027-03-10T17:01', '2027-03-11T07:00', '2027-03-10T17:00'],
    ['before hours', '2027-03-10T05:00', '2027-03-10T07:00', '2027-03-09T17:00'],
    ['a Saturday', '2027-03-13T11:00', '2027-03-15T07:00', '2027-03-12T17:00'],
    ['over Easter and the clock change', '2027-03-25T10:00', '2027-03-30T06:00', '2027-03-24T17:00'],
  ])('window: %s', (_, instant, later, earlier) => {
    expect(oslo.fitLater(utc(instant), window)).toBe(utc(later));
    expect(oslo.fitEarlier(utc(instant), window)).toBe(utc(earlier));
  });

  it('fitting is a fixed point inside the window, later never goes back, earlier never forward', () => {
    fc.assert(
      fc.property(fc.constantFrom(OSLO, LONDON), instants, (facts, instant) => {
        const calendar = new Calendar(facts);
        const later = calendar.fitLater(instant, window);
        const earlier = calendar.fitEarlier(instant, window);
        expect(later).toBeGreaterThanOrEqual(instant);
        expect(earlier).toBeLessThanOrEqual(instant);
        expect(calendar.fitLater(later, window)).toBe(later);
        expect(calendar.fitEarlier(earlier, window)).toBe(earlier);
        expect(calendar.isWorkingDay(calendar.zone.dayAt(later))).toBe(true);
      }),
    );
  });

  it('refuses a calendar without a working day', () => expect(() => new Calendar({ ...OSLO, workingDays: [] })).toThrow('no working day'));
});

test.each([
  [1, 'days', '1 day'],
  [-3, 'working days', '3 working days'],
  [1, 'people', '1 person'],
  [21, 'people', '21 people'],
  [1_250, 'people', '1,250 people'],
])('%s %s is told as %s', (amount, unit, words) => expect(tellAmount(amount, unit)).toBe(words));
