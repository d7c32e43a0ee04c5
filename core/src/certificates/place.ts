import {
  fillText,
  sheetOf,
  standingElements,
  type Box,
  type CertificateValues,
  type Design,
  type Face,
  type TextElement,
} from './design.ts';

/** Points of a millimetre. */
export const POINTS = 72 / 25.4;

/** How wide a line is, in points; its letters in the order in which they are written. */
export type Measure = (face: Face, text: string, size: number) => number;

/** One line of text: where its first letter stands on its base line, in points from the upper left corner. */
export interface TextLine {
  text: string;
  x: number;
  y: number;
  width: number;
}
export interface PlacedText {
  kind: 'text';
  element: string;
  face: Face;
  size: number;
  colour: string;
  lines: readonly TextLine[];
}
interface Rect {
  x: number;
  y: number;
  w: number;
  h: number;
}
export interface PlacedPicture {
  kind: 'picture';
  element: string | null;
  /** null is the picture that stands above every message */
  fileId: string | null;
  words: string;
  /** it fills its place, and what is over is cut off; else all of it stands in it, centred */
  fills: boolean;
  rect: Rect;
}
export interface PlacedLine {
  kind: 'line';
  element: string;
  from: { x: number; y: number };
  to: { x: number; y: number };
  colour: string;
  weight: number;
}
export interface PlacedRect {
  kind: 'rect';
  element: string | null;
  rect: Rect;
  colour: string | null;
  weight: number;
  fill: string | null;
}
export interface PlacedCode {
  kind: 'code';
  element: string;
  rect: Rect;
  colour: string;
}
export type Placed = PlacedText | PlacedPicture | PlacedLine | PlacedRect | PlacedCode;

/** What did not go as it was meant, of one text on one certificate. */
export interface PlacedFault {
  element: string;
  /** `small`: set in letters that are hard to read; `cut`: even so its end is left out */
  fault: 'small' | 'cut';
  size: number;
}

/** A page as it is drawn, in points from its upper left corner, from the back to the front. */
export interface PlacedPage {
  width: number;
  height: number;
  items: readonly Placed[];
  faults: readonly PlacedFault[];
}

const LEADING = 1.25;
/** of a line, how much of a letter's size stands above its base line */
const RISE = 0.96;
const STEPS = [1, 0.92, 0.84, 0.77, 0.7, 0.64, 0.6];
const SMALLEST = 4;
const HARD_TO_READ = 6.5;
const LABEL_SIZE = 9;
const LABEL_COLOUR = '#5b6472';

const pointsOf = ({ x, y, w, h }: Box): Rect => ({ x: x * POINTS, y: y * POINTS, w: w * POINTS, h: h * POINTS });

/** Places everything that stands on a certificate. */
export function placeDesign(design: Design, values: CertificateValues, measure: Measure): PlacedPage {
  const sheet = sheetOf(design);
  const [width, height] = [sheet.w * POINTS, sheet.h * POINTS];
  const whole = { x: 0, y: 0, w: width, h: height };
  const items: Placed[] = [{ kind: 'rect', element: null, rect: whole, colour: null, weight: 0, fill: design.colour }];
  const faults: PlacedFault[] = [];
  if (design.backgroundId !== null)
    items.push({ kind: 'picture', element: null, fileId: design.backgroundId, words: '', fills: true, rect: whole });
  for (const element of standingElements(design)) {
    const rect = pointsOf(element.box);
    switch (element.kind) {
      case 'text':
        for (const placed of placeText(element, rect, values, measure)) {
          items.push(placed.text);
          if (placed.fault) faults.push({ element: element.id, fault: placed.fault, size: placed.text.size });
        }
        break;
      case 'picture':
        // one that has no picture yet; that of a logo is the house's
        if (element.fileId === null && element.what !== 'logo') break;
        items.push({ kind: 'picture', element: element.id, fileId: element.fileId, words: element.words, fills: false, rect });
        break;
      case 'rule': {
        const isLying = rect.w >= rect.h;
        const middle = { x: rect.x + rect.w / 2, y: rect.y + rect.h / 2 };
        const from = isLying ? { x: rect.x, y: middle.y } : { x: middle.x, y: rect.y };
        const to = isLying ? { x: rect.x + rect.w, y: middle.y } : { x: middle.x, y: rect.y + rect.h };
        items.push({ kind: 'line', element: element.id, from, to, colour: element.colour, weight: element.weight });
        break;
      }
      case 'frame': {
        const { colour, weight, fill } = element;
        items.push({ kind: 'rect', element: element.id, rect, colour: weight > 0 ? colour : null, weight, fill });
        const inset = Math.max(4, weight * 3);
        if (element.isDouble && rect.w > 2 * inset && rect.h > 2 * inset)
          items.push({
            kind: 'rect',
            element: element.id,
            rect: insideOf(rect, inset),
            colour,
            weight: Math.max(0.4, weight / 2),
            fill: null,
          });
        break;
      }
      case 'code': {
        const side = Math.min(rect.w, rect.h);
        items.push({
          kind: 'code',
          element: element.id,
          rect: { x: rect.x + (rect.w - side) / 2, y: rect.y + (rect.h - side) / 2, w: side, h: side },
          colour: element.colour,
        });
      }
    }
  }
  return { width, height, items, faults };
}

