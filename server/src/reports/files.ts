import type { Writable } from 'node:stream';
import type {
  FigureRow,
  FinishedRow,
  MatrixRow,
  NotifiedRow,
  ReportFile,
  ReportFileKind,
  ReportRequest,
  ReportRow,
} from '@nudrik/contract';
import { tellNarrower } from '@nudrik/contract';
import { capital, CELL_MARKS, dateOf, FIGURE_WORDS, dayOf, tellCell, tellDate, Zone, zoneWords } from '@nudrik/core';
import { partsOf } from '../db/cursor.ts';
import type { Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import type { Work } from '../work/jobs.ts';
import type { At } from './as-of.ts';
import { figureView } from './figures.ts';
import { reportParts, requirementName } from './course-report.ts';
import { countNotified, finishedRows, notifiedRows, reportQueryOf, scopeOf } from './lists.ts';
import { notifiedSql, type NotifiedDbRow } from './lists.repo.ts';
import { matrixParts, matrixView } from './matrix.ts';
import { counted, type Column, type Made, type Table, type When } from './table.ts';
import { TABLE_TYPES, writeTable } from './write-table.ts';

const moment = (at: string | null): When | null => (at === null ? null : { at });

/** The report of a course, as it is on the screen; moments in the house's zone, with their offset. */
export const REPORT_COLUMNS: readonly Column<ReportRow>[] = [
  { head: 'Person', width: 24, print: 20, cell: (row) => row.person.name },
  { head: 'Personnel number', width: 16, cell: (row) => row.person.number },
  { head: 'E-mail', width: 30, cell: (row) => row.person.email },
  { head: 'Department', width: 14, print: 13, cell: (row) => row.department },
  { head: 'Site', width: 14, cell: (row) => row.site },
  { head: 'Manager', width: 24, print: 17, cell: (row) => row.manager },
  { head: 'Assigned', width: 24, print: 12, cell: (row) => moment(row.assignedAt) },
  { head: 'Due', width: 24, print: 12, cell: (row) => moment(row.dueAt) },
  { head: 'Progress', width: 10, print: 8, cell: (row) => `${row.unitsDone} of ${row.unitsRequired}` },
  { head: 'State', width: 14, print: 12, cell: (row) => row.state },
  { head: 'Finished', width: 24, print: 12, cell: (row) => (row.finishedOn ? { on: row.finishedOn } : moment(row.finishedAt)) },
  { head: 'Certificate', width: 14, print: 14, cell: (row) => row.certificate },
  { head: 'Last notice', width: 22, print: 16, cell: (row) => row.last?.what ?? null },
  { head: 'Last notice sent', width: 24, print: 12, cell: (row) => moment(row.last?.at ?? null) },
  { head: 'Last notice outcome', width: 14, print: 10, cell: (row) => row.last?.outcome ?? null },
  { head: 'Next notice', width: 22, cell: (row) => row.next?.what ?? null },
  { head: 'Next notice planned', width: 24, cell: (row) => moment(row.next?.at ?? null) },
];

/** One line for each notice, and one for each person to whom none went. */
interface NotifiedLine {
  row: NotifiedRow;
  notice: NotifiedRow['notices'][number] | null;
}
const NOTIFIED_COLUMNS: readonly Column<NotifiedLine>[] = [
  { head: 'Person', width: 24, print: 20, cell: ({ row }) => row.person.name },
  { head: 'Department', width: 14, print: 13, cell: ({ row }) => row.department },
  { head: 'Site', width: 14, print: 13, cell: ({ row }) => row.site },
  { head: 'Assigned', width: 24, print: 12, cell: ({ row }) => moment(row.assignedAt) },
  { head: 'Told', width: 10, print: 8, cell: ({ row }) => (row.told === 'told' ? 'told' : 'not told') },
  { head: 'Notice', width: 24, print: 20, cell: ({ notice }) => notice?.step ?? null },
  { head: 'Sent', width: 24, print: 12, cell: ({ notice }) => moment(notice?.at ?? null) },
  { head: 'To', width: 32, print: 26, cell: ({ notice }) => notice?.where ?? null },
  { head: 'Outcome', width: 12, print: 10, cell: ({ notice }) => notice?.outcome ?? null },
  { head: 'Why not', width: 80, print: 36, cell: ({ row }) => row.why?.words ?? null },
];
const linesOf = (row: NotifiedRow): NotifiedLine[] =>
  row.notices.length > 0 ? row.notices.map((notice) => ({ row, notice })) : [{ row, notice: null }];

const FINISHED_COLUMNS: readonly Column<FinishedRow>[] = [
  { head: 'Person', width: 24, print: 20, cell: (row) => row.person.name },
  { head: 'Department', width: 14, print: 13, cell: (row) => row.department },
  { head: 'Site', width: 14, print: 13, cell: (row) => row.site },
  { head: 'Round', width: 8, cell: (row) => row.round },
  { head: 'Assigned', width: 24, print: 12, cell: (row) => moment(row.assignedAt) },
  { head: 'Due', width: 24, print: 12, cell: (row) => moment(row.dueAt) },
  { head: 'State', width: 14, print: 13, cell: (row) => row.state },
  { head: 'Finished', width: 24, print: 12, cell: (row) => (row.finishedOn ? { on: row.finishedOn } : moment(row.finishedAt)) },
  { head: 'How, or why not', width: 60, print: 40, cell: (row) => row.how },
  { head: 'Days late', width: 10, print: 8, cell: (row) => row.lateDays },
  { head: 'Certificate', width: 14, print: 14, cell: (row) => row.certificate },
];

/** Rows of a matrix that are read at once. */
const MATRIX_PART = 200;
const told = (value: string | undefined): string => value ?? 'any';
const asOfLine = ({ past, today }: Pick<At, 'past' | 'today'>): (readonly [string, string])[] =>
  past === null ? [] : [['As of', `the end of ${tellDate(dayOf(today))}, ${past === 'then' ? 'as it was known then' : 'as is known now'}`]];
const filtered = async (
  db: Queryable,
  query: { find?: string | undefined; department?: string | undefined; site?: string | undefined; requirement?: string | undefined },
): Promise<(readonly [string, string])[]> => [
  ...(query.find ? [['Found by', query.find] as const] : []),
  ...(query.requirement ? [['Asked by', await requirementName(db, query.requirement)] as const] : []),
  ['Department', told(query.department)],
  ['Site', told(query.site)],
];

async function* flat<A, B>(parts: AsyncIterable<readonly A[]>, change: (part: readonly A[]) => Promise<B[]> | B[]): AsyncGenerator<B[]> {
  for await (const part of parts) yield await change(part);
}

/** A report as a table, to be written as any kind of file. */
export async function tableOf(deps: Deps, request: ReportRequest): Promise<Table<never>> {
  const now = deps.clock.now();
  const { db } = deps;
  const as = <Row>(table: Table<Row>): Table<never> => table as unknown as Table<never>;
  switch (request.report) {
    case 'course': {
      const { course, at, total, parts } = await reportParts(db, request.course, request, now);
      const about = [...asOfLine(at), ...(await filtered(db, request)), ['State', request.state]] as const;
      return as({ title: course.title, about, columns: REPORT_COLUMNS, parts, total });
    }
    case 'notified': {
      const { course, at, zone, fitting } = await scopeOf(db, request.course, request, now);
      const step = request.step ?? null;
      const { sql, values } = notifiedSql(fitting, at, step, request.who);
      const total = await countNotified(db, request.course, request, fitting, at);
      const parts = flat(partsOf<NotifiedDbRow>(db, sql, values, total, 500), async (part) => (await notifiedRows(deps, part, at, step, zone)).flatMap(linesOf)); // prettier-ignore
      const about = [...asOfLine(at), ...(await filtered(db, request)), ['Of the step', step ?? 'any'], ['Who', request.who]] as const; // prettier-ignore
      return as({ title: `Who was notified, ${course.title}`, about, columns: NOTIFIED_COLUMNS, parts, total });
    }
    case 'finished': {
      const query = reportQueryOf(request);
      const { course, at, total, parts } = await reportParts(db, request.course, query, now);
      const zone = Zone.of((await getHouse(db)).zone);
      const narrower = tellNarrower(request);
      const about = [
        ...asOfLine(at),
        ...(await filtered(db, request)),
        ['Who', narrower ? `${request.who}, ${narrower}` : request.who],
      ] as const;
      return as({
        title: `Who finished, ${course.title}`,
        about,
        columns: FINISHED_COLUMNS,
        parts: flat(parts, (part) => finishedRows(db, part, at, zone)),
        total,
      });
    }
    case 'figure':
      return as(await figureTable(deps, request));
    case 'matrix': {
      const view = await matrixView(db, { ...request, from: 0, size: 1 }, now);
      const courses = view.courses;
      const columns: Column<MatrixRow>[] = [
        { head: view.by === 'person' ? 'Person' : capital(view.by), width: 26, print: 22, cell: (row) => row.name },
        view.by === 'person' ? { head: 'Where', width: 26, print: 20, cell: (row) => row.where } : { head: 'People', width: 10, print: 8, cell: (row) => row.people },
        ...courses.map(({ id, title }): Column<MatrixRow> => ({
          head: title,
          width: 24,
          print: 14,
          cell: (row) => {
            if (view.by !== 'person') {
              const sums = row.sums.find(({ course }) => course === id);
              return sums ? `${sums.current} of ${sums.asked}${sums.late > 0 ? `, ${sums.late} late` : ''}` : null;
            }
            const cell = row.cells.find(({ course }) => course === id);
            return cell ? `${CELL_MARKS[cell.state]} ${tellCell(cell.state, cell.on && tellDate(dayOf(cell.on)))}` : null;
          },
        })),
      ]; // prettier-ignore
      const at = view.asOf ? { past: view.asOf.known, today: view.asOf.on } : { past: null, today: '' };
      const about = [...asOfLine(at), ...(await filtered(db, request)), ['Who is', request.state ?? 'any'], ...(request.course ? [['On', courses.find(({ id }) => id === request.course)?.title ?? 'a course'] as const] : []), ...(request.manager ? [['Of', 'one manager'] as const] : []), ...(request.group ? [['Of', 'one group'] as const] : [])] as const; // prettier-ignore
      return as({ title: 'Matrix', about, columns, parts: matrixParts(db, request, now, view.total, MATRIX_PART), total: view.total });
    }
  }
}

/** A figure as a table. */
async function figureTable(deps: Deps, request: Extract<ReportRequest, { report: 'figure' }>): Promise<Table<FigureRow>> {
  const view = await figureView(deps, request.name, request);
  const { title, how } = FIGURE_WORDS[request.name];
  const days = `${tellDate(dayOf(view.from))} to ${tellDate(dayOf(view.to))}`;
  return {
    title,
    about: [['Period', days], ['Department', told(request.department)], ['Site', told(request.site)], ['How it is counted', how]],
    columns: [
      { head: view.rowsAre, width: 30, print: 30, cell: (row) => row.label },
      ...view.columns.map(({ head, unit }, i): Column<FigureRow> => ({ head: head.includes(unit) || unit === 'assignments' ? head : `${head}, ${unit}`, width: 16, print: 14, cell: (row) => row.cells[i]!.value })),
    ],
    parts: (async function* () {
      yield await Promise.resolve(view.rows);
    })(),
    total: view.rows.length,
  };
} // prettier-ignore

/** Rows of a sheet, its head among them. */
const MOST_LINES = 1_048_576;
/** Of more a printed table would be read by nobody. */
const MOST_PRINTED = 20_000;

export async function madeIn(deps: Deps): Promise<Made> {
  const house = await getHouse(deps.db);
  return { house: house.organisation, zone: Zone.of(house.zone), zoneWords: zoneWords(house.zone), now: deps.clock.now() };
}

export interface Ready {
  name: string;
  type: string;
  total: number;
  write(out: Writable, work: Work): Promise<void>;
}

/** Why a file of that kind has no room for so many rows; null where it has. */
export function tooMany(kind: ReportFileKind, total: number): string | null {
  const has = `This has ${total.toLocaleString('en')} rows; `;
  if (kind === 'xlsx' && total >= MOST_LINES)
    return `${has}a sheet of a workbook has ${MOST_LINES.toLocaleString('en')}. Narrow it down, or take it as CSV.`;
  if (kind === 'pdf' && total > MOST_PRINTED)
    return `${has}expected at the most ${MOST_PRINTED.toLocaleString('en')} for a PDF. Narrow it down, or take it as XLSX or CSV.`;
  return null;
}

/** A report as a file, ready to be written. */
export async function fileOf(deps: Deps, { kind, of }: ReportFile): Promise<Ready> {
  const table = await tableOf(deps, of);
  const total = table.total ?? 0;
  const fault = tooMany(kind, total);
  if (fault !== null) throw new Refused('wrong-input', fault);
  const made = await madeIn(deps);
  const day = (of.report === 'figure' ? of.to : of.on) ?? dateOf(made.zone.dayAt(made.now));
  return {
    name: `${table.title}, ${day}.${kind}`,
    type: TABLE_TYPES[kind],
    total,
    write: (out, work) => writeTable(kind, out, { ...table, parts: counted(table.parts, total, work) as never }, made),
  };
}

/** The same as long work. */
export async function keepFile(deps: Deps, file: ReportFile, work: Work): Promise<{ href: string }> {
  const ready = await fileOf(deps, file);
  return { href: await work.keepWritten(ready, (out) => ready.write(out, work)) };
}
