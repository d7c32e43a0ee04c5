import { docOf, linkPlaceOf, segmentsOf, type Block, type Inline, type Mark, type LinkPlace, type TableColumn } from './body.ts';
import type { DownloadLine } from './handout.ts';
import { PLAIN_FRAME, type Frame } from './frame.ts';
import type { Language } from '../people/language.ts';
import type { Template } from './template.ts';

/** What fields print, by name; null, empty or absent where there is none. */
export type Values = Readonly<Record<string, string | null | undefined>>;

/** Whom a gathered message tells of: a line each, in the columns that it has. */
export interface TableOfPeople {
  head: readonly string[];
  rows: readonly (readonly string[])[];
  /** under it: what holds for every line */
  note?: string;
}

export interface Rendered {
  subject: string;
  html: string;
  text: string;
}

/** A message without what stands around it. */
export interface Piece {
  subject: string;
  html: string;
  text: string;
}

/** What stands around a message: its last line, the frame of the house, the language of its text. */
export interface Around {
  /** the line under the message: who reads the reply */
  footer: string;
  frame?: Frame;
  /** of its text, for programs that read aloud; English where it is not said */
  language?: Language;
}

/** What a message says, without what stands around it. */
export interface PieceInput {
  template: Template;
  values: Values;
  /** where the button leads; null where that is not made yet, in a look ahead */
  link: string | null;
  /** where the places lead that the text names; without one, as `link` */
  links?: Partial<Record<LinkPlace, string>>;
  /** above everything: why this reader gets it, where it was meant for somebody else */
  lead?: string | null;
  /** for a gathered message: one line a person; it is made for the columns that the text asks for */
  table: TableOfPeople | ((columns: readonly TableColumn[] | null) => TableOfPeople | null) | null;
  /** files that its reader may download */
  downloads?: readonly DownloadLine[];
  /** the words by which its reader has no more of the kind, and where they lead; null in a look ahead */
  decline?: { words: string; url: string | null } | null;
  frame?: Frame;
}
export type RenderInput = PieceInput & Around;

/** What turns text around or hides in it: control characters, and overrides of the direction of writing. */

const UNSEEN = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069\ufeff]/g;

const isRightToLeft = (text: string): boolean => /[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc]/.test(text);

/** A value as it may stand in a text, whoever wrote it. */
export const cleanValue = (value: string): string => value.replace(/\r\n?/g, '\n').replace(UNSEEN, '');

/** @throws RangeError when a field has neither a value nor something that stands in for it: the caller asks `missingFields` first */
function valueOf(name: string, fallback: string | null, values: Values): string {
  const value = cleanValue(values[name] ?? '');
  if (value.trim() !== '') return value;
  if (fallback === null) throw new RangeError(`The merge field {${name}} has no value.`);
  return fallback;
}

/** A line with its fields filled in. @throws RangeError when a field has no value */
export const fillLine = (text: string, values: Values): string =>
  segmentsOf(text)
    .map((segment) => ('text' in segment ? segment.text : valueOf(segment.field, segment.fallback, values)))
    .join('');

const oneLineOf = (text: string): string => text.replace(/\s+/g, ' ').trim();

const escapeHtml = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');

/** Text in HTML: lines stay lines, and what is written from right to left does not turn its neighbours around. */
const textHtml = (text: string): string => {
  const html = escapeHtml(text).replace(/\n/g, '<br>');
  return isRightToLeft(text) ? `<bdi>${html}</bdi>` : html;
};

type Filled = { text: string; marks: readonly Mark[]; isValue: boolean } | { isBreak: true };

const INK = '#1E2430';
const QUIET = '#5B6472';
const RULE = '#DDD6CA';

/**
 * A message as it is sent: subject, HTML for mail programs (tables and inline styles, with a dark form for those that have one) and
 * plain text, both from the same words.
 * @throws RangeError when a merge field has neither a value nor something that stands in for it
 */
export const renderMessage = (input: RenderInput): Rendered => framed(renderPiece(input), input);