const insideOf = ({ x, y, w, h }: Rect, by: number): Rect => ({ x: x + by, y: y + by, w: w - 2 * by, h: h - 2 * by });

/** A text and its label; nothing where it has nothing to say. */
function placeText(
  element: TextElement,
  rect: Rect,
  values: CertificateValues,
  measure: Measure,
): { text: PlacedText; fault: PlacedFault['fault'] | null }[] {
  const said = fillText(element.text, values);
  if (said === null) return [];
  const label = element.label === null ? null : fillText(element.label, values);
  const placed: { text: PlacedText; fault: PlacedFault['fault'] | null }[] = [];
  let room = rect;
  // in a place that is too low for both the value stands alone
  const size = Math.min(LABEL_SIZE, element.size);
  if (label !== null && rect.h > size * (LEADING + 0.25) + SMALLEST * LEADING) {
    const own = { ...rect, h: Math.min(rect.h, size * LEADING) };
    const fitted = fit(label.replace(/\n/g, ' '), 'plain', size, own, measure);
    placed.push({ text: setText(element, fitted, own, 'plain', LABEL_COLOUR, 'top', measure), fault: fitted.fault });
    const taken = own.h + size * 0.25;
    room = { ...rect, y: rect.y + taken, h: Math.max(0, rect.h - taken) };
  }
  const fitted = fit(said, element.face, element.size, room, measure);
  placed.push({ text: setText(element, fitted, room, element.face, element.colour, element.upright, measure), fault: fitted.fault });
  return placed;
}

interface Fitted {
  size: number;
  lines: string[];
  fault: PlacedFault['fault'] | null;
}

/**
 * A text within its place: on its own lines where they fit at a size not much smaller; else wrapped, as large as goes; words
 * that are wider than a line are broken. What cannot stand in its place even in the smallest letters loses its end, and says so.
 */
function fit(text: string, face: Face, largest: number, { w, h }: { w: number; h: number }, measure: Measure): Fitted {
  const own = text.split('\n');
  const fits = (lines: readonly string[], size: number): boolean => lines.length * size * LEADING <= h + 0.01;
  const faultOf = (size: number): 'small' | null => (size < Math.min(HARD_TO_READ, largest) - 0.01 ? 'small' : null);
  // widths grow with the size: one measure tells all steps
  const widest = Math.max(...own.map((line) => measure(face, line, largest))) / largest;
  for (const step of STEPS) {
    const size = largest * step;
    if (size >= SMALLEST && widest * size <= w && fits(own, size)) return { size, lines: own, fault: faultOf(size) };
  }
  let size = largest;
  for (; size > SMALLEST; size = Math.max(SMALLEST, size * 0.93)) {
    const lines = wrap(own, face, size, w, measure, false);
    if (lines !== null && fits(lines, size)) return { size, lines, fault: faultOf(size) };
  }
  // a word that is wider than the line is broken, as large as goes
  const widthOf = (lines: readonly string[], at: number): number => Math.max(...lines.map((line) => measure(face, line, at)));
  for (size = largest; ; size = Math.max(SMALLEST, size * 0.93)) {
    const lines = wrap(own, face, size, w, measure, true)!;
    if (fits(lines, size) && widthOf(lines, size) <= w) return { size, lines, fault: faultOf(size) };
    if (size <= SMALLEST) break;
  }
  const lines = wrap(own, face, SMALLEST, w, measure, true)!;
  // a place that is lower than one line of the smallest letters: smaller still, so that nothing stands out of it
  const least = Math.min(SMALLEST, h / LEADING);
  const most = Math.max(1, Math.floor((h + 0.01) / (least * LEADING)));
  const kept = lines.slice(0, most);
  if (kept.length < lines.length) kept[most - 1] = cutTo(kept[most - 1]!, face, least, w, measure);
  // a place that is narrower than a single letter
  const narrow = least * Math.min(1, w / Math.max(widthOf(kept, least), 0.001));
  return { size: narrow, lines: kept, fault: kept.length < lines.length ? 'cut' : 'small' };
}

