import { Readable, Writable } from 'node:stream';
import { finished, pipeline } from 'node:stream/promises';
import { stringify } from 'csv-stringify';
import excel from 'exceljs';
import type { ReportQuery, ReportRow } from '@nudrik/contract';
import { tellMoment, Zone } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import type { Work } from '../work/jobs.ts';
import { listReport, partsOf } from './course-report.ts';

/** A column of a file, as it is on the screen. */
export interface Column<Row> {
  head: string;
  width: number;
  cell(row: Row, zone: Zone): string | number;
}

/** The columns of the report, the same on the screen, in CSV and in XLSX; moments in the house's zone, with their offset. */
export const REPORT_COLUMNS: readonly Column<ReportRow>[] = [
  { head: 'Person', width: 24, cell: (row) => row.person.name },
  { head: 'Personnel number', width: 16, cell: (row) => row.person.number ?? '' },
  { head: 'E-mail', width: 30, cell: (row) => row.person.email },
  { head: 'Department', width: 14, cell: (row) => row.department },
  { head: 'Site', width: 14, cell: (row) => row.site },
  { head: 'Manager', width: 24, cell: (row) => row.manager ?? '' },
  { head: 'Assigned', width: 24, cell: (row, zone) => written(row.assignedAt, zone) },
  { head: 'Due', width: 24, cell: (row, zone) => written(row.dueAt, zone) },
  { head: 'Progress', width: 10, cell: (row) => `${row.unitsDone} of ${row.unitsRequired}` },
  { head: 'State', width: 14, cell: (row) => row.state },
  { head: 'Finished', width: 24, cell: (row, zone) => row.finishedOn ?? (row.finishedAt ? written(row.finishedAt, zone) : '') },
  { head: 'Certificate', width: 14, cell: (row) => row.certificate ?? '' },
  { head: 'Last notice', width: 22, cell: (row) => row.last?.what ?? '' },
  { head: 'Last notice sent', width: 24, cell: (row, zone) => (row.last ? written(row.last.at, zone) : '') },
  { head: 'Last notice outcome', width: 14, cell: (row) => row.last?.outcome ?? '' },
  { head: 'Next notice', width: 22, cell: (row) => row.next?.what ?? '' },
  { head: 'Next notice planned', width: 24, cell: (row, zone) => (row.next ? written(row.next.at, zone) : '') },
];

/** A moment for a file: `2026-05-06 09:00 +02:00`, which sorts within a zone and says which it is. */
export function written(iso: string, zone: Zone): string {
  const instant = Date.parse(iso);
  const local = zone.toLocal(instant);
  const wall = local.day * 86_400_000 + local.ms;
  const offset = Math.round((wall - Math.floor(instant / 60_000) * 60_000) / 60_000);
  const two = (n: number): string => String(n).padStart(2, '0');
  const size = Math.abs(offset);
  return `${new Date(wall).toISOString().slice(0, 16).replace('T', ' ')} ${offset < 0 ? '-' : '+'}${two(Math.floor(size / 60))}:${two(size % 60)}`;
}

/** A cell that a spreadsheet would run as a formula is written as text. */
export const safeCell = <T extends string | number>(cell: T): T | string =>
  typeof cell === 'string' && /^[=+\-@\t\r]/.test(cell) ? `'${cell}` : cell;

/** A table as its rows are read, a part after the other: a million at constant memory. */
export interface Table<Row> {
  title: string;
  columns: readonly Column<Row>[];
  parts: AsyncIterable<readonly Row[]>;
}

/** Writes CSV (RFC 4180), and ends what it writes to. */
export async function writeCsv<Row>(out: Writable, { columns, parts }: Table<Row>, zone: Zone): Promise<void> {
  const lines = async function* (): AsyncGenerator<(string | number)[]> {
    yield columns.map((column) => column.head);
    for await (const rows of parts) for (const row of rows) yield columns.map((column) => safeCell(column.cell(row, zone)));
  };
  await pipeline(Readable.from(lines()), stringify({ header: false, bom: true }), out);
}

/** Writes XLSX, and ends what it writes to. */
export async function writeXlsx<Row>(out: Writable, { title, columns, parts }: Table<Row>, zone: Zone, now: number): Promise<void> {
  // streamed: in memory a million rows take 2.6 GB
  const book = new excel.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true });
  const sheet = book.addWorksheet(title.replace(/[\\/?*[\]:]/g, ' ').slice(0, 31), {
    views: [{ state: 'frozen', ySplit: 1 }],
  });
  sheet.columns = columns.map((column) => ({ header: column.head, width: column.width }));
  sheet.getRow(1).font = { bold: true };
  for await (const rows of parts) for (const row of rows) sheet.addRow(columns.map((column) => column.cell(row, zone))).commit();
  sheet.commit();
  book.title = `${title}, as of ${tellMoment(now, zone)}`;
  await book.commit();
}

export const EXPORT_TYPES = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
} as const;
export type ExportKind = keyof typeof EXPORT_TYPES;

export const writeTable = <Row>(kind: ExportKind, out: Writable, table: Table<Row>, zone: Zone, now: number): Promise<void> =>
  kind === 'csv' ? writeCsv(out, table, zone) : writeXlsx(out, table, zone, now);

/** The report of a course as a table. */
export const reportTable = (title: string, parts: Table<ReportRow>['parts']): Table<ReportRow> => ({
  title,
  columns: REPORT_COLUMNS,
  parts,
});

/** A file that is made in memory, for long work to keep. */
export async function bytesOfFile(write: (out: Writable) => Promise<void>): Promise<Buffer> {
  const chunks: Buffer[] = [];
  const out = new Writable({ write: (chunk: Buffer, _encoding, done) => (chunks.push(Buffer.from(chunk)), done()) });
  // one that is cancelled ends both, and both are waited for
  await Promise.all([write(out), finished(out)]);
  return Buffer.concat(chunks);
}

/** The report of a course as a file, made while its parts are read. */
export async function exportReport(
  deps: Deps,
  { course: courseId, kind, query }: { course: string; kind: ExportKind; query: ReportQuery },
  work: Work,
): Promise<{ href: string }> {
  const now = deps.clock.now();
  const { course, ids, at } = await listReport(deps.db, courseId, query, now);
  const zone = Zone.of((await getHouse(deps.db)).zone);
  const table = reportTable(course.title, partsOf(deps.db, ids, query, at, work));
  const content = await bytesOfFile((out) => writeTable(kind, out, table, zone, at.now));
  const name = `${course.title}, ${at.today}.${kind}`;
  return { href: await work.keep({ name, type: EXPORT_TYPES[kind], content }) };
}