/** The same without what stands around it. @throws RangeError as above */
export function renderPiece({
  template,
  values,
  link,
  links = {},
  lead = null,
  table,
  downloads = [],
  decline = null,
  frame = PLAIN_FRAME,
}: PieceInput): Piece {
  const subject = oneLineOf(fillLine(template.subject, values));
  const doc = docOf(template.body).content;
  const asked = doc.find((block): block is Extract<Block, { type: 'people' }> => block.type === 'people');
  const people = typeof table === 'function' ? table(asked?.attrs.columns ?? null) : table;
  const hrefOf = (href: string): string | null => {
    const place = linkPlaceOf(href);
    return place === null ? href : (links[place] ?? link);
  };
  const paint = { values, people, hrefOf, color: frame.color, pictures: frame.pictures ?? '/api/brand/' };

  const htmlParts = doc.map((block) => blockHtml(block, paint));
  if (lead) htmlParts.unshift(quiet(lead));
  if (people && !asked) htmlParts.push(tableHtml(people));
  const label = template.button ? fillLine(template.button, values) : null;
  if (label !== null) htmlParts.push(buttonHtml(textHtml(label), link, frame.color));
  for (const download of downloads) htmlParts.push(downloadHtml(download, frame.color));

  const textParts = template.plain ? [fillLine(template.plain, values).trim()] : doc.map((block) => blockText(block, paint));
  if (lead) textParts.unshift(lead);
  if (people && (!asked || template.plain)) textParts.push(tableText(people));
  if (label !== null) textParts.push(link ? `${label}:\n${link}` : label);
  textParts.push(...downloads.map(downloadText));
  if (decline) {
    const words = textHtml(decline.words);
    const inner = decline.url ? `<a class="quiet" href="${escapeHtml(decline.url)}" style="color:${QUIET}">${words}</a>` : words;
    htmlParts.push(`<p class="quiet" style="margin:18px 0 0;color:${QUIET};font-size:14px">${inner}</p>`);
    textParts.push(decline.url ? `${decline.words}:\n${decline.url}` : decline.words);
  }

  return { subject, html: htmlParts.join(''), text: textParts.filter(Boolean).join('\n\n') };
}

/** A message with what stands around it. */
export function framed({ subject, html, text }: Piece, { footer, frame = PLAIN_FRAME, language = 'en' }: Around): Rendered {
  return {
    subject,
    html: page(subject, html, footer, frame, language),
    text: `${text}\n\n-- \n${footer}\n${frame.imprint ? `\n${cleanValue(frame.imprint)}\n` : ''}`,
  };
}

/** Several messages as one, each under its own subject. @param subject of the whole */
export const joined = (pieces: readonly Piece[], subject: string): Piece => ({
  subject,
  html: pieces
    .map(
      (piece, i) =>
        `<h2 style="margin:${i === 0 ? 0 : 30}px 0 8px;${i === 0 ? '' : `padding-top:22px;border-top:1px solid ${RULE};`}font:600 20px/1.3 Literata,Georgia,serif">${textHtml(piece.subject)}</h2>${piece.html}`,
    )
    .join(''),
  text: pieces.map((piece) => `${piece.subject}\n${'='.repeat(Math.min(60, piece.subject.length))}\n\n${piece.text}`).join('\n\n\n'),
});

interface Paint {
  values: Values;
  people: TableOfPeople | null;
  hrefOf: (href: string) => string | null;
  color: string;
  pictures: string;
}

function fillInline(content: readonly Inline[] | undefined, values: Values): Filled[] {
  return (content ?? []).map((inline): Filled => {
    if (inline.type === 'hardBreak') return { isBreak: true };
    if (inline.type === 'text') return { text: inline.text, marks: inline.marks ?? [], isValue: false };
    return { text: valueOf(inline.attrs.name, inline.attrs.fallback, values), marks: inline.marks ?? [], isValue: true };
  });
}

const inlineHtml = (content: readonly Inline[] | undefined, { values, hrefOf, color }: Paint): string =>
  fillInline(content, values)
    .map((part) => {
      if ('isBreak' in part) return '<br>';
      let html = textHtml(part.text);
      for (const mark of part.marks) {
        if (mark.type === 'bold') html = `<strong>${html}</strong>`;
        else if (mark.type === 'italic') html = `<em>${html}</em>`;
        else {
          const href = hrefOf(mark.attrs.href);
          if (href) html = `<a class="link" href="${escapeHtml(href)}" style="color:${color}">${html}</a>`;
        }
      }
      return html;
    })
    .join('');