function cutTo(line: string, face: Face, size: number, width: number, measure: Measure): string {
  let kept = lettersOf(line);
  while (kept.length > 0 && measure(face, `${kept.join('').trimEnd()}…`, size) > width) kept = kept.slice(0, -1);
  return `${kept.join('').trimEnd()}…`;
}

const segmenter = new Intl.Segmenter('en', { granularity: 'grapheme' });
const lettersOf = (text: string): string[] => [...segmenter.segment(text)].map(({ segment }) => segment);

/** Breaks lines between words; null where a word is wider than a line and must not be broken. */
function wrap(own: readonly string[], face: Face, size: number, width: number, measure: Measure, breaksWords: boolean): string[] | null {
  const lines: string[] = [];
  for (const paragraph of own) {
    let line: string | null = null;
    for (const word of paragraph.split(' ')) {
      const longer: string = line === null ? word : `${line} ${word}`;
      if (measure(face, longer, size) <= width) {
        line = longer;
        continue;
      }
      if (line !== null) lines.push(line);
      line = word;
      if (measure(face, word, size) <= width) continue;
      if (!breaksWords) return null;
      const pieces = broken(word, face, size, width, measure);
      line = pieces.pop()!;
      lines.push(...pieces);
    }
    lines.push(line ?? '');
  }
  return lines;
}

/**
 * A word in pieces that fit. By the widths of its letters one by one: set together they are no wider, and a name of hundreds of
 * letters is measured once and not at each size.
 */
function broken(word: string, face: Face, size: number, width: number, measure: Measure): string[] {
  const pieces: string[] = [];
  let piece = '';
  let taken = 0;
  for (const letter of lettersOf(word)) {
    const own = measure(face, letter, size);
    if (piece !== '' && taken + own > width) {
      pieces.push(piece);
      [piece, taken] = ['', 0];
    }
    piece += letter;
    taken += own;
  }
  return [...pieces, piece];
}

function setText(
  { id, align }: TextElement,
  { size, lines }: Fitted,
  rect: Rect,
  face: Face,
  colour: string,
  upright: TextElement['upright'],
  measure: Measure,
): PlacedText {
  const height = lines.length * size * LEADING;
  const top = rect.y + (upright === 'top' ? 0 : upright === 'middle' ? (rect.h - height) / 2 : rect.h - height);
  return {
    kind: 'text',
    element: id,
    face,
    size,
    colour,
    lines: lines.flatMap((text, n) => {
      if (text === '') return [];
      const width = measure(face, text, size);
      const x = rect.x + (align === 'left' ? 0 : align === 'middle' ? (rect.w - width) / 2 : rect.w - width);
      return [{ text, x, y: top + n * size * LEADING + size * RISE, width }];
    }),
  };
}

/** Where a picture of some pixels stands in a place: all of it, centred; or over all of it, with what is over cut off. */
export function fitPicture(rect: Rect, pixels: { width: number; height: number }, fills: boolean): Rect {
  const [sx, sy] = [rect.w / pixels.width, rect.h / pixels.height];
  const scale = fills ? Math.max(sx, sy) : Math.min(sx, sy);
  const [w, h] = [pixels.width * scale, pixels.height * scale];
  return { x: rect.x + (rect.w - w) / 2, y: rect.y + (rect.h - h) / 2, w, h };
}

/** Pixels for an inch of paper; below 150 a print looks coarse. */
export const pixelsPerInch = (rect: Rect, pixels: { width: number; height: number }, fills: boolean): number =>
  Math.round((pixels.width / fitPicture(rect, pixels, fills).w) * 72);
export const COARSE = 150;

/** A text in lines of a width, in points: broken between words, and within those that are wider than a line. */
export const wrapText = (text: string, face: Face, size: number, width: number, measure: Measure): string[] =>
  wrap(text.split('\n'), face, size, width, measure, true)!;
