import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import type { Leaf, Names, Structure } from '../conditions/catalogue.ts';
import { leavesOf } from '../conditions/condition.ts';
import { changesOn, compileAudience, everyone, factsBehind, tellAudience, type Audience, type AudiencePerson } from './audience.ts';

const TODAY = '2027-03-01';
const PARENTS: Record<string, string> = { boats: 'deck', rafts: 'boats' };
const MANAGERS: Record<string, string> = { runa: 'odd', odd: 'kari', per: 'kari', loop: 'pool', pool: 'loop' };
const structure: Structure = { parentOf: (id) => PARENTS[id] ?? null, managerOf: (id) => MANAGERS[id] ?? null };
const NAMES: Record<string, string> = { deck: 'Deck', engine: 'Engine', boats: 'Boats', orla: 'Orla Quay', shore: 'Shore staff', kari: 'Kari Nes', fire: 'Fire Teams Aboard' }; // prettier-ignore
const name = (id: string): string => NAMES[id] ?? id;
const names: Names = { department: name, site: name, group: name, person: name, course: name, unit: name, step: name };
const runa: AudiencePerson = {
  id: 'runa', name: 'Runa Aske', number: 'OF-1020', department: 'boats', site: 'orla', groups: ['night'], job: 'Deckhand', manager: 'odd',
  joinedOn: '2027-01-15', leftOn: null, held: [{ course: 'fire', until: '2027-06-30' }, { course: 'lines', until: null }],
}; // prettier-ignore
const holds = (audience: Audience, person = runa): boolean => compileAudience(audience, structure, TODAY).test(person);

describe('a condition', () => {
  test.each<[string, Audience, boolean, string]>([
    ['a department with those below it', { department: ['deck', 'engine'], below: true }, true, 'Deck or Engine'],
    ['a department without those below it', { department: ['deck'], below: false }, false, 'Deck itself'],
    ['a site', { site: ['orla'] }, true, 'at Orla Quay'],
    ['a group', { group: ['shore'] }, false, 'in the group Shore staff'],
    ['a job title, in any writing', { job: ['deckhand', 'Cook'] }, true, 'works as deckhand or Cook'],
    ['a manager’s line, down to the second layer', { line: ['kari'] }, true, 'in the line of Kari Nes'],
    ['nobody is in their own line', { line: ['runa'] }, false, 'in the line of runa'],
    ['joined before', { joinedBefore: '2027-01-16' }, true, 'joined before 16 Jan 2027'],
    ['joined before is not on the day', { joinedBefore: '2027-01-15' }, false, 'joined before 15 Jan 2027'],
    ['joined after', { joinedAfter: '2027-01-14' }, true, 'joined after 14 Jan 2027'],
    ['joined 45 days ago, within 45', { joinedWithin: 45 }, true, 'joined in the last 45 days'],
    ['joined 45 days ago, not within 44', { joinedWithin: 44 }, false, 'joined in the last 44 days'],
    ['a personnel number', { number: ['of-1020'] }, true, 'number of-1020'],
    ['holds a course', { holds: ['fire'] }, true, 'holds Fire Teams Aboard'],
    ['lacks one', { lacks: ['fire'] }, false, 'lacks Fire Teams Aboard'],
    ['lacks one that was never taken', { lacks: ['cash'] }, true, 'lacks cash'],
    ['everyone', everyone, true, 'everyone'],
    ['nobody', { any: [] }, false, 'nobody'],
  ])('%s', (_, audience, expected, words) => {
    expect(holds(audience)).toBe(expected);
    expect(holds({ not: audience })).toBe(!expected);
    expect(tellAudience(audience, names)).toBe(words);
  });
  it('what has run out is not held', () =>
    expect(holds({ holds: ['fire'] }, { ...runa, held: [{ course: 'fire', until: '2027-02-28' }] })).toBe(false));
  it('who has not joined yet is looked at as on the day of joining', () => {
    const joins = { ...runa, joinedOn: '2027-03-08' };
    expect([holds({ joinedWithin: 0 }, joins), holds({ holds: ['fire'] }, { ...joins, joinedOn: '2027-07-01' })]).toEqual([true, false]);
  });
  it('a loop of managers ends', () => expect(holds({ line: ['kari'] }, { ...runa, id: 'loop' })).toBe(false));
  it('without a date, a number or a job nothing about them holds', () => {
    const bare = { ...runa, joinedOn: null, number: null, job: null };
    for (const leaf of [
      { joinedBefore: '2030-01-01' },
      { joinedAfter: '2000-01-01' },
      { joinedWithin: 9999 },
      { number: ['OF-1020'] },
      { job: ['Deckhand'] },
    ] as Leaf[])
      // prettier-ignore
      expect(holds(leaf, bare)).toBe(false);
  });
});

