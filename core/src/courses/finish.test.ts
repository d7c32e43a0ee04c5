import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { finishFault, progressIn, tellFinish, type Counted, type FinishRule } from './finish.ts';

const units: Counted[] = [
  { id: '1', required: true, weight: 1 },
  { id: '2', required: true, weight: 3 },
  { id: '3', required: true, weight: 1 },
  { id: '4', required: false, weight: 9 },
];
const at = (rule: FinishRule, done: string[], scores: Record<string, number> = {}) => {
  const { done: count, of, percent, isFinished } = progressIn(rule, units, new Set(done), (id) => scores[id] ?? null);
  return [count, of, percent, isFinished];
};

describe('how far somebody is', () => {
  test.each<[string, FinishRule, string[], Record<string, number>, (number | boolean)[]]>([
    ['nothing done', { kind: 'all' }, [], {}, [0, 3, 0, false]],
    ['by weight, the optional one aside', { kind: 'all' }, ['1', '4'], {}, [1, 3, 20, false]],
    ['the heavy one', { kind: 'all' }, ['2'], {}, [1, 3, 60, false]],
    ['all required', { kind: 'all' }, ['1', '2', '3'], {}, [3, 3, 100, true]],
    ['one of two', { kind: 'some', units: 2 }, ['3'], {}, [1, 2, 50, false]],
    ['two of two', { kind: 'some', units: 2 }, ['3', '1'], {}, [2, 2, 100, true]],
    ['more than it takes', { kind: 'some', units: 2 }, ['1', '2', '3'], {}, [2, 2, 100, true]],
    ['a score that is short', { kind: 'score', percent: 80 }, ['1', '2'], { '2': 0.5 }, [2, 3, 62, false]],
    ['a score that is reached', { kind: 'score', percent: 50 }, ['1', '2'], { '2': 0.5 }, [2, 3, 100, true]],
    ['a score without the unit done', { kind: 'score', percent: 60 }, [], { '2': 0.5 }, [0, 3, 50, false]],
  ])('%s', (_, rule, done, scores, expected) => expect(at(rule, done, scores)).toEqual(expected));

  it('never 100 before it is finished, 100 when it is, and never less for more', () => {
    const counted = fc.array(fc.record({ required: fc.boolean(), weight: fc.integer({ min: 0, max: 100 }), isDone: fc.boolean(), score: fc.option(fc.double({ min: 0, max: 1, noNaN: true }), { nil: null }) }), { maxLength: 12 }); // prettier-ignore
    const rule: fc.Arbitrary<FinishRule> = fc.oneof(fc.constant({ kind: 'all' as const }), fc.record({ kind: fc.constant('some' as const), units: fc.integer({ min: 1, max: 12 }) }), fc.record({ kind: fc.constant('score' as const), percent: fc.integer({ min: 1, max: 100 }) })); // prettier-ignore
    fc.assert(
      fc.property(rule, counted, fc.nat(11), (by, list, more) => {
        const all = list.map((unit, i) => ({ ...unit, id: String(i) }));
        const done = new Set(all.filter(({ isDone }) => isDone).map(({ id }) => id));
        const scoreOf = (id: string): number | null => all[Number(id)]!.score;
        const progress = progressIn(by, all, done, scoreOf);
        expect(progress.percent === 100).toBe(progress.isFinished);
        expect(progress.percent).toBeGreaterThanOrEqual(0);
        expect(progress.done).toBeLessThanOrEqual(progress.of);
        const later = progressIn(by, all, new Set([...done, String(more)]), scoreOf);
        expect(later.percent).toBeGreaterThanOrEqual(progress.percent);
        const whole = progressIn(by, all, new Set(all.map(({ id }) => id)), () => null);
        expect(whole.isFinished).toBe(finishFault(by, all) === null || (by.kind === 'all' && all.some(({ required }) => required)) || (by.kind === 'some' && all.filter(({ required }) => required).length >= by.units)); // prettier-ignore
      }),
    );
  });
});

test.each<[FinishRule, Counted[], string | null]>([
  [{ kind: 'all' }, units, null],
  [{ kind: 'all' }, [units[3]!], 'No unit is required, so nobody could finish it: mark at least one as required.'],
  [{ kind: 'some', units: 4 }, units, 'It asks for 4 required units and has 3: nobody could finish it.'],
  [
    { kind: 'score', percent: 80 },
    [{ id: '1', required: true, weight: 0 }],
    'All required units weigh nothing: give at least one a weight.',
  ],
])('%j cannot be reached', (rule, list, words) => expect(finishFault(rule, list)).toBe(words));

test.each<[FinishRule, string]>([
  [{ kind: 'all' }, 'all 3 required units are done'],
  [{ kind: 'some', units: 2 }, '2 of the 3 required units are done'],
  [{ kind: 'score', percent: 80 }, 'the required units reach 80 % together, by their weights'],
])('%j in words', (rule, words) => expect(tellFinish(rule, units)).toBe(words));
