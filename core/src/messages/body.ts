import type { Condition } from '../conditions/condition.ts';

/** One merge field in a text, with what stands there where it has no value; without that, its absence holds the message. */
export interface FieldUse {
  name: string;
  fallback: string | null;
}

export type Mark = { type: 'bold' } | { type: 'italic' } | { type: 'link'; attrs: { href: string } };
export type Inline =
  | { type: 'text'; text: string; marks?: Mark[] }
  | { type: 'field'; attrs: FieldUse; marks?: Mark[] }
  | { type: 'hardBreak'; marks?: Mark[] };

/** Where a link or a button may lead beside a web address: each reader to their own. */
export const LINK_PLACES = {
  own: 'where this message leads: the course as its reader, the certificate, or their people',
  course: 'the course, as the employee',
  unit: 'the unit that it is about, as the employee',
  dates: 'their own dates',
  certificate: 'the certificate',
  'sign-off': 'the list to sign off, for whoever may',
  'sign-in': 'the page to sign in',
} as const;
export type LinkPlace = keyof typeof LINK_PLACES;
const PLACE = /^to:([a-z-]+)$/;

/** The place that an address of a text names, `to:course`; null for a web address. */
export function linkPlaceOf(href: string): LinkPlace | null {
  const name = PLACE.exec(href)?.[1];
  return name !== undefined && name in LINK_PLACES ? (name as LinkPlace) : null;
}
/** An address that a text may lead to: a place, a web address, a mail address. */
export const isHref = (href: string): boolean =>
  linkPlaceOf(href) !== null || /^https?:\/\/[^\s<>"']+$/i.test(href) || /^mailto:[^\s@<>"']+@[^\s@<>"']+$/i.test(href);

/** What a table of a gathered message may say of each that it lists. */
export const TABLE_COLUMNS = {
  person: 'Person',
  course: 'Course',
  due: 'Due',
  late: 'Days late',
  told: 'Told',
  department: 'Department',
  site: 'Site',
  job: 'Job',
} as const;
export type TableColumn = keyof typeof TABLE_COLUMNS;

export type Block =
  | { type: 'paragraph'; content?: Inline[] }
  | { type: 'heading'; attrs: { level: 2 | 3 }; content?: Inline[] }
  | { type: 'bulletList'; content: ListItem[] }
  | { type: 'orderedList'; content: ListItem[] }
  | { type: 'blockquote'; content: Block[] }
  | { type: 'horizontalRule' }
  | { type: 'button'; attrs: { href: string }; content?: Inline[] }
  /** a picture that the house keeps; `width` in pixels, on screens that have as many */
  | { type: 'picture'; attrs: { file: string; alt: string; width: number } }
  /** where the table of a gathered message stands, and what it tells; a message without one has it at the end */
  | { type: 'people'; attrs: { columns: TableColumn[] } }
  | Part;
/** A part of a text that only those read for whom its condition holds; it stands in nothing else. null is one that is still to be written. */
export interface Part {
  type: 'part';
  attrs: { onlyIf: Condition | null };
  content: Block[];
}
export interface ListItem {
  type: 'listItem';
  content: Block[];
}

/** A written text, in the shape in which editors that are built on ProseMirror hold theirs. */
export interface Doc {
  type: 'doc';
  content: Block[];
}

/** The text of a message: written, or in its plain form, where an empty line begins the next paragraph and fields stand in braces. */
export type Body = string | Doc;

const FIELD = /\{([^{}\n]*)\}/g;

export type Segment = { text: string } | { field: string; fallback: string | null };

/** `{job|a colleague}`: a field, and what stands there where it has no value. */
function fieldIn(inside: string): { field: string; fallback: string | null } {
  const at = inside.indexOf('|');
  if (at < 0) return { field: inside.trim(), fallback: null };
  return { field: inside.slice(0, at).trim(), fallback: inside.slice(at + 1).trim() || null };
}

export function segmentsOf(text: string): Segment[] {
  const segments: Segment[] = [];
  let end = 0;
  for (const match of text.matchAll(FIELD)) {
    if (match.index > end) segments.push({ text: text.slice(end, match.index) });
    segments.push(fieldIn(match[1]!));
    end = match.index + match[0].length;
  }
  if (end < text.length) segments.push({ text: text.slice(end) });
  return segments;
}

/** A field as it stands in a line of text. */
export const fieldText = ({ name, fallback }: FieldUse): string => (fallback === null ? `{${name}}` : `{${name}|${fallback}}`);

/** What stands in braces that are none, or null. */
export const strayBrace = (text: string): string | null => /[{}]/.exec(text.replace(FIELD, ''))?.[0] ?? null;

