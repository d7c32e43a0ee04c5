import { parse as parseCsv, CsvError } from 'csv-parse/sync';
import { Refused } from '../refusal.ts';

/** Bytes that begin files of other kinds, and what they are. */
const SIGNATURES: [string, string][] = [
  ['%PDF', 'a PDF'],
  ['PK\u0003\u0004', 'a ZIP or Excel workbook'],
  ['\u00d0\u00cf\u0011\u00e0', 'an old Office document'],
  ['\u0089PNG', 'a picture'],
  ['\u00ff\u00d8\u00ff', 'a picture'],
  ['GIF8', 'a picture'],
];

/**
 * The cells of a roster file.
 * @param bytes comma, semicolon or tab separated text in UTF-8, with or without a byte order mark
 * @throws Refused with what the file is, where reading stopped, and what was expected
 */
export function readRosterFile(bytes: Buffer, fileName: string): string[][] {
  const refuse = (words: string): never => {
    throw new Refused('wrong-file', `${fileName}: ${words} Nothing was taken.`);
  };
  if (bytes.length === 0) return refuse('the file is empty (0 bytes). Expected a CSV file with a header line and one person a line.');
  const start = bytes.subarray(0, 8).toString('latin1');
  const kind = SIGNATURES.find(([signature]) => start.startsWith(signature))?.[1];
  if (kind) return refuse(`this is ${kind}, whatever its name says. Expected a CSV file; most programs offer “save as CSV”.`);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    const row = 1 + bytes.subarray(0, firstBadByte(bytes)).filter((byte) => byte === 10).length;
    return refuse(`the text is not UTF-8 (first in row ${row}). Expected UTF-8; save the file as “CSV UTF-8”.`);
  }
  if (text.includes('\0')) return refuse('this is not a text file. Expected a CSV file.');
  const firstLine = text.split(/\r?\n/, 1)[0]!;
  const delimiter = [';', '\t', ','].map((mark) => ({ mark, count: firstLine.split(mark).length })).sort((a, b) => b.count - a.count)[0]!
    .mark;
  try {
    return parseCsv(text, {
      delimiter,
      bom: true,
      relax_column_count: true,
      skip_empty_lines: false,
      relax_quotes: false,
    }) as string[][];
  } catch (error) {
    if (!(error instanceof CsvError)) throw error;
    return refuse(
      `row ${(error as CsvError & { lines?: number }).lines ?? '?'} cannot be read: ${error.code === 'CSV_QUOTE_NOT_CLOSED' ? 'a quotation mark is opened and never closed' : error.message}.`,
    );
  }
}

function firstBadByte(bytes: Buffer): number {
  let low = 0;
  let high = bytes.length;
  const isGood = (end: number): boolean => {
    try {
      new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(0, end), { stream: true });
      return true;
    } catch {
      return false;
    }
  };
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (isGood(middle)) low = middle;
    else high = middle - 1;
  }
  return low;
}
