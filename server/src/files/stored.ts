import type { Response } from 'express';
import { pipeline } from 'node:stream/promises';
import { headFile } from '../answer-file.ts';
import type { Queryable } from '../db/db.ts';
import { streamFile, type FoundFile } from './files.repo.ts';

/** Sends a stored file as a download, bit by bit. */
export async function sendStored(res: Response, db: Queryable, file: FoundFile): Promise<undefined> {
  headFile(res, file.name, file.type);
  res.setHeader('content-length', file.size);
  await pipeline(streamFile(db, file), res);
  return undefined;
}
