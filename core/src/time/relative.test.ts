import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { Temporal } from 'temporal-polyfill';
import { LONDON, OSLO, utc } from '../testing.ts';
import { Calendar, dateOf } from './calendar.ts';
import { tellDistance, tellNear, tellWorkingDistance } from './relative.ts';
import { Zone } from './zone.ts';

const ZONES = [
  'Asia/Kathmandu',
  'Australia/Lord_Howe',
  'America/St_Johns',
  'Pacific/Apia',
  'Africa/Casablanca',
  'Europe/Dublin',
  'Europe/Oslo',
];
const instants = fc.integer({ min: utc('2011-12-01T00:00'), max: utc('2031-01-01T00:00') });
const pairs = fc.tuple(instants, fc.oneof(fc.integer({ min: -3 * 86_400_000, max: 3 * 86_400_000 }), fc.integer({ min: -90 * 86_400_000, max: 90 * 86_400_000 }))); // prettier-ignore
const local = (instant: number, zone: string) => Temporal.Instant.fromEpochMilliseconds(instant).toZonedDateTimeISO(zone);

describe('what is told from a moment is true when it is read', () => {
  it('in days and hours', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), pairs, (name, [from, by]) => {
        const to = from + by;
        const words = tellDistance(from, to, Zone.of(name));
        const match = /^(?:in )?(\d[\d,]*) (hour|day)s?( ago)?$/.exec(words);
        if (words === 'now') return void expect(Math.abs(by)).toBeLessThan(1_800_000);
        const [, number, unit, ago] = match!;
        const said = Number(number!.replace(',', ''));
        expect(Boolean(ago)).toBe(by < 0);
        expect(/^in /.test(words)).toBe(by > 0);
        if (unit === 'hour') expect(Math.abs(Math.abs(by) - said * 3_600_000)).toBeLessThanOrEqual(1_800_000);
        else {
          const [first, second] = [local(from, name).toPlainDate(), local(to, name).toPlainDate()];
          expect(Math.abs(first.until(second).days)).toBe(said);
        }
      }),
      { numRuns: 1_500 },
    );
  });

  it('as today, tomorrow and yesterday', () => {
    fc.assert(
      fc.property(fc.constantFrom(...ZONES), pairs, (name, [from, by]) => {
        const words = tellNear(from, from + by, Zone.of(name));
        const there = local(from + by, name);
        const days = local(from, name).toPlainDate().until(there.toPlainDate()).days;
        expect(words.endsWith(` at ${String(there.hour).padStart(2, '0')}:${String(there.minute).padStart(2, '0')}`)).toBe(true);
        expect([words.startsWith('yesterday'), words.startsWith('today'), words.startsWith('tomorrow')]).toEqual([
          days === -1,
          days === 0,
          days === 1,
        ]);
        if (Math.abs(days) > 1) expect(words).toContain(`on `);
      }),
      { numRuns: 1_500 },
    );
  });

  it('in working days of the reader', () => {
    fc.assert(
      fc.property(fc.constantFrom(OSLO, LONDON), pairs, (facts, [near, by]) => {
        const calendar = new Calendar(facts);
        const from = utc('2027-03-20T10:00') + (near % (20 * 86_400_000));
        const to = from + by;
        let [date, end] = [local(from, facts.zone).toPlainDate(), local(to, facts.zone).toPlainDate()];
        const isAhead = Temporal.PlainDate.compare(date, end) < 0;
        if (!isAhead) [date, end] = [end, date];
        let count = 0;
        while (Temporal.PlainDate.compare(date, end) < 0) {
          date = date.add({ days: 1 });
          if (facts.workingDays.includes(date.dayOfWeek) && !facts.holidays.includes(date.toString())) count += 1;
        }
        const words = tellWorkingDistance(from, to, calendar);
        if (words === 'today') return void expect(dateOf(calendar.zone.dayAt(from))).toBe(dateOf(calendar.zone.dayAt(to)));
        const said = Number(/\d+/.exec(words)?.[0] ?? 0);
        expect(said).toBe(count);
        expect(words.startsWith('in ') || words.startsWith('before')).toBe(isAhead);
      }),
      { numRuns: 800 },
    );
  });

  test.each([
    ['2027-03-24T09:00', '2027-03-30T09:00', 'in 1 working day'],
    ['2027-03-30T09:00', '2027-03-24T09:00', '1 working day ago'],
    ['2027-03-26T09:00', '2027-03-28T09:00', 'before the next working day'],
    ['2027-03-28T09:00', '2027-03-27T09:00', 'since the last working day'],
    ['2027-03-24T09:00', '2027-03-24T15:00', 'today'],
    ['2027-03-24T09:00', '2030-03-24T09:00', 'in 1,096 days'],
  ])('from %s to %s, over Easter: %s', (from, to, words) =>
    expect(tellWorkingDistance(utc(from), utc(to), new Calendar(OSLO))).toBe(words),
  );
});
