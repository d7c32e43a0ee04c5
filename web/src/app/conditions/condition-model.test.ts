import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { compileAudience, everyone, type Audience, type AudiencePerson, type Structure } from '@nudrik/core';
import { conditionFrom, emptyLeaf, isComplete, newGroup, newRow, rowsFrom, valuesOf, withValues, type Row } from './condition-model.ts';

const flat: Structure = { parentOf: () => null, managerOf: () => null };
const PEOPLE: AudiencePerson[] = ['deck', 'engine'].flatMap((department) =>
  ['orla', 'tarn'].map((site) => ({ id: department + site, name: site, number: null, department, site, groups: site === 'orla' ? ['night'] : [], job: 'Cook', manager: null, joinedOn: '2027-01-01', leftOn: null, held: [] })),
); // prettier-ignore
const who = (audience: Audience): string[] => {
  const { test: isIn } = compileAudience(audience, flat, '2027-03-01');
  return PEOPLE.filter(isIn).map(({ id }) => id);
};
const leaf = fc.constantFrom<Audience>(
  { department: ['deck'], below: true },
  { site: ['orla'] },
  { group: ['night'] },
  { joinedWithin: 10 },
);
const { audience } = fc.letrec<{ audience: Audience }>((tie) => ({
  audience: fc.oneof(
    { depthSize: 'small' },
    leaf,
    fc.record({ all: fc.array(tie('audience'), { minLength: 1, maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('audience'), { minLength: 1, maxLength: 3 }) }),
    fc.record({ not: tie('audience') }),
  ),
}));

describe('the builder’s rows', () => {
  it('ask for the same people as the audience that they were made from', () => {
    fc.assert(
      fc.property(audience, (stored) => {
        const rows = rowsFrom(stored);
        expect(rows.isNot).toBe(false);
        expect(who(conditionFrom(rows)!)).toEqual(who(stored));
      }),
    );
  });
  it('leave out what says nothing yet, and groups without a row', () => {
    const rows: Row = { kind: 'group', isNot: false, mode: 'all', rows: [newRow(), { ...newGroup('any'), rows: [] }, newGroup('any')] };
    expect(conditionFrom(rows)).toBeNull();
    expect(conditionFrom({ ...rows, rows: [...rows.rows, { kind: 'leaf', isNot: true, leaf: { site: ['orla'] } }] })).toEqual({ all: [{ not: { site: ['orla'] } }] }); // prettier-ignore
  });
  it('everyone is a group without a row', () => expect(rowsFrom(everyone)).toEqual({ kind: 'group', isNot: false, mode: 'all', rows: [] }));
  it('two nots are none', () => expect(rowsFrom({ not: { not: { site: ['orla'] } } }).rows).toEqual([{ kind: 'leaf', isNot: false, leaf: { site: ['orla'] } }])); // prettier-ignore
  it('a new row is its own: filling it fills no other', () => {
    const first = emptyLeaf('site');
    expect(withValues(first, ['orla'])).toEqual({ site: ['orla'] });
    expect(valuesOf(emptyLeaf('site'))).toEqual([]);
  });
  test.each<[string, Parameters<typeof isComplete>[0], boolean]>([
    ['a list with somebody in it', { site: ['orla'] }, true],
    ['an empty list', { site: [] }, false],
    ['a date', { joinedBefore: '2027-03-01' }, true],
    ['no date yet', { joinedAfter: '' }, false],
    ['days', { joinedWithin: 0 }, true],
    ['days that were emptied', { joinedWithin: null as unknown as number }, false],
  ])('%s', (_, condition, expected) => expect(isComplete(condition)).toBe(expected));
});
