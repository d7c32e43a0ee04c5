import Papa from 'papaparse';

/** What a file was read as, for the reader's eye: a wrong guess is seen at once. */
export interface TableFile {
  /** cells as text, the header first */
  cells: string[][];
  kind: 'csv' | 'xlsx';
  encoding: Encoding | null;
  delimiter: string | null;
}
export type Encoding = 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';

/** A file that cannot be read: what it is, where reading stopped, what was expected. The sentence ends without a full stop. */
export class UnreadableFile extends Error {}

/** Bytes that begin files of other kinds, and what they are. */
const SIGNATURES: [string, string][] = [
  ['%PDF', 'a PDF'],
  ['\u00d0\u00cf\u0011\u00e0', 'an Office document of the old kind (.xls)'],
  ['\u0089PNG', 'a picture'],
  ['\u00ff\u00d8\u00ff', 'a picture'],
  ['GIF8', 'a picture'],
];
const latin = (bytes: Uint8Array): string => String.fromCharCode(...bytes);

/** Whether the bytes are UTF-16 without a mark: Latin text leaves every second byte at zero. */
function unmarkedUtf16(bytes: Uint8Array): Encoding | null {
  const sample = bytes.subarray(0, 2_000);
  let even = 0;
  let odd = 0;
  sample.forEach((byte, index) => {
    if (byte === 0) index % 2 === 0 ? (even += 1) : (odd += 1);
  });
  const half = sample.length / 2;
  if (odd > half * 0.6 && even < half * 0.1) return 'utf-16le';
  if (even > half * 0.6 && odd < half * 0.1) return 'utf-16be';
  return null;
}

/** The text of some bytes: a byte order mark decides, then valid UTF-8, then Windows-1252, in which every byte means something. */
export function decode(bytes: Uint8Array): { text: string; encoding: Encoding } {
  const read = (encoding: Encoding, isFatal = false): { text: string; encoding: Encoding } => ({
    text: new TextDecoder(encoding, { fatal: isFatal }).decode(bytes),
    encoding,
  });
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return read('utf-16le');
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return read('utf-16be');
  const unmarked = unmarkedUtf16(bytes);
  if (unmarked) return read(unmarked);
  try {
    return read('utf-8', true);
  } catch {
    return read('windows-1252');
  }
}

const DELIMITERS = [';', '\t', ',', '|'] as const;

/** The mark that splits the first lines most evenly: the most columns that three lines agree on. */
export function findDelimiter(text: string): string {
  const lines = Papa.parse<string[]>(text, { delimiter: '\u0001', preview: 3, quoteChar: '\u0000' }).data.map((line) => line[0] ?? '');
  const counts = DELIMITERS.map((mark) => {
    const widths = lines.filter((line) => line.trim() !== '').map((line) => line.split(mark).length);
    return { mark, columns: Math.min(...widths), header: widths[0] ?? 1 };
  });
  return counts.sort((a, b) => b.columns - a.columns || b.header - a.header)[0]!.mark;
}

const MOST_ROWS = 300_000;
const MOST_COLUMNS = 200;
/** what a cell of a spreadsheet holds at the most */
const MOST_CELL = 32_767;

const quotesWords = (row: number, code: string): string =>
  `row ${row} cannot be read: ` +
  `${code === 'MissingQuotes' ? 'a quotation mark is opened and never closed' : 'a quotation mark stands in the middle of a value'}`;

/** Characters read at a time, between two reports of how far it is. */
const CHUNK = 256 * 1024;

/**
 * The cells of a CSV file (any common delimiter; UTF-8, UTF-16 or Windows-1252) or of the first sheet of an XLSX workbook.
 * @param onProgress called with 0 … 1
 * @throws UnreadableFile
 */
export async function readTable(bytes: Uint8Array, onProgress: (share: number) => void = () => undefined): Promise<TableFile> {
  if (bytes.length === 0)
    throw new UnreadableFile('the file is empty (0 bytes). Expected a CSV or XLSX file with a header line and one person a line');
  const start = latin(bytes.subarray(0, 8));
  const kind = SIGNATURES.find(([signature]) => start.startsWith(signature))?.[1];
  if (kind) throw new UnreadableFile(`this is ${kind}, whatever its name says. Expected CSV or XLSX; most programs offer “save as CSV”`);
  if (start.startsWith('PK\u0003\u0004')) return readWorkbook(bytes, onProgress);
  const { text, encoding } = decode(bytes);
  if (text.includes('\0')) throw new UnreadableFile('this is not a text file. Expected CSV or XLSX');
  const delimiter = findDelimiter(text);
  const cells: string[][] = [];
  let stuck = 0;
  // a string is read in pieces of chunkSize when there is a chunk callback, and at once: no worker, no network
  const config = {
    delimiter,
    chunkSize: CHUNK,
    chunk({ data, errors, meta }: Papa.ParseResult<string[]>) {
      const fault = errors.find(({ type }) => type === 'Quotes');
      if (fault) throw new UnreadableFile(quotesWords(cells.length + (fault.row ?? 0) + 1, fault.code));
      // of a quotation mark that is never closed nothing comes, and all of the rest is looked through again and again
      stuck = data.length === 0 ? stuck + 1 : 0;
      if (stuck > 3) throw new UnreadableFile(quotesWords(cells.length + 1, 'MissingQuotes'));
      for (const row of data) {
        cells.push(row);
        const long = row.find((cell) => cell.length > MOST_CELL);
        if (row.length > MOST_COLUMNS || long !== undefined)
          throw new UnreadableFile(
            `row ${cells.length} ${long === undefined ? `has ${row.length} columns; expected at most ${MOST_COLUMNS}` : `has a value of ${long.length} characters; expected at most ${MOST_CELL}`}`,
          );
      }
      if (cells.length > MOST_ROWS) throw new UnreadableFile(`it has more than ${MOST_ROWS} rows`);
      onProgress(Math.min(1, meta.cursor / text.length));
    },
  };
  Papa.parse<string[]>(text, config as unknown as Papa.ParseConfig<string[]>);
  return { cells, kind: 'csv', encoding, delimiter };
}

async function readWorkbook(bytes: Uint8Array, onProgress: (share: number) => void): Promise<TableFile> {
  const { workbookFault } = await import('./workbook-bounds.ts');
  const fault = workbookFault(bytes);
  if (fault) throw new UnreadableFile(`this workbook is not read: ${fault}. Expected a roster; save the sheet alone as CSV`);
  const { readSheet } = await import('read-excel-file/universal');
  onProgress(0.1);
  let rows: readonly (readonly unknown[])[];
  try {
    const copy = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
    rows = await readSheet(copy);
  } catch {
    throw new UnreadableFile(
      'this is a ZIP file, but not a workbook that can be read. Expected XLSX; open it and save it again, or save it as CSV',
    );
  }
  onProgress(1);
  return { cells: rows.map((row) => row.map(cellText)), kind: 'xlsx', encoding: null, delimiter: null };
}

const cellText = (cell: unknown): string =>
  cell === null || cell === undefined
    ? ''
    : cell instanceof Date
      ? cell.toISOString().slice(0, 10)
      : String(cell as string | number | boolean);

/**
 * Cells as CSV (RFC 4180) with a mark for UTF-8, so that a spreadsheet program reads it right. A cell that a spreadsheet
 * program would run as a formula is kept as text.
 */
export const writeCsv = (cells: readonly (readonly (string | number | null)[])[]): string =>
  `\ufeff${Papa.unparse(cells as (string | number | null)[][], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