/** A line of text with its fields, as a written text holds it. */
const inlineOf = (text: string): Inline[] =>
  text
    .split('\n')
    .flatMap((line, i): Inline[] => [
      ...(i === 0 ? [] : [{ type: 'hardBreak' as const }]),
      ...segmentsOf(line).map((segment): Inline =>
        'text' in segment
          ? { type: 'text', text: segment.text }
          : { type: 'field', attrs: { name: segment.field, fallback: segment.fallback } },
      ),
    ]);

const PLAIN = new Map<string, Doc>();

/** A text as it is written, whichever form it is kept in. */
export function docOf(body: Body): Doc {
  if (typeof body !== 'string') return body;
  let doc = PLAIN.get(body);
  if (!doc) {
    const paragraphs = body.replace(/^\s+|\s+$/g, '').split(/\n\s*\n/);
    doc = { type: 'doc', content: paragraphs.map((text): Block => ({ type: 'paragraph', content: inlineOf(text) })) };
    // a rehearsal renders the same few texts thousands of times
    if (PLAIN.size > 500) PLAIN.clear();
    PLAIN.set(body, doc);
  }
  return doc;
}

const isEmpty = (block: Block): boolean => block.type === 'paragraph' && !block.content?.length;

/** The form in which a text is kept: the plain one where that says all of it, so that plans as files stay readable; without empty lines around it. */
export function keptForm(doc: Doc): Body {
  const content = [...doc.content];
  while (content.length > 1 && isEmpty(content.at(-1)!)) content.pop();
  while (content.length > 1 && isEmpty(content[0]!)) content.shift();
  const kept: Doc = { type: 'doc', content };
  const lines: string[] = [];
  for (const block of content) {
    if (block.type !== 'paragraph' || block.content?.some((inline) => inline.marks?.length)) return kept;
    lines.push((block.content ?? []).map((inline) => (inline.type === 'hardBreak' ? '\n' : inlineText(inline))).join(''));
  }
  const text = lines.join('\n\n');
  return sameDoc(docOf(text), kept) ? text : kept;
}

const sameDoc = (a: Doc, b: Doc): boolean =>
  a.content.length === b.content.length &&
  a.content.every((block, i) => JSON.stringify(contentOf(block)) === JSON.stringify(contentOf(b.content[i]!)));
const contentOf = (block: Block): unknown => ('content' in block ? (block.content ?? []) : []);

const inlineText = (inline: Exclude<Inline, { type: 'hardBreak' }>): string =>
  inline.type === 'text' ? inline.text : fieldText(inline.attrs);

/** Calls for each block, from the top, however deep it stands. */
export function eachBlock(blocks: readonly Block[], see: (block: Block) => void): void {
  for (const block of blocks) {
    see(block);
    if (block.type === 'blockquote' || block.type === 'part') eachBlock(block.content, see);
    if (block.type === 'bulletList' || block.type === 'orderedList') for (const item of block.content) eachBlock(item.content, see);
  }
}

const HOLDS_BLOCKS: ReadonlySet<Block['type']> = new Set(['blockquote', 'bulletList', 'orderedList', 'part']);

const inlinesOf = (doc: Doc): Inline[] => {
  const found: Inline[] = [];
  eachBlock(doc.content, (block) => {
    if ('content' in block && !HOLDS_BLOCKS.has(block.type)) found.push(...((block.content ?? []) as Inline[]));
  });
  return found;
};

/** The fields of a text, in its order. */
export const fieldsIn = (body: Body): FieldUse[] =>
  typeof body === 'string'
    ? segmentsOf(body).flatMap((segment) => ('field' in segment ? [{ name: segment.field, fallback: segment.fallback }] : []))
    : inlinesOf(body).flatMap((inline) => (inline.type === 'field' ? [inline.attrs] : []));

/** The runs of words of a written text: a brace in one of them is no field, and would be read as it stands. */
export const wordsIn = (doc: Doc): string[] => inlinesOf(doc).flatMap((inline) => (inline.type === 'text' ? [inline.text] : []));

/** The addresses that a text leads to. */
export function hrefsIn(body: Body): string[] {
  if (typeof body === 'string') return [];
  const found = inlinesOf(body).flatMap(({ marks = [] }) => marks.flatMap((mark) => (mark.type === 'link' ? [mark.attrs.href] : [])));
  eachBlock(body.content, (block) => void (block.type === 'button' && found.push(block.attrs.href)));
  return [...new Set(found)];
}

/** A text in words alone, fields in braces: for comparing, finding and telling; it cannot be turned back. */
export const plainWords = (body: Body): string => (typeof body === 'string' ? body : body.content.map(blockWords).join('\n\n'));

