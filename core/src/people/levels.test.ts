import { expect, it, test } from 'vitest';
import fc from 'fast-check';
import { byLevel } from './levels.ts';

const people = (lines: Record<string, string | null>) => Object.entries(lines).map(([email, managerEmail]) => ({ email, managerEmail }));
const told = (lines: Record<string, string | null>): string[] =>
  byLevel(people(lines)).map((level) => level.map(({ email }) => email).join(' '));

test.each<[string, Record<string, string | null>, string[]]>([
  ['nobody', {}, []],
  ['a manager who is there already is not waited for', { runa: 'kari', per: null }, ['runa per']],
  ['those below are named first', { deep: 'middle', middle: 'top', top: 'kari', beside: 'top' }, ['top', 'middle beside', 'deep']],
  ['two lines', { a: 'b', b: null, c: 'd', d: null }, ['b d', 'a c']],
  ['somebody over themselves', { odd: 'odd' }, ['odd']],
])('%s', (_, lines, levels) => expect(told(lines)).toEqual(levels)); // prettier-ignore

it('lists everyone once, circles too, and without a circle every manager before those below', () => {
  const roster = fc.array(fc.option(fc.nat(30), { nil: null }), { maxLength: 30 });
  fc.assert(
    fc.property(roster, fc.boolean(), (managers, mayCircle) => {
      // without circles: whoever leads stands later in the file
      const added = managers.map((manager, n) => ({ email: `p${n}`, managerEmail: manager === null || (!mayCircle && manager <= n) ? null : `p${manager}` })); // prettier-ignore
      const levels = byLevel(added);
      expect(levels.flat().map(({ email }) => email).sort()).toEqual(added.map(({ email }) => email).sort()); // prettier-ignore
      if (mayCircle) return;
      const levelOf = new Map(levels.flatMap((level, n) => level.map(({ email }) => [email, n] as const)));
      for (const { email, managerEmail } of added)
        if (managerEmail && levelOf.has(managerEmail)) expect(levelOf.get(managerEmail)).toBeLessThan(levelOf.get(email)!);
    }),
  );
});
