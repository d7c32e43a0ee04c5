import { segmentsOf, strayBrace } from '../messages/body.ts';
import { nearestField, type MergeField } from '../messages/fields.ts';

/** A place on the page, in millimetres from its upper left corner. */
export interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
}

/** Sheets, standing, in millimetres (ISO 216; ANSI/ASME Y14.1). */
export const PAPERS = { a4: [210, 297], letter: [215.9, 279.4] } as const;
export type Paper = keyof typeof PAPERS;
export const PAPER_WORDS: Readonly<Record<Paper, string>> = { a4: 'A4', letter: 'Letter' };

export const FACES = ['serif', 'plain', 'strong'] as const;
export type Face = (typeof FACES)[number];

/** What a certificate says of one thing: switched on and off as a whole. */
export const PARTS = {
  organisation: 'Organisation',
  title: 'Title',
  lead: 'Line above the name',
  name: 'Name',
  line: 'Line below the name',
  course: 'Course',
  date: 'Day of finishing',
  expiry: 'Day of expiry',
  score: 'Score',
  serial: 'Serial',
  signed: 'Who signs',
  check: 'Where it is checked',
} as const;
export type CertificatePart = keyof typeof PARTS;

interface Standing {
  /** its own within its design */
  id: string;
  box: Box;
  part: CertificatePart | null;
  isOn: boolean;
}

export interface TextElement extends Standing {
  kind: 'text';
  /** words with merge fields in braces, in lines */
  text: string;
  /** a few quiet words above it: what the value is */
  label: string | null;
  face: Face;
  /** points; the largest that it is set in */
  size: number;
  align: 'left' | 'middle' | 'right';
  upright: 'top' | 'middle' | 'bottom';
  /** `#rrggbb` */
  colour: string;
}
export interface PictureElement extends Standing {
  kind: 'picture';
  what: 'logo' | 'signature' | 'picture';
  /** null of a logo is the picture that stands above every message */
  fileId: string | null;
  /** what it shows, for whoever does not see it */
  words: string;
}
export interface RuleElement extends Standing {
  kind: 'rule';
  colour: string;
  /** points */
  weight: number;
}
export interface FrameElement extends Standing {
  kind: 'frame';
  colour: string;
  weight: number;
  /** a colour within it; null is none */
  fill: string | null;
  /** another line within it, thinner */
  isDouble: boolean;
}
/** The code that leads to where the certificate is checked. */
export interface CodeElement extends Standing {
  kind: 'code';
  colour: string;
}
export type DesignElement = TextElement | PictureElement | RuleElement | FrameElement | CodeElement;

/** A page of a certificate: what stands on it, from the back to the front. */
export interface Design {
  paper: Paper;
  isLying: boolean;
  /** `#rrggbb` of the whole sheet */
  colour: string;
  /** a picture over the whole sheet, behind everything */
  backgroundId: string | null;
  elements: DesignElement[];
}

/** Width and height of a design's sheet, in millimetres. */
export function sheetOf({ paper, isLying }: Pick<Design, 'paper' | 'isLying'>): { w: number; h: number } {
  const [short, long] = PAPERS[paper];
  return isLying ? { w: long, h: short } : { w: short, h: long };
}

/** What a certificate prints of its holder, its course and itself. */
export const CERTIFICATE_FIELDS: readonly MergeField[] = (
  [
    ['full name', "the employee's full name", 'The employee'],
    ['number', "the employee's personnel number", 'The employee'],
    ['job', "the employee's job title", 'The employee'],
    ['department', "the employee's department", 'The employee'],
    ['site', "the employee's site", 'The employee'],
    ['course', 'the title of the course', 'The course'],
    ['course code', 'the code of the course', 'The course'],
    ['trainer', "the name of the course's owner", 'The course'],
    ['finished', 'the day of finishing', 'The certificate'],
    ['certificate expiry', 'the last day on which it holds, or “no expiry”', 'The certificate'],
    ['certificate serial', 'its serial', 'The certificate'],
    ['score', 'what was reached in the quizzes, in percent', 'The certificate'],
    ['check address', 'the address where it is checked', 'The certificate'],
    ['organisation', 'the name of the organisation', 'The house'],
  ] as const
).map(([name, about, group]) => ({ name, about, group }));

/** What each field says on one certificate; null is nothing. */
export type CertificateValues = Readonly<Record<string, string | null>>;

/**
 * A text with its values. A line whose fields have nothing to say, and nothing to stand in for them, is left out; blanks that a
 * missing value leaves behind are closed.
 * @returns null where nothing is left
 */
export function fillText(text: string, values: CertificateValues): string | null {
  const lines = text.split('\n').flatMap((line) => {
    const segments = segmentsOf(line);
    const said = segments.map((segment) =>
      'field' in segment ? (oneLine(values[segment.field] ?? null) ?? segment.fallback ?? '') : segment.text,
    );
    const asked = segments.flatMap((segment, i) => ('field' in segment ? [said[i]!] : []));
    if (asked.length > 0 && asked.every((value) => value === '')) return [];
    return [said.join('').replace(/\s+/g, ' ').trim()];
  });
  return lines.some((line) => line !== '') ? lines.join('\n') : null;
}

/** A value stands on one line and brings no controls with it. */
const oneLine = (value: string | null): string | null =>
  value?.replace(/[\p{Cc}\p{Zl}\p{Zp}\u202a-\u202e\u2066-\u2069]+/gu, ' ').trim() || null;

export const fieldsOfText = (text: string): string[] => segmentsOf(text).flatMap((segment) => ('field' in segment ? [segment.field] : []));

