import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { fileFault, FILE_KINDS, tellBytes, titleOfFile } from '../files/file-kind.ts';
import { isPackageDone, packageTold } from './package.ts';
import { isPlayed, mergeStretches, playedShare, playedWith, tellSeconds, type Stretch } from './video.ts';

const seconds = 600;
const stretch = fc.tuple(fc.double({ min: -50, max: 700, noNaN: true }), fc.double({ min: -50, max: 700, noNaN: true })).map(([a, b]): Stretch => [a, b]); // prettier-ignore
const length = (stretches: readonly Stretch[]): number => stretches.reduce((sum, [from, to]) => sum + to - from, 0);

describe('what was played of a video', () => {
  it('is told in order, nothing twice, nothing outside of it', () => {
    fc.assert(
      fc.property(fc.array(stretch, { maxLength: 20 }), (list) => {
        const merged = mergeStretches(list, seconds);
        merged.forEach(([from, to], i) => {
          expect(from).toBeGreaterThanOrEqual(0);
          expect(to).toBeLessThanOrEqual(seconds);
          expect(to).toBeGreaterThan(from);
          if (i > 0) expect(from).toBeGreaterThan(merged[i - 1]![1]);
        });
        // a second that was played is in it, and no other
        for (let at = 0.5; at < seconds; at += 7)
          expect(merged.some(([from, to]) => from <= at && at < to)).toBe(list.some(([from, to]) => Math.max(0, from) <= at && at < Math.min(seconds, to)));
        expect(mergeStretches(merged, seconds)).toEqual(merged);
      }),
    ); // prettier-ignore
  });

  it('never grows by more than can have been played meanwhile, and never shrinks', () => {
    fc.assert(
      fc.property(fc.array(stretch, { maxLength: 8 }), fc.array(stretch, { maxLength: 8 }), fc.double({ min: 0, max: 900, noNaN: true }), (before, told, elapsed) => {
        const kept = mergeStretches(before, seconds);
        const after = playedWith(kept, told, elapsed, seconds);
        expect(length(after)).toBeLessThanOrEqual(length(kept) + elapsed * 2 + 1 + 1e-6);
        expect(length(after)).toBeGreaterThanOrEqual(length(kept) - 1e-6);
      }),
    ); // prettier-ignore
  });

  test.each<[string, Stretch[], number, boolean]>([
    ['all of it', [[0, 600]], 90, true],
    ['nine tenths in two', [[0, 300], [310, 550]], 90, true],
    ['dragged to its end', [[0, 5], [595, 600]], 90, false],
    ['the same twice', [[0, 300], [0, 300]], 90, false],
    ['nothing', [], 1, false],
    ['but for the last second', [[0, 599.2]], 100, true],
  ])('%s', (_, played, share, isEnough) => expect(isPlayed({ share, seconds, captions: [] }, played)).toBe(isEnough)); // prettier-ignore

  test.each([
    [[[0, 299]], 49],
    [[[0, 600]], 100],
    [[], 0],
  ] as [Stretch[], number][])('%j is %i %%', (played, percent) => expect(playedShare(played, seconds)).toBe(percent));

  test.each([
    [5, '0:05'],
    [245, '4:05'],
    [3_750, '1:02:30'],
  ])('%i s is told as %s', (s, words) => expect(tellSeconds(s)).toBe(words));
});

describe('what a package tells', () => {
  test.each([
    ['1.2', { core: { lesson_status: 'incomplete', score: { raw: '' } } }, [false, null, null], false],
    ['1.2', { core: { lesson_status: 'completed', score: { raw: '80' } } }, [true, null, 0.8], true],
    ['1.2', { core: { lesson_status: 'passed', score: { raw: '8', min: '0', max: '10' } } }, [true, true, 0.8], true],
    ['1.2', { core: { lesson_status: 'failed', score: { raw: 40 } } }, [true, false, 0.4], false],
    ['1.2', { core: { lesson_status: 'passed', score: { raw: '300' } } }, [true, true, 1], true],
    ['2004', { completion_status: 'completed', success_status: 'unknown', score: { scaled: '' } }, [true, null, null], true],
    ['2004', { completion_status: 'incomplete', success_status: 'passed', score: { scaled: '0.9' } }, [false, true, 0.9], true],
    ['2004', { completion_status: 'completed', success_status: 'failed', score: { scaled: -0.5 } }, [true, false, 0], false],
    ['2004', null, [false, null, null], false],
    ['1.2', 'nonsense', [false, null, null], false],
  ] as const)('%s %j', (edition, data, [isCompleted, isPassed, score], isDone) => {
    const told = packageTold(edition, data);
    expect(told).toEqual({ isCompleted, isPassed, score });
    expect(isPackageDone(told)).toBe(isDone);
  });
});

describe('a file', () => {
  it('of each kind is taken under its own name, and told of where it is too large', () => {
    for (const [type, kind] of Object.entries(FILE_KINDS)) {
      for (const ending of kind.endings) expect(fileFault(`a.${ending.toUpperCase()}`, type, 10)).toBeNull();
      expect(fileFault('a', type, 10)).toBeNull();
      expect(fileFault(`a.${kind.endings[0]!}`, type, kind.limit + 1)).toContain(`may have ${tellBytes(kind.limit)}`);
      expect(fileFault('a.exe', type, 10)).toContain('its name ends in .exe');
    }
    expect(fileFault('a.pdf', null, 10, 'a program')).toMatch(/^a\.pdf: this is a program, which is not taken\. Expected: PDF/);
  });
  test.each([
    ['muster-list_2027.pdf', 'Muster list 2027'],
    ['a.b.docx', 'A.b'],
    ['noending', 'Noending'],
  ])('%s makes the title %s', (name, title) => expect(titleOfFile(name)).toBe(title));
  test.each([
    [1, '1 byte'],
    [1_500, '1.5 kB'],
    [20 * 1024 * 1024, '20 MB'],
    [2048 * 1024 * 1024, '2 GB'],
  ])('%i bytes are told as %s', (bytes, words) => expect(tellBytes(bytes)).toBe(words));
});
