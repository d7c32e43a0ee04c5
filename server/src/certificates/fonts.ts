import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import * as fontkit from 'fontkit';
import type { Face, Measure } from '@nudrik/core';
import { shapeArabic } from './arabic.ts';

const resolve = createRequire(import.meta.url).resolve;

/** The manners of text on a certificate, each with its own typeface and weight. */
const OWN: Readonly<Record<Face, { family: string; weight: number }>> = {
  serif: { family: 'literata', weight: 600 },
  plain: { family: 'atkinson-hyperlegible-next', weight: 400 },
  strong: { family: 'atkinson-hyperlegible-next', weight: 600 },
};

/** What stands in where a typeface has no such letter, in this order. */
const OTHERS = [
  'literata',
  'noto-sans-arabic',
  'noto-sans-hebrew',
  'noto-sans-thai',
  'noto-sans-devanagari',
  'noto-sans-jp',
  'noto-sans-sc',
  'noto-sans-kr',
] as const;

/** A part of a typeface as it is shipped: a file for some ranges of characters. */
interface Part {
  file: (weight: number) => string;
  ranges: readonly (readonly [number, number])[];
}

const partsOf = new Map<string, readonly Part[]>();

/** The parts of a typeface, by the ranges that its package tells: `{ "latin": "U+0000-00FF,…", "[12]": "U+4E00,…" }`. */
function listParts(family: string): readonly Part[] {
  let parts = partsOf.get(family);
  if (!parts) {
    const told = JSON.parse(readFileSync(resolve(`@fontsource/${family}/unicode.json`), 'utf8')) as Record<string, string>;
    parts = Object.entries(told).map(([name, ranges]) => ({
      // static .woff files: cutting .woff2 down to what is written crashes
      file: (weight: number) => `@fontsource/${family}/files/${family}-${name.replace(/[[\]]/g, '')}-${weight}-normal.woff`,
      ranges: ranges.split(',').map((range) => {
        const [from, to] = range.trim().slice(2).split('-');
        return [parseInt(from!, 16), parseInt(to ?? from!, 16)] as const;
      }),
    }));
    partsOf.set(family, parts);
  }
  return parts;
}

/** Files that are kept open: names of all kinds must not fill the memory. */
const KEPT_OPEN = 48;
const opened = new Map<string, fontkit.Font | null>();

/** A font file, opened once to ask what it has and how wide that is; null where it is not shipped. */
function open(file: string): fontkit.Font | null {
  let font = opened.get(file);
  if (font === undefined) {
    const path = pathOf(file);
    if (opened.size >= KEPT_OPEN) {
      opened.clear();
      widths.clear();
      parted.clear();
    }
    font = path === null ? null : (fontkit.create(readFileSync(path)) as fontkit.Font);
    opened.set(file, font);
  }
  return font;
}

const paths = new Map<string, string | null>();
function pathOf(file: string): string | null {
  let path = paths.get(file);
  if (path === undefined) {
    try {
      path = resolve(file);
    } catch {
      path = null;
    }
    if (path !== null && !existsSync(path)) path = null;
    paths.set(file, path);
  }
  return path;
}

/** Marks that change what stands before them and have no look of their own. */
const isSilent = (point: number): boolean =>
  point === 0x200c || point === 0x200d || point === 0x200e || point === 0x200f || (point >= 0xfe00 && point <= 0xfe0f);

/** The file that has every character of a letter (a base with its marks), or null where none has. */
function lookFor(letter: string, face: Face): string | null {
  const points = [...letter].map((character) => character.codePointAt(0)!).filter((point) => !isSilent(point));
  const { family, weight } = OWN[face];
  for (const name of [family, ...OTHERS])
    for (const part of listParts(name)) {
      if (!points.some((point) => part.ranges.some(([from, to]) => point >= from && point <= to))) continue;
      const file = part.file(weight);
      const font = open(file);
      if (font && points.every((point) => font.hasGlyphForCodePoint(point))) return file;
    }
  return null;
}

/** where letters were found: each is looked for once */
const found = new Map<string, string | null>();
const MOST_FOUND = 20_000;
function fileFor(letter: string, face: Face): string | null {
  const key = face + letter;
  let file = found.get(key);
  if (file === undefined) {
    if (found.size >= MOST_FOUND) found.clear();
    found.set(key, (file = lookFor(letter, face)));
  }
  return file;
}

