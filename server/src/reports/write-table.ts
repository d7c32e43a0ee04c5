import { Readable, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { stringify } from 'csv-stringify/sync';
import excel from 'exceljs';
import { tellMoment, type Zone } from '@nudrik/core';
import { aboutLines, offsetAt, safeCell, written, type Cell, type Made, type Table } from './table.ts';
import { writePdf } from './table-pdf.ts';

export const TABLE_TYPES = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  pdf: 'application/pdf',
} as const;
export type TableKind = keyof typeof TABLE_TYPES;

const csvCell = (cell: Cell, zone: Zone): string | number =>
  cell === null ? '' : typeof cell === 'object' ? ('on' in cell ? cell.on : written(cell.at, zone)) : safeCell(cell);

/** Writes CSV (RFC 4180), a part at once, and ends what it writes to. */
async function writeCsv<Row>(out: Writable, { columns, parts }: Table<Row>, { zone }: Made): Promise<void> {
  const lines = (rows: readonly (readonly (string | number)[])[]): string => stringify(rows as (string | number)[][], { record_delimiter: '\r\n' }); // prettier-ignore
  const chunks = async function* (): AsyncGenerator<string> {
    yield `\ufeff${lines([columns.map((column) => column.head)])}`;
    for await (const rows of parts) yield lines(rows.map((row) => columns.map((column) => csvCell(column.cell(row), zone))));
  };
  await pipeline(Readable.from(chunks()), out);
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

export const writeTable = <Row>(kind: TableKind, out: Writable, table: Table<Row>, made: Made): Promise<void> =>
  kind === 'csv' ? writeCsv(out, table, made) : kind === 'xlsx' ? writeXlsx(out, table, made) : writePdf(out, table, made);
