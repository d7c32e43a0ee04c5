import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { NAMES_THEMSELVES, type ConditionPerson, type Leaf } from './catalogue.ts';
import { holds, type Condition } from './condition.ts';
import { whyNever, type Possible } from './possible.ts';

const about: Possible = {
  names: NAMES_THEMSELVES,
  today: '2027-03-01',
  states: ['not started', 'in progress'],
  units: new Set(['u1']),
  steps: new Set(['s1']),
  isThere: (_, id) => id !== 'gone',
};
const never: [string, Condition, RegExp | null][] = [
  ['a state that it cannot have', { state: ['finished'] }, /not so at its moment/],
  ['not a state that it has', { not: { state: ['not started'] } }, null],
  ['two sites', { all: [{ site: ['Orla Quay'] }, { site: ['Tarn Ness'] }] }, /cannot both be so/],
  ['one of two sites, and one of them', { all: [{ site: ['Orla Quay', 'Tarn Ness'] }, { site: ['Tarn Ness'] }] }, null],
  ['two departments: one may stand below the other', { all: [{ department: ['Deck'] }, { department: ['Ships'] }] }, null],
  ['a thing and its contrary', { all: [{ department: ['Deck'] }, { not: { department: ['Deck'] } }] }, /cannot both/],
  ['two groups', { all: [{ group: ['A'] }, { group: ['B'] }] }, null],
  ['a site, and neither of these', { all: [{ site: ['Orla Quay'] }, { not: { site: ['Orla Quay', 'Tarn Ness'] } }] }, /cannot both/],
  ['a job, whatever its letters', { all: [{ job: ['cook'] }, { not: { job: ['Cook'] } }] }, /cannot both/],
  ['joined before and after', { all: [{ joinedBefore: '2027-01-02' }, { joinedAfter: '2027-01-01' }] }, /cannot both/],
  ['joined between', { all: [{ joinedBefore: '2027-01-03' }, { joinedAfter: '2027-01-01' }] }, null],
  ['a day that has passed', { beforeDate: '2027-03-01' }, /that day has passed/],
  ['from one day before another', { all: [{ fromDate: '2027-04-02' }, { beforeDate: '2027-04-02' }] }, /cannot both/],
  ['half done, and less', { all: [{ progressAtLeast: 50 }, { not: { progressAtLeast: 30 } }] }, /cannot both/],
  ['half done, and not nearly all', { all: [{ progressAtLeast: 50 }, { not: { progressAtLeast: 90 } }] }, null],
  ['a unit that is gone', { unitFinished: 'u9' }, /no longer in the course/],
  ['not a unit that is gone', { not: { unitFinished: 'u9' } }, null],
  ['a step that is gone', { stepSent: 's9' }, /switched off or gone/],
  ['a site that is gone', { site: ['gone'] }, /is gone/],
  ['holds and lacks the same', { all: [{ holds: ['c1'] }, { lacks: ['c1', 'c2'] }] }, /cannot both/],
  ['one of nothing', { any: [] }, /one of nothing/],
  ['all of nothing', { all: [] }, null],
  ['not all of nothing', { not: { all: [] } }, /one of nothing/],
  ['either of two that cannot be', { any: [{ state: ['finished'] }, { beforeDate: '2026-01-01' }] }, /not so at its moment/],
  ['one that cannot be, or one that can', { any: [{ state: ['finished'] }, { site: ['Orla Quay'] }] }, null],
  ['not (a or b), and a', { all: [{ not: { any: [{ site: ['a'] }, { job: ['b'] }] } }, { site: ['a'] }] }, /cannot both/],
];

describe('a condition that can never hold', () => {
  it.each(never)('%s', (_, condition, why) =>
    why === null ? expect(whyNever(condition, about)).toBeNull() : expect(whyNever(condition, about)).toMatch(why),
  );

  it('of very many ways nobody looks at each', () => {
    const pair = (i: number): Condition => ({ any: [{ site: [`a${i}`] }, { site: [`b${i}`] }] });
    expect(whyNever({ all: Array.from({ length: 12 }, (__, i) => pair(i)) }, about)).toBeNull();
  });

  it('is none that holds for anybody', () => {
    const leaf: fc.Arbitrary<Leaf> = fc.oneof(
      fc.record({ site: fc.subarray(['a', 'b', 'c'], { minLength: 1 }) }),
      fc.record({ job: fc.subarray(['x', 'y'], { minLength: 1 }) }),
      fc.record({ group: fc.subarray(['g', 'h'], { minLength: 1 }) }),
      fc.record({ department: fc.subarray(['d', 'e'], { minLength: 1 }) }),
      fc.record({ joinedBefore: fc.constantFrom('2027-01-01', '2027-01-02', '2027-01-03') }),
      fc.record({ joinedAfter: fc.constantFrom('2027-01-01', '2027-01-02', '2027-01-03') }),
      fc.record({ state: fc.subarray(['not started', 'finished', 'finished late'] as const, { minLength: 1 }) }) as fc.Arbitrary<Leaf>,
    );
    const { condition } = fc.letrec<{ condition: Condition }>((tie) => ({
      condition: fc.oneof(
        { maxDepth: 3 },
        leaf,
        fc.record({ not: tie('condition') }),
        fc.record({ all: fc.array(tie('condition'), { maxLength: 3 }) }),
        fc.record({ any: fc.array(tie('condition'), { maxLength: 3 }) }),
      ) as fc.Arbitrary<Condition>,
    }));
    const person = fc.record({
      site: fc.constantFrom('a', 'b', 'c', null),
      job: fc.constantFrom('x', 'y', null),
      groups: fc.subarray(['g', 'h']),
      department: fc.constantFrom('d', 'e', null),
      joinedOn: fc.constantFrom('2027-01-01', '2027-01-02', '2027-01-03', null),
      state: fc.constantFrom('not started' as const, 'finished' as const, 'finished late' as const),
    });
    fc.assert(
      fc.property(condition, person, (made, { state, ...rest }) => {
        const who: ConditionPerson = { id: 'p', manager: null, ...rest };
        const facts = { person: who, state, unitsFinished: new Set<string>(), further: {} as never };
        if (holds(made, facts)) expect(whyNever(made, { names: NAMES_THEMSELVES, today: '2027-03-01' })).toBeNull();
      }),
      { numRuns: 2_000 },
    );
  });
});