/** What keeps a design from being kept, in a sentence, or null. */
export function designFault({ elements }: Pick<Design, 'elements'>): string | null {
  const ids = new Set<string>();
  for (const element of elements) {
    if (ids.has(element.id)) return `Two elements have the same id “${element.id}”.`;
    ids.add(element.id);
    if (element.kind !== 'text') continue;
    for (const text of [element.text, element.label ?? '']) {
      const unknown = fieldsOfText(text).find((name) => !CERTIFICATE_FIELDS.some((field) => field.name === name));
      if (unknown !== undefined)
        return `A text uses {${unknown}}, and a certificate has no such field. Did you mean {${nearestField(unknown, CERTIFICATE_FIELDS)}}?`;
      const brace = strayBrace(text);
      if (brace) return `A text holds a single “${brace}”: a field is written {full name}, with both braces.`;
    }
  }
  return null;
}

/** Elements that stand on the page, from the back to the front. */
export const standingElements = ({ elements }: Pick<Design, 'elements'>): DesignElement[] => elements.filter(({ isOn }) => isOn);

const EDGE_MM = 5;
const NEEDED: readonly (readonly [string, string])[] = [
  ['full name', 'It names nobody: {full name} stands in none of its texts.'],
  ['course', 'It names no course: {course} stands in none of its texts.'],
  ['certificate serial', 'Its serial stands nowhere: nobody can check a printed one by it.'],
];

/** What is to be looked at in a design, whoever gets it: in words, with the element that it is about. */
export function designRemarks(design: Design): { element: string | null; words: string }[] {
  const remarks: { element: string | null; words: string }[] = [];
  const { w, h } = sheetOf(design);
  const standing = standingElements(design);
  const said = new Set(standing.flatMap((element) => (element.kind === 'text' ? fieldsOfText(element.text) : [])));
  for (const [field, words] of NEEDED) if (!said.has(field)) remarks.push({ element: null, words });
  for (const element of standing) {
    const { box, kind } = element;
    const margin = kind === 'frame' || kind === 'rule' || kind === 'picture' ? 0 : EDGE_MM;
    if (box.x < 0 || box.y < 0 || box.x + box.w > w + 0.05 || box.y + box.h > h + 0.05)
      remarks.push({ element: element.id, words: `${elementName(element)} stands out over the sheet.` });
    else if (box.x < margin || box.y < margin || box.x + box.w > w - margin || box.y + box.h > h - margin)
      remarks.push({
        element: element.id,
        words: `${elementName(element)} stands within ${EDGE_MM} mm of the edge, which many printers leave white.`,
      });
  }
  const written = standing.filter(({ kind }) => kind === 'text' || kind === 'code');
  for (const [i, one] of written.entries())
    for (const other of written.slice(i + 1))
      if (overlaps(one.box, other.box))
        remarks.push({ element: other.id, words: `${elementName(other)} stands over ${elementName(one)}.` });
  return remarks;
}

/** Whether two places share more than an edge. */
export const overlaps = (a: Box, b: Box): boolean =>
  a.x + a.w > b.x + 0.05 && b.x + b.w > a.x + 0.05 && a.y + a.h > b.y + 0.05 && b.y + b.h > a.y + 0.05;

/** What an element is called: by its part, or by what stands in it. */
export function elementName(element: DesignElement): string {
  if (element.part !== null && element.kind === 'text') return PARTS[element.part];
  switch (element.kind) {
    case 'text':
      return `“${element.text.replace(/\s+/g, ' ').trim().slice(0, 30) || 'empty text'}”`;
    case 'picture':
      return { logo: 'Logo', signature: 'Signature', picture: element.words || 'Picture' }[element.what];
    case 'rule':
      return 'Rule';
    case 'frame':
      return 'Frame';
    case 'code':
      return 'Code to check it';
  }
}

/** A design on another sheet: everything keeps its share of it. Lines of a frame and letters keep their size. */
export function ontoSheet(design: Design, paper: Paper, isLying: boolean): Design {
  const from = sheetOf(design);
  const to = sheetOf({ paper, isLying });
  const [sx, sy] = [to.w / from.w, to.h / from.h];
  return {
    ...design,
    paper,
    isLying,
    elements: design.elements.map((element) => {
      const { box, kind } = element;
      const centre = { x: (box.x + box.w / 2) * sx, y: (box.y + box.h / 2) * sy };
      // a code stays square, a picture keeps its shape
      const keeps = kind === 'code' || kind === 'picture';
      const scale = Math.min(sx, sy);
      const w = keeps ? box.w * scale : box.w * sx;
      const h = keeps ? box.h * scale : box.h * sy;
      return { ...element, box: tidyBox({ x: centre.x - w / 2, y: centre.y - h / 2, w, h }) };
    }),
  };
}

const tenth = (n: number): number => Math.round(n * 10) / 10;
/** Tenths of a millimetre are enough. */
export const tidyBox = ({ x, y, w, h }: Box): Box => ({ x: tenth(x), y: tenth(y), w: tenth(w), h: tenth(h) });

/** Pictures that a design names, by their files; null is the one above every message. */
export const picturesOf = ({ backgroundId, elements }: Pick<Design, 'backgroundId' | 'elements'>): (string | null)[] => [
  ...(backgroundId === null ? [] : [backgroundId]),
  ...elements.flatMap((element) =>
    element.kind === 'picture' && (element.what === 'logo' || element.fileId !== null) ? [element.fileId] : [],
  ),
];
