import { z } from 'zod';
import { SHOWN_TO, type Asks } from '@nudrik/core';
import { Id } from '../common.ts';

/** GET /api/learning/:token/asked */
export const AskedQuery = z.object({
  /** the last of the page before, of those that others asked: its id */
  after: Id.optional(),
});

export interface AskedWord {
  id: string;
  at: string;
  by: string;
  /** the training office's, or the trainer's */
  isHouse: boolean;
  isMine: boolean;
  /** one's own, which whoever takes care took off the page */
  isOff: boolean;
  words: string;
  /** so many files went with it, by mail */
  files: number;
}
export interface AskedQuestion {
  id: string;
  /** who asked */
  by: string;
  isMine: boolean;
  /** everybody on the course reads it */
  isShared: boolean;
  /** the unit at which it was asked */
  atUnit: string | null;
  isDone: boolean;
  words: AskedWord[];
}
/** GET /api/learning/:token/asked: what was asked on the page of a course, as one of those who have it sees it */
export interface AskedView {
  asks: Asks;
  /** who reads what is asked */
  reader: string;
  /** answers come by mail, too */
  hasMail: boolean;
  /** why nothing can be asked now; null where it can */
  closed: string | null;
  mine: AskedQuestion[];
  others: AskedQuestion[];
  hasMore: boolean;
}

const Words = z.string().trim().min(1, 'expected some words').max(5_000, 'expected at most 5,000 letters');
/** Another for each word: one whose answer was lost may come again, and stands there once. */
const Key = z.string().min(8).max(60);

/** POST /api/learning/:token/asked */
export const AskDraft = z.object({
  words: Words,
  to: z.enum(SHOWN_TO),
  /** the unit that is open */
  unit: Id.nullable().default(null),
  key: Key,
});
export type AskDraft = z.infer<typeof AskDraft>;

/** POST /api/learning/:token/asked/:id/words */
export const AskWordDraft = z.object({
  words: Words,
  /** who reads it, as was seen: nothing is told to more than that */
  to: z.enum(SHOWN_TO),
  key: Key,
});
export type AskWordDraft = z.infer<typeof AskWordDraft>;
