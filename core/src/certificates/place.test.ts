import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import {
  CERTIFICATE_FIELDS,
  designFault,
  designRemarks,
  fillText,
  ontoSheet,
  PAPERS,
  sheetOf,
  type Design,
  type TextElement,
} from './design.ts';
import { fitPicture, pixelsPerInch, placeDesign, POINTS, type Measure, type PlacedText } from './place.ts';
import { STANDARD_DESIGN, STARTING_DESIGNS } from './starting.ts';

/** letters of different widths, as in a typeface */
const measure: Measure = (_face, text, size) => [...text].reduce((sum, letter) => sum + (letter === ' ' ? 0.25 : 'il.'.includes(letter) ? 0.3 : letter === 'W' ? 1 : 0.55), 0) * size; // prettier-ignore
const values = (rest: Record<string, string | null> = {}) => ({
  ...Object.fromEntries(CERTIFICATE_FIELDS.map(({ name }) => [name, name])),
  'full name': 'Runa Aske',
  course: 'Fire Teams Aboard',
  ...rest,
});
const element = (rest: Partial<TextElement> = {}): TextElement => ({ kind: 'text', id: 'a', part: null, isOn: true, box: { x: 20, y: 20, w: 100, h: 20 }, text: '{full name}', label: null, face: 'serif', size: 40, align: 'left', upright: 'top', colour: '#000000', ...rest }); // prettier-ignore
const designOf = (...elements: TextElement[]): Design => ({ ...STANDARD_DESIGN, elements });
const textsOf = (design: Design, told = values()): PlacedText[] =>
  placeDesign(design, told, measure).items.filter((item): item is PlacedText => item.kind === 'text');

describe('a text', () => {
  test.each([
    ['{full name}', 'Runa Aske'],
    ['{job} of {department}\n{course}', 'Fire Teams Aboard'],
    ['{job}, {department}', ', Deck'],
    ['{job|Employee} in {department}', 'Employee in Deck'],
    ['{job}', null],
    ['Made by hand', 'Made by hand'],
    ['  {course}   at  {site} ', 'Fire Teams Aboard at'],
  ])('“%s” says %s', (text, said) => {
    const told = {
      'full name': 'Runa Aske',
      course: 'Fire Teams Aboard',
      job: null,
      department: text.includes('of') ? null : 'Deck',
      site: '',
    };
    expect(fillText(text, told)).toBe(said);
  });

  it('keeps its size where it fits, shrinks a little before it wraps, and wraps as large as goes', () => {
    const [own] = textsOf(designOf(element()));
    expect([own!.size, own!.lines.map(({ text }) => text)]).toEqual([40, ['Runa Aske']]);
    const [shrunk] = textsOf(designOf(element()), values({ 'full name': 'Wilhelmina Aske Haug' }));
    expect(shrunk!.lines).toHaveLength(1);
    expect(shrunk!.size).toBeLessThan(40);
    const [wrapped] = textsOf(designOf(element()), values({ 'full name': 'Wilhelmina Alexandrina van Oldenbarnevelt Haug' }));
    expect(wrapped!.lines.map(({ text }) => text).join(' ')).toBe('Wilhelmina Alexandrina van Oldenbarnevelt Haug');
    expect(wrapped!.lines.length).toBeGreaterThan(1);
  });

  it('that cannot stand in its place even in small letters loses its end, and says so', () => {
    const { items, faults } = placeDesign(designOf(element({ box: { x: 20, y: 20, w: 20, h: 4 } })), values({ 'full name': 'W'.repeat(300) }), measure); // prettier-ignore
    expect(faults).toMatchObject([{ element: 'a', fault: 'cut' }]);
    expect((items.at(-1) as PlacedText).lines.at(-1)!.text).toMatch(/…$/);
  });

  it('with a label stands below it; neither stands where there is nothing to say', () => {
    const design = designOf(element({ text: '{score}', label: 'Score' }));
    const [label, score] = textsOf(design, values({ score: '92 %' }));
    expect([label!.lines[0]!.text, score!.lines[0]!.text]).toEqual(['Score', '92 %']);
    expect(score!.lines[0]!.y).toBeGreaterThan(label!.lines[0]!.y + 5);
    expect(textsOf(design, values({ score: null }))).toEqual([]);
  });

  it('whatever it says and wherever it stands, never leaves its place', () => {
    const mm = fc.double({ min: 1, max: 180, noNaN: true });
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 120 }),
        fc.record({ w: mm, h: mm, size: fc.integer({ min: 6, max: 72 }), align: fc.constantFrom('left', 'middle', 'right' as const), upright: fc.constantFrom('top', 'middle', 'bottom' as const), label: fc.constantFrom(null, 'Name of the holder') }), // prettier-ignore
        (name, { w, h, ...rest }) => {
          const box = { x: 10, y: 10, w, h };
          for (const { lines, size } of textsOf(designOf(element({ box, ...rest })), values({ 'full name': name })))
            for (const { x, y, width } of lines) {
              expect(x).toBeGreaterThanOrEqual(box.x * POINTS - 0.1);
              expect(y - size * 0.96).toBeGreaterThanOrEqual(box.y * POINTS - 0.1);
              expect(y + size * 0.29).toBeLessThanOrEqual((box.y + box.h) * POINTS + 0.2);
              // one letter may be wider than its place; nothing else is
              if (lines.length === 1 && [...lines[0]!.text].length > 2) expect(width).toBeLessThanOrEqual(box.w * POINTS + 0.1);
            }
        },
      ),
    );
  });
});

