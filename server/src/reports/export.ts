import { headFile } from '../answer-file.ts';
import type { Response } from 'express';
import { stringify } from 'csv-stringify';
import excel from 'exceljs';
import type { ReportRow } from '@nudrik/contract';
import { tellMoment, type Zone } from '@nudrik/core';

interface Column {
  head: string;
  width: number;
  cell(row: ReportRow, zone: Zone): string | number;
}

/** The columns of the report, the same on the screen, in CSV and in XLSX; moments in the house's zone, with their offset. */
export const REPORT_COLUMNS: readonly Column[] = [
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
const safe = (cell: string | number): string | number => (typeof cell === 'string' && /^[=+\-@\t\r]/.test(cell) ? `'${cell}` : cell);

export async function sendCsv(res: Response, name: string, rows: readonly ReportRow[], zone: Zone): Promise<void> {
  headFile(res, `${name}.csv`, 'text/csv; charset=utf-8');
  res.write('\ufeff');
  const csv = stringify({ header: false });
  csv.pipe(res);
  csv.write(REPORT_COLUMNS.map((column) => column.head));
  for (const row of rows) csv.write(REPORT_COLUMNS.map((column) => safe(column.cell(row, zone))));
  csv.end();
  await new Promise((done) => res.on('finish', done));
}

export async function sendXlsx(
  res: Response,
  name: string,
  title: string,
  rows: readonly ReportRow[],
  zone: Zone,
  now: number,
): Promise<void> {
  headFile(res, `${name}.xlsx`, 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet');
  // streamed: in memory a million rows take 2.6 GB
  const book = new excel.stream.xlsx.WorkbookWriter({ stream: res, useStyles: true });
  const sheet = book.addWorksheet(title.replace(/[\\/?*[\]:]/g, ' ').slice(0, 31), {
    views: [{ state: 'frozen', ySplit: 1 }],
  });
  sheet.columns = REPORT_COLUMNS.map((column) => ({ header: column.head, width: column.width }));
  sheet.getRow(1).font = { bold: true };
  for (const row of rows) sheet.addRow(REPORT_COLUMNS.map((column) => column.cell(row, zone))).commit();
  sheet.commit();
  book.title = `${title}, as of ${tellMoment(now, zone)}`;
  await book.commit();
}
