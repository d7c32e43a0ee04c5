import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { TableFile } from '@nudrik/core/table-file';
import type { HolidaysRead } from '@nudrik/contract';
import type { ReadMail } from './messages/read-mail.ts';
import type { ReadPage } from './files/office.ts';
import { BROKEN } from './certificates/draw-pdf.ts';
import { readHere } from './read-here.ts';
import { Refused } from './refusal.ts';

/** A file to be read, and as what. */
export type Reading =
  | { what: 'table'; bytes: Uint8Array; fileName: string }
  | { what: 'holidays'; bytes: Uint8Array; fileName: string; years: { from: number; to: number } }
  | { what: 'mail'; bytes: Uint8Array; fileName: string; envelopeFrom: string | null }
  | { what: 'picture'; bytes: Uint8Array; fileName: string; width: number; height: number }
  | { what: 'pdf' | 'office' | 'docx'; bytes: Uint8Array; fileName: string };
export interface Read {
  table?: TableFile;
  holidays?: HolidaysRead;
  pages?: number;
  page?: ReadPage;
  mail?: ReadMail;
  /** why it cannot be read, in a sentence or the beginning of one */
  fault?: string;
}

/** What reading one file may take, of time and of memory. */
const LIMIT_MS = 30_000;
const MEMORY_MB = 900;
/** Files that are read at once: each has its memory. */
const AT_ONCE = 2;

// beside the bundle; from the sources there is none, and files are read where they are asked for
const SCRIPT = fileURLToPath(new URL('./file-reader.mjs', import.meta.url));
let running = 0;
/** How long somebody waits for others' files to be read, and how many do at once. */
const WAIT_MS = 20_000;
const MOST_WAITING = 40;
const waiting: (() => void)[] = [];

/** Takes a place among those that are read, in the order in which it was asked for. @throws Refused where that takes too long */
async function place(): Promise<void> {
  if (running < AT_ONCE) {
    running += 1;
    return;
  }
  const busy = new Refused('out-of-order', 'Other files are being read at this moment. Try again in half a minute; nothing was taken.');
  if (waiting.length >= MOST_WAITING) throw busy;
  await new Promise<void>((resolve, reject) => {
    const called = (): void => {
      clearTimeout(timer);
      resolve();
    };
    const timer = setTimeout(() => {
      waiting.splice(waiting.indexOf(called), 1);
      reject(busy);
    }, WAIT_MS);
    waiting.push(called);
  });
}

/** Gives the place to whoever waits for it longest. */
function leave(): void {
  const next = waiting.shift();
  if (next) next();
  else running -= 1;
}

/** Reads a file apart from the process that answers everybody else. @throws Refused where it takes too long or too much */
async function readApart(reading: Reading): Promise<Read> {
  if (!existsSync(SCRIPT)) return readHere(reading);
  await place();
  const worker = new Worker(SCRIPT, { workerData: reading, resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } });
  let timer: NodeJS.Timeout | undefined;
  try {
    return await new Promise<Read>((resolve, reject) => {
      const tooMuch = (how: string): Refused =>
        new Refused('wrong-file', `${reading.fileName}: reading it ${how}. Expected a smaller or simpler file; nothing was taken.`);
      timer = setTimeout(() => reject(tooMuch(`takes longer than ${LIMIT_MS / 1000} seconds`)), LIMIT_MS);
      worker.once('message', resolve);
      worker.once('error', (error: Error & { code?: string }) =>
        reject(error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? tooMuch('takes too much memory') : error),
      );
      worker.once('exit', () => reject(tooMuch('came to no end')));
    });
  } finally {
    clearTimeout(timer);
    leave();
    void worker.terminate();
  }
}

/** A roster file as a table. @throws Refused where it cannot be read */
export async function readTableFile(bytes: Uint8Array, fileName: string): Promise<TableFile> {
  const { table, fault } = await readApart({ what: 'table', bytes, fileName });
  if (!table) throw new Refused('wrong-file', `${fileName}: ${fault}. Nothing was taken.`);
  return table;
}

/** The holidays of an iCalendar file. @throws Refused where it cannot be read */
export async function readHolidaysFile(bytes: Uint8Array, fileName: string, years: { from: number; to: number }): Promise<HolidaysRead> {
  const { holidays, fault } = await readApart({ what: 'holidays', bytes, fileName, years });
  if (!holidays) throw new Refused('wrong-file', fault);
  return holidays;
}

/** How many pages a PDF has. @throws Refused where it cannot be shown */
export async function readPdfFile(bytes: Uint8Array, fileName: string): Promise<number> {
  const { pages, fault } = await readApart({ what: 'pdf', bytes, fileName });
  if (pages === undefined) throw new Refused('wrong-file', fault);
  return pages;
}

/** @throws Refused where an office file cannot be unpacked, or fetches something from elsewhere */
export async function checkOfficeFile(bytes: Uint8Array, fileName: string): Promise<void> {
  const { fault } = await readApart({ what: 'office', bytes, fileName });
  if (fault !== undefined) throw new Refused('wrong-file', fault);
}

/** What keeps a picture from being drawn in a PDF; null where nothing does. One that stops the thread is broken. */
export async function checkPicture(bytes: Uint8Array, fileName: string, size: { width: number; height: number }): Promise<string | null> {
  try {
    return (await readApart({ what: 'picture', bytes, fileName, ...size })).fault ?? null;
  } catch (error) {
    if (error instanceof Refused) throw error;
    return BROKEN;
  }
}

/** A DOCX as a page. @throws Refused where it cannot be read */
export async function readDocxFile(bytes: Uint8Array, fileName: string): Promise<ReadPage> {
  const { page, fault } = await readApart({ what: 'docx', bytes, fileName });
  if (!page) throw new Refused('wrong-file', fault);
  return page;
}

/** A small mail, such as a report, is read where it came in: there are many of them. */
const SMALL_MAIL = 60_000;

/** A mail that came in. @throws Refused where it cannot be read */
export async function readMailFile(bytes: Uint8Array, envelopeFrom: string | null): Promise<ReadMail> {
  const reading: Reading = { what: 'mail', bytes, fileName: 'The mail', envelopeFrom };
  const { mail, fault } = await (bytes.length <= SMALL_MAIL ? readHere(reading) : readApart(reading));
  if (!mail) throw new Refused('wrong-file', fault);
  return mail;
}
