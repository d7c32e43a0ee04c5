import { z } from 'zod';
import { tellAmount } from '@nudrik/core';
import { LocalDate } from '../common.ts';

/** GET /api/seals: of each day, the newest first, how much was sealed, and the head after it, in hexadecimal digits */
export const SealsQuery = z.object({ before: LocalDate.optional() });
export interface SealsView {
  days: { day: string; count: number; head: string }[];
  hasMore: boolean;
  sealed: number;
  waiting: number;
}

/** POST /api/seals/verify: holds everything that was written against its seals; with a head that somebody kept, against that too */
export const SealsCheck = z.object({
  day: LocalDate.nullable().default(null),
  head: z
    .string()
    .trim()
    .toLowerCase()
    .regex(/^[0-9a-f]{64}$/, 'expected the 64 digits (0 to 9, a to f) of a head')
    .nullable()
    .default(null),
});
export type SealsCheck = z.infer<typeof SealsCheck>;

export interface SealFault {
  /** on which it was written; null where nobody knows */
  day: string | null;
  what: 'changed' | 'removed' | 'returned' | 'inserted' | 'chain';
  words: string;
}
export interface SealsReport {
  sealed: number;
  /** taken away on purpose, as sealed: an import that was undone */
  taken: number;
  /** say something else since and were sealed anew, as erasing did it: what somebody is called, or what was kept no longer */
  erased: number;
  /** of the last seconds: not sealed yet */
  waiting: number;
  faults: SealFault[];
  /** faults beyond those that are told */
  more: number;
  /** after the last step */
  head: string | null;
}

/** In one sentence, what a look brought. */
export function tellSeals({ sealed, taken, erased, waiting, faults, more }: SealsReport): string {
  const faulty = faults.length + more;
  if (faulty > 0)
    return `${tellAmount(faulty, 'entries')} ${faulty === 1 ? 'does not stand as it was' : 'do not stand as they were'} written.`;
  const gone = taken > 0 ? ` ${tellAmount(taken, 'entries')} ${taken === 1 ? 'was' : 'were'} taken away on purpose.` : '';
  const anew =
    erased > 0 ? ` ${tellAmount(erased, 'entries')} ${erased === 1 ? 'was' : 'were'} sealed anew after erasing, as its record says.` : '';
  const wait =
    waiting > 0 ? ` ${tellAmount(waiting, 'entries')} of the last seconds ${waiting === 1 ? 'waits for its' : 'wait for their'} seal.` : '';
  return `${sealed === 1 ? 'The 1 entry stands as it was' : `All ${tellAmount(sealed, 'entries')} stand as they were`} written.${gone}${anew}${wait}`;
}