const inlineText = (content: readonly Inline[] | undefined, { values, hrefOf }: Paint): string => {
  const parts = fillInline(content, values);
  return parts
    .map((part, i) => {
      if ('isBreak' in part) return '\n';
      const href = linkOf(part);
      // a link over several runs of words is told once, after the last
      if (href === null || linkOf(parts[i + 1]) === href) return part.text;
      const led = hrefOf(href);
      return led && led !== part.text ? `${part.text} (${led})` : part.text;
    })
    .join('');
};
const linkOf = (part: Filled | undefined): string | null => {
  if (!part || 'isBreak' in part) return null;
  const mark = part.marks.find((one) => one.type === 'link');
  return mark?.type === 'link' ? mark.attrs.href : null;
};

const MARGIN = 'margin:0 0 14px';

function blockHtml(block: Block, paint: Paint): string {
  switch (block.type) {
    case 'paragraph':
      return `<p style="${MARGIN}">${inlineHtml(block.content, paint)}</p>`;
    case 'heading':
      return `<h${block.attrs.level} style="margin:20px 0 8px;font:600 ${block.attrs.level === 2 ? 20 : 17}px/1.3 Literata,Georgia,serif">${inlineHtml(block.content, paint)}</h${block.attrs.level}>`;
    case 'bulletList':
    case 'orderedList': {
      const tag = block.type === 'bulletList' ? 'ul' : 'ol';
      const items = block.content.map(
        ({ content }) => `<li style="margin:0 0 4px">${content.map((one) => blockHtml(one, paint)).join('')}</li>`,
      );
      return `<${tag} style="${MARGIN};padding-left:22px">${items.join('').replaceAll(`<li style="margin:0 0 4px"><p style="${MARGIN}">`, '<li style="margin:0 0 4px"><p style="margin:0">')}</${tag}>`;
    }
    case 'blockquote':
      return `<blockquote class="quiet" style="${MARGIN};padding:0 0 0 14px;border-left:3px solid ${RULE};color:${QUIET}">${block.content.map((one) => blockHtml(one, paint)).join('')}</blockquote>`;
    case 'horizontalRule':
      return `<hr style="margin:18px 0;border:0;border-top:1px solid ${RULE}">`;
    case 'button': {
      const href = paint.hrefOf(block.attrs.href);
      return buttonHtml(inlineHtml(block.content, paint), href, paint.color);
    }
    case 'picture': {
      const { file, alt, width } = block.attrs;
      return `<p style="${MARGIN}"><img src="${escapeHtml(paint.pictures + file)}" alt="${escapeHtml(cleanValue(alt))}" width="${width}" style="width:${width}px;max-width:100%;height:auto;border:0"></p>`;
    }
    case 'people':
      return paint.people ? tableHtml(paint.people) : '';
    case 'part':
      return block.content.map((one) => blockHtml(one, paint)).join('');
  }
}

function blockText(block: Block, paint: Paint): string {
  switch (block.type) {
    case 'paragraph':
    case 'heading':
      return inlineText(block.content, paint);
    case 'bulletList':
    case 'orderedList':
      return block.content
        .map(({ content }, i) =>
          indented(block.type === 'bulletList' ? '- ' : `${i + 1}. `, content.map((one) => blockText(one, paint)).join('\n')),
        )
        .join('\n');
    case 'blockquote':
      return block.content
        .map((one) => blockText(one, paint))
        .join('\n\n')
        .split('\n')
        .map((line) => `> ${line}`.trimEnd())
        .join('\n');
    case 'horizontalRule':
      return '* * *';
    case 'button': {
      const href = paint.hrefOf(block.attrs.href);
      const label = inlineText(block.content, paint);
      return href ? `${label}:\n${href}` : label;
    }
    case 'picture':
      return block.attrs.alt ? `[${oneLineOf(cleanValue(block.attrs.alt))}]` : '';
    case 'people':
      return paint.people ? tableText(paint.people) : '';
    case 'part':
      return block.content.map((one) => blockText(one, paint)).join('\n\n');
  }
}

const indented = (mark: string, text: string): string => mark + text.split('\n').join(`\n${' '.repeat(mark.length)}`);

const quiet = (words: string): string => `<p class="quiet" style="margin:0 0 14px;color:${QUIET};font-size:14px">${textHtml(words)}</p>`;

const downloadHtml = ({ name, url, words }: DownloadLine, color: string): string => {
  const label = textHtml(cleanValue(name));
  return `<p style="${MARGIN}">${url ? `<a class="link" href="${escapeHtml(url)}" style="color:${color}">${label}</a>` : label} <span class="quiet" style="color:${QUIET};font-size:14px">(${textHtml(words)})</span></p>`;
};
const downloadText = ({ name, url, words }: DownloadLine): string => `${cleanValue(name)} (${words})${url ? `:\n${url}` : ''}`;

