import { rhythmFault, RHYTHMS } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, TimeOfDay } from '../common.ts';
import type { Role } from '../access/access.ts';
import { FILE_KINDS_OF_REPORTS, ReportRequest } from './lists.ts';

/** What is sent by itself: a report as a file, or the heads of the seals. */
export const SentOf = z.union([ReportRequest, z.object({ report: z.literal('seals') })]);
export type SentOf = z.infer<typeof SentOf>;

export const SentRhythm = z
  .object({ every: z.enum(RHYTHMS), on: z.number().int().nullable(), at: TimeOfDay })
  .superRefine((rhythm, context) => {
    const fault = rhythmFault(rhythm);
    if (fault) context.addIssue({ code: 'custom', path: ['on'], message: fault });
  });

const isOfADay = (of: SentOf): boolean =>
  ('on' in of && of.on !== undefined) || (of.report === 'figure' && (of.from !== undefined || of.to !== undefined));

/** POST /api/reports/sent, PUT /api/reports/sent/:id */
export const SentReportDraft = z.object({
  name: Line(80, 'expected a name'),
  of: SentOf.refine((of) => !isOfADay(of), 'expected a report of the day on which it is sent: one of a day that has passed stays what it is, take it as a file'),
  kind: z.enum(FILE_KINDS_OF_REPORTS).default('xlsx'),
  rhythm: SentRhythm,
  /** accounts of those who get it */
  to: z.array(Id).min(1, 'expected somebody who gets it').max(50, 'expected at most 50 people'),
  isOn: z.boolean().default(true),
  /** of the one that is changed */
  version: z.number().int().optional(),
}); // prettier-ignore
export type SentReportDraft = z.infer<typeof SentReportDraft>;

/** GET /api/reports/sent */
export interface SentReportsView {
  reports: SentReportView[];
  readers: ReportReader[];
}
/** Somebody who may get reports; a manager gets those of their own people. */
export interface ReportReader {
  id: string;
  name: string;
  role: Role;
}
export interface SentReportView {
  id: string;
  name: string;
  of: SentOf;
  kind: SentReportDraft['kind'];
  rhythm: z.infer<typeof SentRhythm>;
  /** what it is, in words */
  words: string;
  to: { id: string; name: string; role: Role; fault: string | null }[];
  isOn: boolean;
  nextAt: string | null;
  version: number;
  madeBy: string;
  changedBy: string;
  changedAt: string;
  /** what became of it the last time */
  last: ReportLetter | null;
}

/** GET /api/reports/letters: what was sent, and what was not and why; the newest first */
export const ReportLettersQuery = z.object({ report: Id.optional(), before: Id.optional() });
export interface ReportLetters {
  rows: ReportLetter[];
  /** where the next page begins */
  further: string | null;
}
/** GET /api/reports/letters/:id: what went to somebody by link */
export interface OwnReport {
  report: string;
  what: string;
  at: string;
  file: string;
  /** null where it is not kept any more */
  href: string | null;
}
export interface ReportLetter {
  id: string;
  report: string;
  at: string;
  to: string;
  address: string;
  what: string;
  state: 'waiting' | 'sent' | 'failed' | 'skipped';
  /** why it was not sent, or what the mail server said */
  words: string | null;
  file: string | null;
  /** where the file is, while it is kept; null where none is, or it was attached */
  href: string | null;
}
