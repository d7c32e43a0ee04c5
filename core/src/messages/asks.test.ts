import { expect, test } from 'vitest';
import { answerShownTo, isShared, readsWord, type Asks, type ShownTo } from './asks.ts';

test.each<[string, ShownTo | null, Asks, ShownTo | null, ShownTo | undefined, ShownTo | null]>([
  ['by mail alone, of what was not asked on a page', null, 'course', null, 'course', null],
  ['by mail alone, of what came by mail', 'course', 'course', null, undefined, null],
  ['by mail alone, of what came by mail, also to whoever asked alone', 'course', 'course', null, 'person', null],
  ['by whoever asked, of what they asked alone', 'person', 'course', 'person', undefined, 'person'],
  ['by whoever asked, though all was chosen, of what they asked alone', 'person', 'course', 'person', 'course', 'person'],
  ['by whoever asked, where the course allows no more', 'course', 'trainer', 'course', 'course', 'person'],
  ['by everybody, as the word that it answers', 'course', 'course', 'course', undefined, 'course'],
  ['by whoever asked, as is chosen', 'course', 'course', 'course', 'person', 'person'],
  ['by everybody, as is chosen', 'course', 'course', null, 'course', 'course'],
])('an answer is read %s', (_, shownTo, asks, answered, chosen, expected) =>
  expect(answerShownTo({ shownTo, asks }, { answered, chosen })).toBe(expected),
);

test('everybody reads what was asked so, and only while the course allows it', () => {
  expect([isShared('course', 'course'), isShared('course', 'trainer'), isShared('person', 'course'), isShared('course', null)]).toEqual([
    true,
    false,
    false,
    false,
  ]);
});

test('a word is read by its writer always, by whoever asked, and by others where it is for all; off the page by its writer alone', () => {
  const read = (shownTo: ShownTo, isOff: boolean): boolean[] =>
    [
      { isWriter: true, isAsker: false },
      { isWriter: false, isAsker: true },
      { isWriter: false, isAsker: false },
    ].map((who) => readsWord({ shownTo, isOff }, who));
  expect(read('course', false)).toEqual([true, true, true]);
  expect(read('person', false)).toEqual([true, true, false]);
  expect(read('course', true)).toEqual([true, false, false]);
});
