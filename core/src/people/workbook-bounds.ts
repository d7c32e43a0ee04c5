import { Unzip, UnzipInflate } from 'fflate';

/** What a workbook may hold: more is no roster, and would fill the memory of whoever reads it. */
const MOST = { parts: 2_000, inflated: 80_000_000, columns: 200, rows: 300_000, cells: 3_000_000 };
const SLICE = 16 * 1024;

const columnNumber = (letters: string): number => [...letters].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0);

/**
 * Looks through a workbook (a ZIP file) without keeping any of it: how far it inflates, and how far its sheets reach.
 * @returns what it has too much of, in words without a full stop, or null
 */
export function workbookFault(bytes: Uint8Array): string | null {
  let parts = 0;
  let inflated = 0;
  let cells = 0;
  let column = 0;
  let row = 0;
  let fault: string | null = null;
  const decoder = new TextDecoder('utf-8');
  const unzip = new Unzip((file) => {
    parts += 1;
    if (parts > MOST.parts) fault ??= `it has more than ${MOST.parts} parts`;
    const isSheet = file.name.startsWith('xl/worksheets/');
    let tail = '';
    file.ondata = (error, chunk) => {
      if (error || fault) return;
      inflated += chunk.length;
      if (inflated > MOST.inflated) {
        fault = `it inflates to more than ${MOST.inflated / 1_000_000} MB`;
        return file.terminate();
      }
      if (!isSheet) return;
      const text = tail + decoder.decode(chunk);
      for (const [, letters, number] of text.matchAll(/<c\b[^>]*?\br="([A-Z]{1,3})(\d{1,7})"/g)) {
        cells += 1;
        column = Math.max(column, columnNumber(letters!));
        row = Math.max(row, Number(number));
      }
      // a cell that the end of a chunk cuts in two
      tail = text.slice(Math.max(text.lastIndexOf('<c'), text.length - 200));
      if (/^<c\b[^>]*\br="[A-Z]+\d+"/.test(tail)) tail = '';
      if (column > MOST.columns || row > MOST.rows)
        fault = `a cell stands in column ${column}, row ${row}; expected at most ${MOST.columns} columns and ${MOST.rows} rows`;
      else if (cells > MOST.cells || column * row > 4 * MOST.cells) fault = `it has too many cells (${column} columns and ${row} rows)`;
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  for (let from = 0; from < bytes.length && fault === null; from += SLICE) {
    try {
      unzip.push(bytes.subarray(from, from + SLICE), from + SLICE >= bytes.length);
    } catch {
      return 'it is damaged';
    }
  }
  return fault;
}
