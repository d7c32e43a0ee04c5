import { parentPort, workerData } from 'node:worker_threads';
import { readTable, UnreadableFile } from '@nudrik/core';
import { Refused } from './refusal.ts';
import { readHolidays } from './structure/holidays-file.ts';
import type { Read, Reading } from './read-apart.ts';

/** Reads one file in a thread of its own: whatever it does to it, it does to nobody else. */
async function read(reading: Reading): Promise<Read> {
  try {
    if (reading.what === 'table') return { table: await readTable(reading.bytes) };
    return { holidays: readHolidays(Buffer.from(reading.bytes), reading.fileName, reading.years) };
  } catch (error) {
    if (error instanceof UnreadableFile || error instanceof Refused) return { fault: error.message };
    throw error;
  }
}

parentPort?.postMessage(await read(workerData as Reading));
