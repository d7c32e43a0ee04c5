import type { UnitKind } from '../courses/unit-kind.ts';
import { tellAmount } from '../time/words.ts';

const MB = 1024 * 1024;

/** What is told of a kind of file. */
export interface FileKind {
  /** "a PDF" */
  words: string;
  /** what its name may end in */
  endings: readonly string[];
  /** bytes that one may have */
  limit: number;
  /** the unit that it makes where it is dropped on an outline; null where it belongs into one */
  makes: UnitKind | null;
  /** what is done with it beside being fetched */
  as: 'shown' | 'picture' | 'text' | 'page' | 'pdf' | 'played' | 'captions' | 'package' | 'fetched';
}

const document = (words: string, ending: string, as: FileKind['as']): FileKind => ({ words, endings: [ending], limit: 100 * MB, makes: 'file', as }); // prettier-ignore
const picture = (words: string, ...endings: string[]): FileKind => ({ words, endings, limit: 20 * MB, makes: 'file', as: 'picture' });
const OFFICE = 'application/vnd.openxmlformats-officedocument';
const OPEN = 'application/vnd.oasis.opendocument';

/** The catalogue of files that a course may hold, by media type. What a file is, its content says, and never its name. */
export const FILE_KINDS: Readonly<Record<string, FileKind>> = {
  'application/pdf': document('a PDF', 'pdf', 'shown'),
  'image/png': picture('a PNG picture', 'png'),
  'image/jpeg': picture('a JPEG picture', 'jpg', 'jpeg'),
  'image/gif': picture('a GIF picture', 'gif'),
  'image/webp': picture('a WebP picture', 'webp'),
  [`${OFFICE}.wordprocessingml.document`]: document('a DOCX text', 'docx', 'page'),
  [`${OFFICE}.presentationml.presentation`]: document('a PPTX presentation', 'pptx', 'pdf'),
  [`${OPEN}.presentation`]: document('an ODP presentation', 'odp', 'pdf'),
  [`${OPEN}.text`]: document('an ODT text', 'odt', 'pdf'),
  [`${OFFICE}.spreadsheetml.sheet`]: document('an XLSX table', 'xlsx', 'fetched'),
  [`${OPEN}.spreadsheet`]: document('an ODS table', 'ods', 'fetched'),
  'text/plain': { words: 'a plain text', endings: ['txt', 'md', 'csv'], limit: 10 * MB, makes: 'file', as: 'text' },
  'text/vtt': { words: 'captions (WebVTT)', endings: ['vtt'], limit: 2 * MB, makes: null, as: 'captions' },
  'video/mp4': { words: 'an MP4 video', endings: ['mp4', 'm4v'], limit: 2048 * MB, makes: 'video', as: 'played' },
  'video/webm': { words: 'a WebM video', endings: ['webm'], limit: 2048 * MB, makes: 'video', as: 'played' },
  'application/zip': { words: 'a SCORM package', endings: ['zip'], limit: 500 * MB, makes: 'package', as: 'package' },
};

/** No file is larger. */
export const FILE_LIMIT = Math.max(...Object.values(FILE_KINDS).map(({ limit }) => limit));

/** What may be given, said before anything is chosen. */
export const FILE_WORDS =
  'PDF, DOCX, PPTX, ODP, ODT, XLSX, ODS up to 100 MB; pictures (PNG, JPEG, GIF, WebP) up to 20 MB; video (MP4, WebM) up to 2 GB; SCORM packages (zip) up to 500 MB; plain text up to 10 MB.';

/** "1.4 MB", to a digit that means something. */
export function tellBytes(bytes: number): string {
  if (bytes < 1000) return tellAmount(bytes, 'bytes');
  const [size, unit] = bytes < MB ? [bytes / 1024, 'kB'] : bytes < 1024 * MB ? [bytes / MB, 'MB'] : [bytes / (1024 * MB), 'GB'];
  return `${size < 10 ? Math.round(size * 10) / 10 : Math.round(size)} ${unit}`;
}

const endingOf = (name: string): string => /\.([^.\s]+)$/.exec(name)?.[1]?.toLowerCase() ?? '';

/**
 * What is wrong with a file by what its content is, in a sentence, or null.
 * @param type what its content says; null where it is none of ours
 * @param found what it seems to be where it is none of ours: "a web page"
 */
export function fileFault(name: string, type: string | null, bytes: number, found: string | null = null): string | null {
  const kind = type === null ? undefined : FILE_KINDS[type];
  if (!kind)
    return `${name}: ${found ? `this is ${found}, which` : 'what this is cannot be told, and it'} is not taken. Expected: ${FILE_WORDS}`;
  if (bytes > kind.limit) return `${name}: ${kind.words} may have ${tellBytes(kind.limit)}; this one has ${tellBytes(bytes)}.`;
  const ending = endingOf(name);
  const named = Object.values(FILE_KINDS).find(({ endings }) => endings.includes(ending));
  if (named !== kind && (named || ending !== ''))
    return `${name}: its name ends in .${ending}, and what stands in it is ${kind.words}. Give it the name that fits (.${kind.endings[0]}), if that is what it is.`;
  return null;
}

/** "Muster list" of "muster-list_2027.pdf": a beginning for the title of its unit. */
export function titleOfFile(name: string): string {
  const words = name.replace(/\.[^.\s]+$/, '').replace(/[_-]+/g, ' ').replace(/\s+/g, ' ').trim(); // prettier-ignore
  return (words.charAt(0).toUpperCase() + words.slice(1)).slice(0, 200);
}

/** A name that somebody elsewhere gave a file, as one that leads nowhere and that every machine can keep; the end of a long one stays. */
export const safeFileName = (name: string): string => name.replace(/[/\\:*?"<>|\n\t]/g, '_').slice(-150) || 'file';