describe('a starting design', () => {
  const longest = 'Wilhelmina Alexandrina van Oldenbarnevelt-Hohenzollern zu Sigmaringen und Veringen';
  it.each(STARTING_DESIGNS.map(({ key, design }) => [key, design] as const))(
    '%s is without remark, on each sheet, with any name',
    (_key, design) => {
      expect(designFault(design)).toBeNull();
      expect(designRemarks(design)).toEqual([]);
      const told = values({ 'full name': longest, course: longest, organisation: longest, trainer: longest, 'check address': 'training.orlasund.example/verify/7F3K-9QWD-X' }); // prettier-ignore
      for (const paper of ['a4', 'letter'] as const)
        for (const isLying of [true, false]) {
          const there = ontoSheet(design, paper, isLying);
          expect(sheetOf(there)).toEqual(
            isLying ? { w: PAPERS[paper][1], h: PAPERS[paper][0] } : { w: PAPERS[paper][0], h: PAPERS[paper][1] },
          );
          const { width, height, items, faults } = placeDesign(there, told, measure);
          expect(faults.filter(({ fault }) => fault === 'cut')).toEqual([]);
          for (const item of items)
            if (item.kind === 'text')
              for (const line of item.lines) {
                expect(line.x).toBeGreaterThan(0);
                expect(line.x + line.width).toBeLessThan(width);
                expect(line.y).toBeLessThan(height);
              }
        }
    },
  );

  it('turned there and back is what it was', () => {
    for (const { design } of STARTING_DESIGNS) {
      const back = ontoSheet(ontoSheet(design, design.paper, !design.isLying), design.paper, design.isLying);
      back.elements.forEach(({ box, kind }, i) => {
        const was = design.elements[i]!.box;
        expect(Math.abs(box.x + box.w / 2 - was.x - was.w / 2)).toBeLessThan(0.4);
        if (kind === 'text') expect(Math.abs(box.w - was.w)).toBeLessThan(0.4);
      });
    }
  });
});

describe('a design', () => {
  it('with a field that no certificate has, or a single brace, is refused with what was meant', () => {
    expect(designFault(designOf(element({ text: '{fullname}' })))).toBe(
      'A text uses {fullname}, and a certificate has no such field. Did you mean {full name}?',
    );
    expect(designFault(designOf(element({ label: 'for {' })))).toContain('single “{”');
    expect(designFault(designOf(element(), element()))).toContain('same id');
  });

  it('is told what it lacks, and what stands over what or too near the edge', () => {
    const words = designRemarks(designOf(element(), element({ id: 'b', box: { x: 100, y: 30, w: 30, h: 5 }, text: 'Over' }), element({ id: 'c', box: { x: 280, y: 2, w: 30, h: 5 } }))).map((remark) => remark.words); // prettier-ignore
    expect(words).toEqual([
      'It names no course: {course} stands in none of its texts.',
      'Its serial stands nowhere: nobody can check a printed one by it.',
      '“{full name}” stands out over the sheet.',
      '“Over” stands over “{full name}”.',
    ]);
  });

  it('fits a picture of any shape into its place, centred, or over all of it', () => {
    const place = { x: 10, y: 10, w: 100, h: 50 };
    expect(fitPicture(place, { width: 400, height: 400 }, false)).toEqual({ x: 35, y: 10, w: 50, h: 50 });
    expect(fitPicture(place, { width: 400, height: 400 }, true)).toEqual({ x: 10, y: -15, w: 100, h: 100 });
    expect(pixelsPerInch({ x: 0, y: 0, w: 72, h: 72 }, { width: 100, height: 50 }, false)).toBe(100);
  });
});
