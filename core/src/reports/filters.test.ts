import { expect, test } from 'vitest';
import { tellFilters } from './filters.ts';

test.each<[object, string]>([
  [{}, ''],
  [{ department: 'Deck', state: 'late', page: 0, size: 50, from: 0 }, 'department Deck, late'],
  [{ state: 'all', find: '', by: 'person', known: 'then' }, ''],
  [{ on: '2026-03-01', known: 'now' }, 'as of 1 Mar 2026, as is known now'],
  [{ on: 'nonsense', course: '7', by: 'site' }, 'as of nonsense, of one course, by site'],
  [{ who: 'skipped:finished', constructor: 'x', step: 'a'.repeat(200) }, `skipped, finished, step ${'a'.repeat(80)}`],
])('filters %j are told as “%s”', (query, words) => expect(tellFilters(query as Record<string, unknown>)).toBe(words));

test('what is told elsewhere is left out', () =>
  expect(tellFilters({ course: '7', site: 'Orla Quay' }, ['course'])).toBe('site Orla Quay'));
