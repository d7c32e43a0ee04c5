import { expect, test } from 'vitest';
import { cellOf, tellCell, type PairFacts } from './cell.ts';

const NOW = Date.parse('2027-03-01T09:30:00Z');
const TODAY = 20_878;
const NONE: PairFacts = { dueAt: null, until: null, hasFinished: false, isWaived: false };

test.each<[string, Partial<PairFacts>, ReturnType<typeof cellOf>]>([
  ['never asked', {}, null],
  ['past its due date', { dueAt: NOW - 1 }, 'late'],
  ['due at this moment', { dueAt: NOW }, 'due'],
  ['due in two weeks less a moment', { dueAt: NOW + 14 * 86_400_000 - 1 }, 'due'],
  ['due in two weeks', { dueAt: NOW + 14 * 86_400_000 }, 'open'],
  ['late on what is held still', { dueAt: NOW - 1, until: TODAY + 10 }, 'late'],
  ['held for ever', { until: 'ever', hasFinished: true }, 'held'],
  ['held for 61 days more', { until: TODAY + 61, hasFinished: true }, 'held'],
  ['held for 60 days more', { until: TODAY + 60, hasFinished: true }, 'expiring'],
  ['held until today', { until: TODAY, hasFinished: true }, 'expiring'],
  ['held until yesterday', { until: TODAY - 1, hasFinished: true }, 'lapsed'],
  ['finished, and revoked', { hasFinished: true }, 'lapsed'],
  ['waived, never finished', { isWaived: true }, 'waived'],
  ['waived, and held', { isWaived: true, until: 'ever', hasFinished: true }, 'held'],
  ['waived after it ran out', { isWaived: true, until: TODAY - 1, hasFinished: true }, 'waived'],
])('%s', (_, facts, cell) => expect(cellOf({ ...NONE, ...facts }, NOW, TODAY)).toBe(cell));

test('each is told with its day, and without', () => {
  expect(tellCell('late', '1 Feb 2027')).toBe('late, was due 1 Feb 2027');
  expect(tellCell('held', null)).toBe('holds it');
});
