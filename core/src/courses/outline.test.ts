import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { outlineOf, type Edited, type OutlineLine } from './outline.ts';
import { typedKind } from './unit-kind.ts';

interface Section {
  title: string;
  units: readonly string[];
}
const edit = outlineOf<string, Section>((_, title, units) => ({ title, units }));
const TWO: Section[] = [
  { title: 'A', units: ['a1', 'a2'] },
  { title: 'B', units: ['b1'] },
];
const text = ({ sections, at }: Edited<Section>): string =>
  `${sections.map(({ title, units }) => `${title}(${units.join(' ')})`).join(' ')} @${at.section}.${at.unit ?? '-'}`;

describe('the keys of an outline', () => {
  test.each<[string, Edited<Section>, string]>([
    ['Enter on a unit', edit.addUnit(TWO, { section: 0, unit: 0 }, 'x'), 'A(a1 x a2) B(b1) @0.1'],
    ['Enter on a heading', edit.addUnit(TWO, { section: 1, unit: null }, 'x'), 'A(a1 a2) B(x b1) @1.0'],
    ['Enter with nothing chosen goes to the end', edit.addUnit(TWO, null, 'x'), 'A(a1 a2) B(b1 x) @1.1'],
    ['Enter in an empty course', edit.addUnit([], null, 'x'), 'First section(x) @0.0'],
    ['a section after that of the line', edit.addSection(TWO, { section: 0, unit: 1 }, 'N'), 'A(a1 a2) N() B(b1) @1.-'],
    ['a unit down', edit.move(TWO, { section: 0, unit: 0 }, 1), 'A(a2 a1) B(b1) @0.1'],
    ['over the edge down', edit.move(TWO, { section: 0, unit: 1 }, 1), 'A(a1) B(a2 b1) @1.0'],
    ['over the edge up', edit.move(TWO, { section: 1, unit: 0 }, -1), 'A(a1 a2 b1) B() @0.2'],
    ['not out of the course', edit.move(TWO, { section: 1, unit: 0 }, 1), 'A(a1 a2) B(b1) @1.0'],
    ['a section with all it holds', edit.move(TWO, { section: 1, unit: null }, -1), 'B(b1) A(a1 a2) @0.-'],
    ['dragged', edit.moveTo(TWO, { section: 0, unit: 0 }, { section: 1, unit: 1 }), 'A(a2) B(b1 a1) @1.1'],
    ['Shift Tab', edit.raise(TWO, { section: 0, unit: 0 }, (unit) => unit), 'A() a1(a2) B(b1) @1.-'],
    ['Tab', edit.lower(TWO, { section: 1, unit: null }, (title) => title), 'A(a1 a2 B b1) @0.2'],
    ['Tab on the first heading does nothing', edit.lower(TWO, { section: 0, unit: null }, (title) => title), 'A(a1 a2) B(b1) @0.-'],
    ['a copy of a unit', edit.duplicate(TWO, { section: 0, unit: 0 }, (unit) => `${unit}'`), "A(a1 a1' a2) B(b1) @0.1"],
    ['a copy of a section', edit.duplicate(TWO, { section: 0, unit: null }, (unit) => `${unit}'`), "A(a1 a2) A (copy)(a1' a2') B(b1) @1.-"],
    ['a unit away', edit.remove(TWO, { section: 0, unit: 1 }), 'A(a1) B(b1) @0.0'],
    ['a section away', edit.remove(TWO, { section: 1, unit: null }), 'A(a1 a2) @0.1'],
  ])('%s', (_, edited, expected) => expect(text(edited)).toBe(expected));

  it('the cursor walks over the edges', () => {
    const walk: string[] = [];
    for (let line: OutlineLine | null = { section: 0, unit: null }; line; line = edit.next(TWO, line, 1))
      walk.push(`${line.section}.${line.unit ?? '-'}`);
    expect(walk).toEqual(['0.-', '0.0', '0.1', '1.-', '1.0']);
    expect(edit.next(TWO, { section: 1, unit: null }, -1)).toEqual({ section: 0, unit: 1 });
  });

  it('lose nothing and double nothing, whatever is pressed', () => {
    const key = fc.record({ key: fc.constantFrom('up', 'down', 'raise', 'lower'), pick: fc.nat(100) });
    fc.assert(
      fc.property(fc.array(key, { maxLength: 40 }), (keys) => {
        let now: readonly Section[] = [{ title: 'A', units: ['1', '2', '3'] }, { title: 'B', units: ['4'] }, { title: 'C', units: [] }];
        const words = (list: readonly Section[]): string[] => list.flatMap(({ title, units }) => [title, ...units]).sort();
        const before = words(now);
        for (const { key: pressed, pick } of keys) {
          const lines = now.flatMap(({ units }, section) => [{ section, unit: null as number | null }, ...units.map((_, unit) => ({ section, unit }))]);
          const line = lines[pick % lines.length]!;
          const done = pressed === 'up' || pressed === 'down' ? edit.move(now, line, pressed === 'up' ? -1 : 1) : pressed === 'raise' ? edit.raise(now, line, (unit) => unit) : edit.lower(now, line, (title) => title);
          now = done.sections;
          expect(words(now)).toEqual(before);
          // the cursor stands on a line that there is
          if (done.at.unit !== null) expect(now[done.at.section]!.units[done.at.unit]).toBeDefined();
          else expect(now[done.at.section]).toBeDefined();
        }
      }),
    ); // prettier-ignore
  });
});

test.each([
  ['link: Rules of the port', { kind: 'link', title: 'Rules of the port' }],
  ['File :  Muster card', { kind: 'file', title: 'Muster card' }],
  ['page:', { kind: 'page', title: '' }],
  ['Note: hold the rope', null],
  ['a page', null],
])('typed: %s', (typed, expected) => expect(typedKind(typed)).toEqual(expected));
