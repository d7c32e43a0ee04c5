import { expect, test } from 'vitest';
import { nextYear } from './holidays.ts';

test.each([
  ['2027-01-01', 'New Year’s Day', '2028-01-01', false],
  ['2027-03-26', 'Good Friday', '2028-03-26', true],
  ['2027-05-31', 'Spring holiday', '2028-05-31', true],
  ['2028-02-29', 'Leap Day', '2029-02-28', true],
  ['2027-12-25', 'Christmas Day', '2028-12-25', false],
])('%s, %s, is copied to %s, to be looked at: %s', (on, name, next, needsLook) =>
  expect(nextYear({ on, name })).toEqual({ on: next, name, needsLook }),
);