/** A button; where it leads nowhere yet, it is drawn all the same. */
const buttonHtml = (label: string, href: string | null, color: string): string => {
  const style = `background:${color};color:#ffffff;text-decoration:none;padding:10px 18px;border-radius:2px;display:inline-block`;
  const inner = href ? `<a href="${escapeHtml(href)}" style="${style}">${label}</a>` : `<span style="${style}">${label}</span>`;
  return `<p style="margin:18px 0">${inner}</p>`;
};

/** For mail programs that have a dark form: the same hairlines and words on dark paper. */
const DARK =
  '@media (prefers-color-scheme:dark){.paper{background:#14181F!important}.sheet{background:#1E2430!important;border-color:#3A4352!important}' +
  '.sheet td,.sheet th,.sheet h2,.sheet h3{color:#EDEAE3!important;border-color:#3A4352!important}.quiet{color:#A9B1BD!important}.link{color:#E0A9D3!important}}';

const logoHtml = ({ logo, alt }: Frame): string =>
  logo
    ? `<p style="margin:0 0 20px"><img src="${escapeHtml(logo)}" alt="${escapeHtml(alt)}" style="max-height:56px;max-width:240px;border:0"></p>`
    : '';

const page = (subject: string, inner: string, footer: string, frame: Frame, language: Language): string =>
  `<!doctype html><html lang="${language}">` +
  '<head><meta charset="utf-8"><meta name="viewport" content="width=device-width">' +
  `<meta name="color-scheme" content="light dark"><title>${escapeHtml(subject)}</title><style>${DARK}</style></head>` +
  '<body class="paper" style="margin:0;background:#FBF8F3"><table role="presentation" width="100%" ' +
  'cellpadding="0" cellspacing="0"><tr><td align="center" style="padding:24px 12px"><table class="sheet" ' +
  'role="presentation" width="560" cellpadding="0" cellspacing="0" ' +
  `style="max-width:560px;width:100%;background:#ffffff;border:1px solid ${RULE}"><tr><td ` +
  `style="padding:28px 32px;font:16px/1.5 'Atkinson Hyperlegible ` +
  `Next',Verdana,sans-serif;color:${INK}">${logoHtml(frame)}${inner}<p class="quiet" style="margin:22px 0 ` +
  `0;padding-top:12px;border-top:1px solid ${RULE};color:${QUIET};font-size:14px">${textHtml(footer)}` +
  `</p>${frame.imprint ? `<p class="quiet" style="margin:8px 0 0;color:${QUIET};font-size:12px">${textHtml(cleanValue(frame.imprint))}</p>` : ''}` +
  '</td></tr></table></td></tr></table></body></html>';

function tableHtml(table: TableOfPeople): string {
  const { head } = table;
  const cell = (tag: string, text: string, i: number) =>
    `<${tag} style="text-align:left;padding:6px ${i === head.length - 1 ? '0' : '12px'} 6px ` +
    `0;border-bottom:1px solid ${RULE};vertical-align:top;font-weight:${tag === 'th' ? '600' : '400'}` +
    `">${textHtml(cleanValue(text))}</${tag}>`;
  const line = (tag: string, cells: readonly string[]): string => `<tr>${cells.map((text, i) => cell(tag, text, i)).join('')}</tr>`;
  return [
    `<table cellpadding="0" cellspacing="0" width="100%" style="border-collapse:collapse;font-size:15px;margin:0 0 14px">`,
    line('th', head),
    ...table.rows.map((row) => line('td', row)),
    '</table>',
    table.note ? quiet(table.note) : '',
  ].join('');
}

function tableText(table: TableOfPeople): string {
  const { head } = table;
  const rows = table.rows.map((row) => row.map((cell) => oneLineOf(cleanValue(cell))));
  const widths = head.map((words, i) => Math.max(words.length, ...rows.map((row) => (row[i] ?? '').length)));
  const line = (cells: readonly string[]) =>
    cells
      .map((cell, i) => cell.padEnd(widths[i]!))
      .join('  ')
      .trimEnd();
  const lines = [line(head), widths.map((width) => '-'.repeat(width)).join('  '), ...rows.map(line)].join('\n');
  return table.note ? `${lines}\n\n${table.note}` : lines;
}
