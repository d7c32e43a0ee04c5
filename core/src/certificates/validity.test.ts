import { expect, it, test } from 'vitest';
import { expiryOf, monthsOf, tellValidity, type Validity } from './validity.ts';

const of = (count: number, unit: Validity['unit'], toMonthEnd = false): Validity => ({ count, unit, toMonthEnd });

test.each([
  ['2027-03-01', null, null, 'no expiry'],
  ['2027-03-01', of(12, 'months'), '2028-03-01', '12 months'],
  ['2027-01-31', of(1, 'months'), '2027-02-28', '1 month'],
  ['2028-02-29', of(1, 'years'), '2029-02-28', '1 year'],
  ['2027-03-01', of(90, 'days'), '2027-05-30', '90 days'],
  ['2027-03-10', of(2, 'years', true), '2029-03-31', '2 years, to the end of the month'],
  ['2027-03-31', of(11, 'months', true), '2028-02-29', '11 months, to the end of the month'],
  ['2027-12-31', of(1, 'days', true), '2028-01-31', '1 day, to the end of the month'],
])('finished on %s, valid %o: holds until %s', (issued, validity, until, words) => {
  expect(expiryOf(issued, validity)).toBe(until);
  expect(tellValidity(validity)).toBe(words);
});

it('that goes on to the end of a month never ends before it would have', () => {
  for (const unit of ['days', 'months', 'years'] as const)
    for (let count = 1; count < 20; count++)
      for (const day of ['2027-01-31', '2027-02-28', '2028-02-29', '2027-12-01'])
        expect(expiryOf(day, of(count, unit, true))! >= expiryOf(day, of(count, unit))!).toBe(true);
});

test.each([
  [null, null],
  [of(12, 'months'), 12],
  [of(2, 'years', true), 24],
  [of(90, 'days'), 2],
  [of(5, 'days'), 1],
])('%o renews after %s months', (validity, months) => expect(monthsOf(validity)).toBe(months));
