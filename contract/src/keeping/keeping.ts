import { tellAmount } from '@nudrik/core';
import { z } from 'zod';
import { Line } from '../common.ts';

/** What has a time for which it is kept: what it is, what goes after it, what stays all the same, and the shortest time. */
export const KEPT = {
  leavers: {
    title: 'People who left',
    goes: 'who they were, and all that only they are in; as by “Erase” on their sheet',
    stays: 'their assignments, certificates and what was sent, under a name that says nothing',
    least: 12,
  },
  messages: { title: 'What messages said', goes: 'the text, and what was attached', stays: 'that they were sent, when, to whom, and what became of them', least: 3 },
  answers: { title: 'Answers to quizzes and surveys', goes: 'what was answered', stays: 'results of quizzes, and that a survey was answered', least: 3 },
  places: { title: 'How far people read', goes: 'where they were in pages, videos and packages of a course that is closed', stays: 'what they finished, and when', least: 1 },
  conversations: { title: 'Conversations that are done', goes: 'what was written, and its files', stays: 'nothing', least: 1 },
  arrivals: { title: 'Mail that came in', goes: 'each mail that nobody has to look at any more', stays: 'what it brought about: replies, addresses that bounced', least: 1 },
  tests: { title: 'Test messages', goes: 'each with its text', stays: 'nothing', least: 1 },
  rosters: { title: 'Roster files', goes: 'the file as it was taken', stays: 'what it changed', least: 1 },
  looks: { title: 'What was looked at', goes: 'who looked at which page and took which file', stays: 'nothing', least: 12 },
} as const satisfies Record<string, { title: string; goes: string; stays: string; least: number }>; // prettier-ignore
export type Kept = keyof typeof KEPT;
export const KEPT_KINDS = Object.keys(KEPT) as [Kept, ...Kept[]];

/** Times that can be chosen, in months; null is for always. */
export const KEEP_MONTHS = [1, 3, 6, 12, 24, 36, 60, 84, 120] as const;

/** `2 years`, `6 months` */
export const tellMonths = (months: number): string => (months % 12 === 0 ? tellAmount(months / 12, 'years') : tellAmount(months, 'months'));

const Months = z.int().min(1, 'expected at least one month').max(600, 'expected at most 50 years');
/** POST /api/keeping/preview, PUT /api/keeping */
export const KeepChange = z.object({ kind: z.enum(KEPT_KINDS), months: Months.nullable() }).superRefine(({ kind, months }, issues) => {
  const { least } = KEPT[kind];
  if (months !== null && months < least)
    issues.addIssue({ code: 'custom', path: ['months'], message: `expected at least ${least} months for this kind; got ${months}` });
});
export type KeepChange = z.infer<typeof KeepChange>;

/** What would go in one night. */
export interface KeepPreview {
  count: number;
  /** days of the first and the last of it */
  from: string | null;
  to: string | null;
  /** in one sentence */
  words: string;
}

export interface KeptRow {
  kind: Kept;
  /** null is for always */
  months: number | null;
  changedAt: string | null;
  changedBy: string | null;
  /** the first night in which something goes, where that is still to come */
  firstNight: string | null;
  ranOn: string | null;
  /** what goes in the next night */
  next: KeepPreview | null;
}

export interface ErasureRow {
  id: string;
  kind: 'person' | 'kept-no-longer';
  /** what was erased, in words */
  title: string;
  personId: string | null;
  at: string;
  byWhom: string;
  reason: string;
  counts: ErasedCount[];
}
/** `12 messages` */
export interface ErasedCount {
  what: string;
  count: number;
}

/** GET /api/keeping */
export interface KeepingView {
  kinds: KeptRow[];
  erasures: ErasureRow[];
  hasMore: boolean;
  /** where it is kept which people were erased, outside of the database; what stands in the way of that */
  list: { path: string; fault: string | null };
}

/** GET /api/people/:id/erasing: what would go and what would stay */
export interface ErasePreview {
  name: string;
  pseudonym: string;
  /** why they cannot be erased, each with what to do */
  faults: string[];
  goes: ErasedCount[];
  stays: ErasedCount[];
  /** what has to be known */
  notes: string[];
}

/** POST /api/people/:id/erase: for good */
export const EraseRequest = z.object({
  /** typed once more, so that nobody is erased by a slip */
  name: z.string().max(200),
  reason: Line(400, 'expected why they are erased'),
});
export type EraseRequest = z.infer<typeof EraseRequest>;
