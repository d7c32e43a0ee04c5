import { Readable, Writable } from 'node:stream';
import { finished, pipeline } from 'node:stream/promises';
import { stringify } from 'csv-stringify';
import excel from 'exceljs';
import { dayOf, tellDate, tellMoment, type Zone } from '@nudrik/core';
import type { Work } from '../work/jobs.ts';
import { writePdf } from './table-pdf.ts';

/** A moment, or a day without an hour. */
export type When = { at: string } | { on: string };
export type Cell = string | number | When | null;

/** A column of a file, as it is on the screen. */
export interface Column<Row> {
  head: string;
  /** in characters */
  width: number;
  /** share of the width of a printed page; a column without is left to the other files */
  print?: number;
  cell(row: Row): Cell;
}

/** A table as its rows are read, a part after the other: a million at constant memory. */
export interface Table<Row> {
  title: string;
  /** what it is: of when, of whom, by which filters; told in the file */
  about: readonly (readonly [string, string])[];
  columns: readonly Column<Row>[];
  parts: AsyncIterable<readonly Row[]>;
  /** how many rows there will be; null where nobody counted them */
  total: number | null;
}

/** Who reads a file where, and when it is made. */
export interface Made {
  house: string;
  zone: Zone;
  /** whose time it is: "Oslo time" */
  zoneWords: string;
  now: number;
}

export const TABLE_TYPES = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  pdf: 'application/pdf',
} as const;
export type TableKind = keyof typeof TABLE_TYPES;

const offsetAt = (instant: number, zone: Zone): { wall: number; minutes: number } => {
  const local = zone.toLocal(instant);
  const wall = local.day * 86_400_000 + local.ms;
  return { wall, minutes: Math.round((wall - Math.floor(instant / 60_000) * 60_000) / 60_000) };
};
const two = (n: number): string => String(n).padStart(2, '0');

/** A moment for a file: `2026-05-06 09:00 +02:00`, which sorts within a zone and says which it is. */
export function written(iso: string, zone: Zone): string {
  const { wall, minutes } = offsetAt(Date.parse(iso), zone);
  const size = Math.abs(minutes);
  return `${new Date(wall).toISOString().slice(0, 16).replace('T', ' ')} ${minutes < 0 ? '-' : '+'}${two(Math.floor(size / 60))}:${two(size % 60)}`;
}

/** A cell that a spreadsheet would run as a formula is written as text. */
export const safeCell = (cell: string | number): string | number =>
  typeof cell === 'string' && /^[=+\-@\t\r]/.test(cell) ? `'${cell}` : cell;

const csvCell = (cell: Cell, zone: Zone): string | number =>
  cell === null ? '' : typeof cell === 'object' ? ('on' in cell ? cell.on : written(cell.at, zone)) : safeCell(cell);

/** What a person reads in a printed table. */
export const printedCell = (cell: Cell, zone: Zone): string =>
  cell === null
    ? ''
    : typeof cell !== 'object'
      ? String(cell)
      : 'on' in cell
        ? tellDate(dayOf(cell.on))
        : tellDate(zone.dayAt(Date.parse(cell.at)));

/** Writes CSV (RFC 4180), and ends what it writes to. */
async function writeCsv<Row>(out: Writable, { columns, parts }: Table<Row>, { zone }: Made): Promise<void> {
  const lines = async function* (): AsyncGenerator<(string | number)[]> {
    yield columns.map((column) => column.head);
    for await (const rows of parts) for (const row of rows) yield columns.map((column) => csvCell(column.cell(row), zone));
  };
  await pipeline(Readable.from(lines()), stringify({ header: false, bom: true, record_delimiter: '\r\n' }), out);
}

/** Moments as the clock on the wall shows them: a workbook knows no zones, so that its other sheet says which it is. */
function xlsxCell(cell: Cell, zone: Zone): { value: string | number | Date; format?: string } {
  if (cell === null) return { value: '' };
  if (typeof cell !== 'object') return { value: cell };
  if ('on' in cell) return { value: new Date(`${cell.on}T00:00:00Z`), format: 'yyyy-mm-dd' };
  return { value: new Date(offsetAt(Date.parse(cell.at), zone).wall), format: 'yyyy-mm-dd hh:mm' };
}

/** Rows that a sheet of a workbook has. */
const MOST_ROWS = 1_048_576;

/** Writes XLSX: typed cells, a head that stays, filters; a second sheet says what it is. Ends what it writes to. */
async function writeXlsx<Row>(out: Writable, { title, about, columns, parts, total }: Table<Row>, made: Made): Promise<void> {
  // streamed: in memory a million rows take 2.6 GB
  const book = new excel.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true });
  const sheet = book.addWorksheet(title.replace(/[\\/?*[\]:]/g, ' ').slice(0, 31), { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = columns.map((column) => ({ header: column.head, width: column.width }));
  sheet.getRow(1).font = { bold: true };
  sheet.autoFilter = { from: { row: 1, column: 1 }, to: { row: (total ?? MOST_ROWS - 1) + 1, column: columns.length } };
  for await (const rows of parts)
    for (const row of rows) {
      const cells = columns.map((column) => xlsxCell(column.cell(row), made.zone));
      const line = sheet.addRow(cells.map(({ value }) => value));
      cells.forEach(({ format }, i) => {
        if (format) line.getCell(i + 1).numFmt = format;
      });
      line.commit();
    }
  sheet.commit();
  const told = book.addWorksheet('About');
  told.columns = [{ width: 24 }, { width: 90 }];
  for (const line of aboutLines({ title, about, total }, made)) told.addRow([...line]).commit();
  told.commit();
  book.title = `${title}, made ${tellMoment(made.now, made.zone, 0)}`;
  await book.commit();
}

/** What stands about a table in its file. */
export const aboutLines = (
  { title, about, total }: Pick<Table<never>, 'title' | 'about' | 'total'>,
  { house, zone, zoneWords, now }: Made,
): (readonly [string, string])[] => [
  ['What', title],
  ['House', house],
  ...about,
  ...(total === null ? [] : [['Rows', String(total)] as const]),
  ['Days and moments in', zoneWords],
  ['Made', tellMoment(now, zone, 0)],
];

export const writeTable = <Row>(kind: TableKind, out: Writable, table: Table<Row>, made: Made): Promise<void> =>
  kind === 'csv' ? writeCsv(out, table, made) : kind === 'xlsx' ? writeXlsx(out, table, made) : writePdf(out, table, made);

/** Tells how far it is, and ends where somebody asked for that. */
export async function* counted<Row>(parts: AsyncIterable<readonly Row[]>, total: number, work: Work): AsyncGenerator<readonly Row[]> {
  let done = 0;
  await work.at(0, total);
  for await (const part of parts) {
    yield part;
    done += part.length;
    await work.at(Math.min(done, total), total);
  }
}

/** A file that is made in memory, where it is small. */
export async function bytesOfFile(write: (out: Writable) => Promise<void>): Promise<Buffer> {
  const chunks: Buffer[] = [];
  const out = new Writable({ write: (chunk: Buffer, _encoding, done) => (chunks.push(Buffer.from(chunk)), done()) });
  // one that is cancelled ends both, and both are waited for
  await Promise.all([write(out), finished(out)]);
  return Buffer.concat(chunks);
}
