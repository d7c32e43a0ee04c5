import { parentPort, workerData } from 'node:worker_threads';
import { readHere } from './read-here.ts';
import type { Reading } from './read-apart.ts';

// reads one file in a thread of its own: whatever it does to it, it does to nobody else
parentPort?.postMessage(await readHere(workerData as Reading));