describe('in words', () => {
  const audience: Audience = {
    all: [{ department: ['deck', 'engine'], below: true }, { site: ['orla'] }, { joinedWithin: 90 }, { not: { group: ['shore'] } }],
  };
  it('it reads as a sentence', () =>
    expect(tellAudience(audience, names)).toBe('Deck or Engine, at Orla Quay, joined in the last 90 days, not in the group Shore staff'));
  it('what is nested stands in brackets', () =>
    expect(tellAudience({ all: [{ any: [{ site: ['orla'] }, { job: ['Cook'] }] }, { not: { all: [{ holds: ['fire'] }, { line: ['kari'] }] } }] }, names)).toBe(
      '(at Orla Quay or works as Cook), not (holds Fire Teams Aboard, in the line of Kari Nes)',
    )); // prettier-ignore
  it('many numbers are counted', () =>
    expect(tellAudience({ not: { number: ['1', '2', '3', '4'] } }, names)).toBe('not one of 4 personnel numbers'));
  it('the facts behind it name what holds', () =>
    expect(factsBehind(audience, runa, structure, names, TODAY)).toEqual([
      'is in Boats (below Deck)',
      'is at Orla Quay',
      'joined on 15 Jan 2027',
      'is not in the group Shore staff',
    ]));
});

const leaf: fc.Arbitrary<Audience> = fc.constantFrom<Audience>({ department: ['deck'], below: true }, { department: ['engine'], below: true }, { site: ['orla'] }, { site: ['tarn'] }, { group: ['night'] }, { line: ['kari'] }, { joinedWithin: 10 }, { holds: ['fire'] }, { lacks: ['cash'] }); // prettier-ignore
const { audience: anyAudience } = fc.letrec<{ audience: Audience }>((tie) => ({
  audience: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.record({ all: fc.array(tie('audience'), { maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('audience'), { maxLength: 3 }) }),
    fc.record({ not: tie('audience') }),
  ),
}));

describe('who is just outside, and why', () => {
  const just = (audience: Audience): Leaf[] | null => compileAudience(audience, structure, TODAY).reasons(runa, true);
  it('is told by the conditions that keep somebody out', () =>
    expect(just({ all: [{ site: ['orla'] }, { not: { group: ['night'] } }] })).toEqual([{ group: ['night'] }]));
  it('the easiest way in counts', () =>
    expect(just({ any: [{ all: [{ site: ['tarn'] }, { job: ['Cook'] }] }, { job: ['Boatswain'] }] })).toEqual([{ job: ['Boatswain'] }]));
  it('no condition leads into nobody', () => expect(just({ all: [{ site: ['orla'] }, { any: [] }] })).toBeNull());
  it('reasons are empty exactly where the person is in', () => {
    fc.assert(
      fc.property(anyAudience, (audience) => {
        const matcher = compileAudience(audience, structure, TODAY);
        expect(matcher.reasons(runa, true)?.length === 0).toBe(matcher.test(runa));
        expect(matcher.reasons(runa, false)?.length === 0).toBe(!matcher.test(runa));
      }),
    );
  });
  it('two nots are none; words and leaves never fail', () => {
    fc.assert(
      fc.property(anyAudience, (audience) => {
        expect(holds({ not: { not: audience } })).toBe(holds(audience));
        expect(holds({ not: { any: [audience, { site: ['tarn'] }] } })).toBe(
          holds({ all: [{ not: audience }, { not: { site: ['tarn'] } }] }),
        );
        expect(tellAudience(audience, names)).not.toContain('undefined');
        expect(leavesOf(audience).every((part) => tellAudience(part, names) !== '')).toBe(true);
      }),
    );
  });
});

describe('when time alone changes the answer', () => {
  test.each<[string, Audience, string | null]>([
    ['never', { site: ['orla'] }, null],
    ['the day after a stretch of days ends', { joinedWithin: 60 }, '2027-03-17'],
    ['the day after a certificate ends', { not: { holds: ['fire'] } }, '2027-07-01'],
    ['whichever comes first', { any: [{ lacks: ['fire'] }, { joinedWithin: 60 }] }, '2027-03-17'],
    ['not what has passed', { joinedWithin: 10 }, null],
  ])('%s', (_, audience, expected) => expect(changesOn(audience, runa, TODAY)).toBe(expected));
  it('holds the same until that day, and is right about it', () => {
    fc.assert(
      fc.property(anyAudience, (audience) => {
        const on = changesOn(audience, runa, TODAY);
        const at = (day: string): boolean => compileAudience(audience, structure, day).test(runa);
        for (const day of ['2027-03-02', '2027-03-20', '2027-06-30', '2027-08-01'])
          if (on === null || day < on) expect(at(day)).toBe(at(TODAY));
      }),
    );
  });
});
