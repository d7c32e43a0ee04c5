import { Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { dayOf, tellDate, tellMoment, type Zone } from '@nudrik/core';
import type { Work } from '../work/jobs.ts';

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

export const offsetAt = (instant: number, zone: Zone): { wall: number; minutes: number } => {
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

/** What a person reads in a printed table. */
export const printedCell = (cell: Cell, zone: Zone): string =>
  cell === null
    ? ''
    : typeof cell !== 'object'
      ? String(cell)
      : 'on' in cell
        ? tellDate(dayOf(cell.on))
        : tellDate(zone.dayAt(Date.parse(cell.at)));

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
