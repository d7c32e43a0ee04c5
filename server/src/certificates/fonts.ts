// the shaping of Devanagari in fontkit asks for it
import 'regenerator-runtime/runtime.js';
import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import fontkit from '@pdf-lib/fontkit';
import type { PDFDocument, PDFFont } from 'pdf-lib';
import { shapeArabic } from './arabic.ts';
import { sfntOf } from './woff.ts';

const resolve = createRequire(import.meta.url).resolve;

/** The manners of text on a certificate, each with its own typeface and weight. */
export type Style = 'serif' | 'plain' | 'strong';
const OWN: Readonly<Record<Style, { family: string; weight: number }>> = {
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
      // static .woff files: the subsetting of .woff2 crashes in fontkit
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

interface Glyphs {
  hasGlyphForCodePoint(point: number): boolean;
}
/** Files that are kept open: names of all kinds must not fill the memory. */
const KEPT_OPEN = 48;
const opened = new Map<string, Glyphs | null>();

/** A font file, opened once to ask what it has; null where it is not shipped. */
function open(file: string): Glyphs | null {
  let font = opened.get(file);
  if (font === undefined) {
    const path = pathOf(file);
    if (opened.size >= KEPT_OPEN) opened.clear();
    font = path === null ? null : (fontkit.create(readFileSync(path)) as unknown as Glyphs);
    opened.set(file, font);
  }
  return font;
}

function pathOf(file: string): string | null {
  try {
    const path = resolve(file);
    return existsSync(path) ? path : null;
  } catch {
    return null;
  }
}

/** Marks that change what stands before them and have no look of their own. */
const isSilent = (point: number): boolean =>
  point === 0x200c || point === 0x200d || point === 0x200e || point === 0x200f || (point >= 0xfe00 && point <= 0xfe0f);

/** The file that has every character of a letter (a base with its marks), or null where none has. */
function fileFor(letter: string, style: Style): string | null {
  const points = [...letter].map((character) => character.codePointAt(0)!).filter((point) => !isSilent(point));
  const { family, weight } = OWN[style];
  for (const name of [family, ...OTHERS])
    for (const part of listParts(name)) {
      if (!points.some((point) => part.ranges.some(([from, to]) => point >= from && point <= to))) continue;
      const file = part.file(weight);
      const font = open(file);
      if (font && points.every((point) => font.hasGlyphForCodePoint(point))) return file;
    }
  return null;
}

const letters = new Intl.Segmenter('en', { granularity: 'grapheme' });
const lettersOf = (text: string): string[] => [...letters.segment(shapeArabic(text.normalize('NFC')))].map(({ segment }) => segment);

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

/** A stretch of text in one font. */
interface Run {
  text: string;
  font: PDFFont;
  isRightToLeft: boolean;
}

/** The fonts of one document; a file is embedded when something is first written in it. */
export class Fonts {
  private readonly embedded = new Map<string, PDFFont>();
  private readonly files = new Map<string, string>();

  constructor(private readonly document: PDFDocument) {}

  /** Embeds what some texts need; they are measured and drawn after that. */
  async prepare(style: Style, ...texts: readonly string[]): Promise<void> {
    for (const letter of new Set(texts.flatMap(lettersOf))) {
      const file = fileFor(letter, style) ?? fileFor('?', style)!;
      this.files.set(`${style} ${letter}`, file);
      if (this.embedded.has(file)) continue;
      // cut down to what is written, but for Arabic: of letters that are composed of parts the parts would be missing
      const subset = !file.includes('arabic');
      this.embedded.set(file, await this.document.embedFont(sfntOf(readFileSync(pathOf(file)!)), { subset }));
    }
  }

  /** Stretches in the order in which they stand on the page, from left to right. */
  runs(style: Style, text: string): Run[] {
    const runs: Run[] = [];
    for (const letter of lettersOf(text)) {
      const own = this.embedded.get(this.files.get(`${style} ${letter}`)!)!;
      const last = runs.at(-1);
      const isRightToLeft = STRONG.test(letter) ? RIGHT_TO_LEFT.test(letter) : (last?.isRightToLeft ?? false);
      // a blank takes the font of what stands before it, so that words are shaped as one line
      const font = letter === ' ' && last ? last.font : own;
      if (last?.font === font && last.isRightToLeft === isRightToLeft) last.text += letter;
      else runs.push({ text: letter, font, isRightToLeft });
    }
    return RIGHT_TO_LEFT.test(STRONG.exec(text)?.[0] ?? '') ? runs.reverse() : runs;
  }

  width(style: Style, text: string, size: number): number {
    return this.runs(style, text).reduce((sum, run) => sum + run.font.widthOfTextAtSize(run.text, size), 0);
  }

  /** Breaks a text into lines that fit: between words, and within a word that is wider than a line. */
  lines(style: Style, written: string, size: number, width: number): string[] {
    const lines: string[] = [];
    // shaped as a whole: a word that is broken keeps its forms
    const text = shapeArabic(written);
    const add = (piece: string, between: string): void => {
      const last = lines.at(-1);
      if (last !== undefined && this.width(style, last + between + piece, size) <= width) lines[lines.length - 1] = last + between + piece;
      else lines.push(piece);
    };
    for (const word of text.split(' ')) {
      if (this.width(style, word, size) <= width) add(word, ' ');
      else lettersOf(word).forEach((letter, n) => add(letter, n === 0 && lines.length > 0 ? ' ' : ''));
    }
    return lines;
  }
}