function blockWords(block: Block): string {
  const inside = (blocks: readonly Block[], first: string, rest = ' '.repeat(first.length)): string =>
    blocks
      .map(blockWords)
      .join('\n')
      .split('\n')
      .map((line, i) => (i === 0 ? first : rest) + line)
      .join('\n');
  switch (block.type) {
    case 'horizontalRule':
      return '* * *';
    case 'picture':
      return `(a picture${block.attrs.alt ? `: ${block.attrs.alt}` : ''})`;
    case 'people':
      return `(the people: ${block.attrs.columns.map((column) => TABLE_COLUMNS[column].toLowerCase()).join(', ')})`;
    case 'blockquote':
      return inside(block.content, '> ', '> ');
    case 'part':
      return inside(block.content, '(for some) ');
    case 'bulletList':
      return block.content.map((item) => inside(item.content, '- ')).join('\n');
    case 'orderedList':
      return block.content.map((item, i) => inside(item.content, `${i + 1}. `)).join('\n');
    default: {
      const words = (block.content ?? []).map((inline) => (inline.type === 'hardBreak' ? '\n' : inlineText(inline))).join('');
      return block.type === 'button' ? `[${words}]` : words;
    }
  }
}

/** A text with a phrase put in place of another, wherever it stands in one run of words; fields are written in braces. */
export function withPhrase(body: Body, phrase: string, by: string): Body {
  if (typeof body === 'string') return body.replace(phrase, by);
  let isDone = false;
  const inline = (list: Inline[] = []): Inline[] =>
    list.flatMap((one): Inline[] => {
      if (isDone || one.type !== 'text' || !one.text.includes(phrase)) return [one];
      isDone = true;
      return inlineOf(one.text.replace(phrase, by)).map((part) => (one.marks ? { ...part, marks: one.marks } : part));
    });
  const blocks = (list: readonly Block[]): Block[] =>
    list.map((block): Block => {
      if (block.type === 'blockquote' || block.type === 'part') return { ...block, content: blocks(block.content) };
      if (block.type === 'bulletList' || block.type === 'orderedList')
        return { ...block, content: block.content.map((item) => ({ ...item, content: blocks(item.content) })) };
      return block.type === 'horizontalRule' || block.type === 'people' || block.type === 'picture'
        ? block
        : { ...block, content: inline(block.content) };
    });
  return { type: 'doc', content: blocks(body.content) };
}

/** The pictures of a text, by their files. */
export function picturesIn(body: Body): string[] {
  const found: string[] = [];
  if (typeof body !== 'string') eachBlock(body.content, (block) => void (block.type === 'picture' && found.push(block.attrs.file)));
  return found;
}

/** A text without its pictures, which stand in one house and in no other. */
export function withoutPictures(body: Body): Body {
  if (picturesIn(body).length === 0 || typeof body === 'string') return body;
  const kept = (blocks: readonly Block[]): Block[] => {
    const left = blocks.flatMap((block): Block[] => {
      if (block.type === 'picture') return [];
      if (block.type === 'blockquote' || block.type === 'part') return [{ ...block, content: kept(block.content) }];
      if (block.type === 'bulletList' || block.type === 'orderedList')
        return [{ ...block, content: block.content.map((item) => ({ ...item, content: kept(item.content) })) }];
      return [block];
    });
    return left.length > 0 ? left : [{ type: 'paragraph' }];
  };
  return { type: 'doc', content: kept(body.content) };
}

/** How wide a picture may be: as the text of a message. Pixels. */
export const PICTURE_WIDTHS = { small: 160, medium: 320, wide: 496 } as const;

/** The parts of a text that only some read. */
export const partsOf = (body: Body): Part[] =>
  typeof body === 'string' ? [] : body.content.filter((block): block is Part => block.type === 'part');

/** A text with the conditions of its parts put otherwise: named by ids in a house, and by names in a file. */
export const withConditions = (body: Body, put: (condition: Condition) => Condition): Body =>
  typeof body === 'string'
    ? body
    : {
        ...body,
        content: body.content.map((block) =>
          block.type === 'part' && block.attrs.onlyIf ? { ...block, attrs: { onlyIf: put(block.attrs.onlyIf) } } : block,
        ),
      };

/** A text as somebody reads it for whom these conditions hold, in the order of its parts. */
export const withParts = (doc: Doc, areShown: readonly boolean[]): Doc => {
  let at = 0;
  const content = doc.content.flatMap((block) => (block.type !== 'part' ? [block] : areShown[at++] ? block.content : []));
  return { ...doc, content };
};
