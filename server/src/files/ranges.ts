import { pipeline } from 'node:stream/promises';
import type { Request, Response } from 'express';
import type { Pool } from '../db/db.ts';
import { headFile } from '../answer-file.ts';
import { streamFile, type FoundFile } from './files.repo.ts';

/**
 * Answers with a file, or with the part of it that is asked for (RFC 9110, 14: one range; what is asked for in several is sent whole).
 * Nothing of it runs anywhere, and nobody's page may frame it.
 * @param isForGood it stands at an address of its own
 */
export async function answerFile(
  db: Pool,
  req: Request,
  res: Response,
  file: FoundFile,
  place: 'inline' | 'attachment',
  isForGood: boolean,
): Promise<void> {
  headFile(res, file.name, file.type, place);
  res.setHeader('content-security-policy', "default-src 'none'; style-src 'unsafe-inline'; sandbox");
  // a file never changes; what stands at the address of a unit may be put in another's place
  const tag = `"file-${file.id}"`;
  res.setHeader('etag', tag);
  res.setHeader('cache-control', isForGood ? 'private, max-age=31536000, immutable' : 'private, no-cache');
  if (req.headers['if-none-match'] === tag) {
    res.status(304).end();
    return;
  }
  res.setHeader('accept-ranges', 'bytes');
  let [from, to] = [0, file.size];
  const isSame = req.headers['if-range'] === undefined || req.headers['if-range'] === tag;
  const ranges = isSame ? req.range(file.size, { combine: true }) : undefined;
  if (ranges === -1) {
    res.status(416).setHeader('content-range', `bytes */${file.size}`);
    res.end();
    return;
  }
  if (Array.isArray(ranges) && ranges.type === 'bytes' && ranges.length === 1) {
    from = ranges[0]!.start;
    to = ranges[0]!.end + 1;
    res.status(206).setHeader('content-range', `bytes ${from}-${to - 1}/${file.size}`);
  }
  res.setHeader('content-length', to - from);
  if (req.method === 'HEAD' || to === from) {
    res.end();
    return;
  }
  try {
    await pipeline(streamFile(db, file, from, to), res);
  } catch (error) {
    // who asked has gone, which is what a player does whenever somebody moves within a video
    if (!res.destroyed) throw error;
  }
}
