import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { entryFault, maySign, NEW_SIGN_OFF, signedOutcome, signOffFaults, type SignOffSheet } from './sign-off.ts';

const sheet = (rest: Partial<SignOffSheet> = {}): SignOffSheet => ({
  ...NEW_SIGN_OFF,
  criteria: [
    { id: 'a', words: 'Throws the line', isNeeded: true },
    { id: 'b', words: 'Calls out', isNeeded: true },
    { id: 'c', words: 'Coils it', isNeeded: false },
  ],
  ...rest,
});

describe('an outcome', () => {
  test.each([
    ['met', true, ['a', 'b']],
    ['met', true, ['c', 'b', 'a']],
    ['not-met', true, ['a', 'c']],
    ['not-met', true, []],
    ['absent', false, []],
  ] as const)('is %s where attended is %s and met are %j', (outcome, attended, met) => {
    expect(signedOutcome(sheet(), { attended, met })).toBe(outcome);
    expect(entryFault(sheet(), { attended, met })).toBeNull();
  });

  it('never turns worse by one more criterion that was met', () => {
    const ids = ['a', 'b', 'c'];
    fc.assert(
      fc.property(fc.subarray(ids), fc.constantFrom(...ids), (met, more) => {
        if (signedOutcome(sheet(), { attended: true, met }) === 'met')
          expect(signedOutcome(sheet(), { attended: true, met: [...met, more] })).toBe('met');
      }),
    );
  });

  it('is refused where it says what cannot be', () => {
    expect(entryFault(sheet(), { attended: false, met: ['a'] })).toContain('Who did not attend met nothing');
    expect(entryFault(sheet(), { attended: true, met: ['z'] })).toContain('“z”');
  });
});

describe('who may sign off', () => {
  const person = { id: 'runa', site: 'orla', line: ['ivar', 'aud'] };
  const signers = { managers: true, trainers: true, people: ['named'], sites: [{ site: 'orla', people: ['quay'] }, { site: 'tarn', people: ['ness'] }] }; // prettier-ignore
  test.each([
    ['ivar', 'their manager'],
    ['aud', 'above their manager'],
    ['tora', 'trainer of the course'],
    ['named', 'named for everybody'],
    ['quay', 'named for their site'],
    ['ness', null],
    ['odd', null],
    ['runa', null],
  ])('%s: %s', (signer, because) => expect(maySign(signers, signer, person, ['tora', 'runa'])).toBe(because));

  it('is what the rule says, and nobody where it names nobody', () => {
    for (const signer of ['ivar', 'aud', 'tora', 'named', 'quay'])
      expect(maySign({ managers: false, trainers: false, people: [], sites: [] }, signer, person, ['tora'])).toBeNull();
  });
});

test.each<[Partial<SignOffSheet>, string[]]>([
  [{}, []],
  [{ criteria: [] }, ['has no criterion yet']],
  [{ criteria: [{ id: 'a', words: ' ', isNeeded: true }] }, ['has a criterion without words']],
  [{ criteria: [{ id: 'a', words: 'A', isNeeded: false }] }, ['has no criterion that is needed: whoever came would have met it']],
  [{ criteria: [{ id: 'a', words: 'A', isNeeded: true }, { id: 'a', words: 'B', isNeeded: true }] }, ['has two criteria of one id']], // prettier-ignore
  [{ signers: { managers: false, trainers: false, people: [], sites: [{ site: 'orla', people: [] }] } }, ['may be signed off by nobody']],
])('a sheet with %o: %j', (rest, faults) => expect(signOffFaults(sheet(rest))).toEqual(faults));