const letters = new Intl.Segmenter('en', { granularity: 'grapheme' });
/** letters that are one character each: most text, and finding its letters costs as much as drawing it */
const SIMPLE = /^[\u0020-\u007e\u00a0-\u017f\u2010-\u2026]*$/;
const lettersOf = (text: string): string[] =>
  SIMPLE.test(text) ? text.split('') : [...letters.segment(shapeArabic(text.normalize('NFC')))].map(({ segment }) => segment);

/** Letters of a text that no shipped font has: on a certificate they would be missing. */
export const missingLetters = (text: string): string[] => [
  ...new Set(
    lettersOf(text)
      .filter((letter) => letter.trim() !== '' && fileFor(letter, 'serif') === null)
      .map((letter) => letter.normalize('NFKC')),
  ),
];

const RIGHT_TO_LEFT = /[\p{Script=Hebrew}\p{Script=Arabic}\p{Script=Syriac}\p{Script=Thaana}]/u;
const STRONG = /\p{L}/u;

/** Letters of Arabic are shaped already: what is composed of parts would lose them. */
const AS_WRITTEN = { ccmp: false, isol: false, init: false, medi: false, fina: false } as const;

/** A stretch of text in one font. */
export interface Run {
  text: string;
  /** of its font, on this machine */
  path: string;
  font: fontkit.Font;
  /** as pdfkit takes them; null where it may shape word by word, and remember words */
  features: Readonly<Record<string, boolean>> | null;
  /** its width in sizes of a letter, once it was asked for */
  em?: number;
}

interface Stretch extends Run {
  isRightToLeft: boolean;
}

/** lines that were parted lately: each is measured, and then drawn, and most stand on every certificate */
const parted = new Map<string, Run[]>();
const MOST_PARTED = 2_000;

/** Stretches in the order in which they stand on the page, from left to right. */
export function runsOf(face: Face, text: string): readonly Run[] {
  const key = face + text;
  let runs = parted.get(key);
  if (!runs) {
    if (parted.size >= MOST_PARTED) parted.clear();
    parted.set(key, (runs = partRuns(face, text)));
  }
  return runs;
}

function partRuns(face: Face, text: string): Run[] {
  const runs: Stretch[] = [];
  for (const letter of lettersOf(text)) {
    const last = runs.at(-1);
    const isRightToLeft = STRONG.test(letter) ? RIGHT_TO_LEFT.test(letter) : (last?.isRightToLeft ?? false);
    const file = fileFor(letter, face) ?? fileFor('?', face)!;
    const path = pathOf(file)!;
    // a blank takes the font of what stands before it, so that words are shaped as one line
    if (last && last.isRightToLeft === isRightToLeft && (last.path === path || letter === ' ')) last.text += letter;
    else runs.push({ text: letter, path, font: open(file)!, features: isRightToLeft ? AS_WRITTEN : null, isRightToLeft });
  }
  return RIGHT_TO_LEFT.test(STRONG.exec(text)?.[0] ?? '') ? runs.reverse() : runs;
}

/** The pieces of a stretch that are shaped by themselves: words with the blank after them, as pdfkit does it. */
export const piecesOf = ({ text, features }: Pick<Run, 'text' | 'features'>): string[] =>
  features ? [text] : (text.match(/[^ \t]*[ \t]|[^ \t]+$/g) ?? []);

/** widths of pieces, of a letter's size, by font */
const widths = new Map<fontkit.Font, Map<string, number>>();
const MOST_WIDTHS = 5_000;

/** How wide a stretch is at a size, in points. */
export function widthOfRun(run: Run, size: number): number {
  run.em ??= widthIn(run);
  return run.em * size;
}

/** How wide a stretch is, in sizes of a letter. */
function widthIn({ font, text, features }: Run): number {
  let known = widths.get(font);
  if (!known) widths.set(font, (known = new Map()));
  if (known.size > MOST_WIDTHS) known.clear();
  let width = 0;
  for (const piece of piecesOf({ text, features })) {
    let own = known.get(piece);
    if (own === undefined) {
      own = font.layout(piece, features ?? undefined).advanceWidth / font.unitsPerEm;
      known.set(piece, own);
    }
    width += own;
  }
  return width;
}

/** How wide a line is, in the fonts that it is written in. */
export const measure: Measure = (face, text, size) => runsOf(face, text).reduce((sum, run) => sum + widthOfRun(run, size), 0);
