import { z } from 'zod';
import { dayOf, tellDate, tellDaySpan, type Became } from '@nudrik/core';
import { Id, Page, type FinishedFact } from '../common.ts';
import { AsOfQuery, type AsOfTold } from './as-of.ts';
import { FigureQuery, FIGURES } from './figures.ts';
import { MatrixQuery } from './matrix.ts';
import { ReportQuery } from './reports.ts';

/** GET /api/reports/courses/:id/notified: everybody who was asked for a course, each with what they were told or why they were not */
export const NotifiedQuery = Page.extend({
  ...AsOfQuery.shape,
  find: z.string().max(200).optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  requirement: Id.optional(),
  /** by one step of the plan; without one by any that tells the employee */
  step: z.string().max(100).optional(),
  /** `skipped`, or `skipped:finished`: those alone */
  who: z.string().max(60).default('all'),
});
export type NotifiedQuery = z.infer<typeof NotifiedQuery>;

/** How many people of a kind; `because` tells kinds apart that are one */
export interface ToldCount {
  told: Became;
  because: string | null;
  count: number;
}

/** Assignments of a course; each is told or explained: the counts add up to `required`. */
export interface Coverage {
  required: number;
  told: number;
  untold: ToldCount[];
}

/** GET /api/reports/courses/:id/coverage: the same by counts, at each step */
export interface CoverageView {
  /** by any step that tells the employee */
  people: Coverage;
  steps: ({ id: string; name: string; departments: { name: string; required: number; told: number }[] } & Coverage)[];
}

export interface NotifiedView {
  course: { id: string; title: string };
  asOf: AsOfTold | null;
  rows: NotifiedRow[];
  total: number;
}

export interface NotifiedRow {
  assignmentId: string;
  person: { id: string; name: string };
  department: string;
  site: string;
  assignedAt: string;
  told: Became;
  /** what went, the first first; at the most 20 of them */
  notices: { id: string; step: string; at: string; where: string; outcome: string }[];
  sent: number;
  /** why they were not told, where they were not */
  why: { notice: string | null; words: string } | null;
}

/** GET /api/reports/courses/:id/finished: everybody who was asked for a course, when and how they finished it, or why they have not */
export const FinishedQuery = Page.extend({
  ...AsOfQuery.shape,
  find: z.string().max(200).optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  requirement: Id.optional(),
  who: z.enum(['all', 'finished', 'late', 'open', 'closed']).default('all'),
  days: ReportQuery.shape.days,
  since: ReportQuery.shape.since,
});
export type FinishedQuery = z.infer<typeof FinishedQuery>;

/** What else than who a list of who finished is narrowed down to, in words; null where to nothing. */
export function tellNarrower({ who, days, since }: Partial<Pick<FinishedQuery, 'who' | 'days' | 'since'>>): string | null {
  const [from, to] = (days ?? '').split('-');
  const span = !from || (!to && Number(from) === 0) ? null : tellDaySpan([Number(from), to ? Number(to) : null]);
  const words = [span && (who === 'finished' ? `who took ${span}` : `late by ${span}`), since && `finished since ${tellDate(dayOf(since))}`].filter(Boolean);
  return words.length === 0 ? null : words.join(', ');
} // prettier-ignore

export interface FinishedView {
  course: { id: string; title: string };
  asOf: AsOfTold | null;
  /** of `required`, who finished, has it open, late or not, and whose was closed otherwise: they add up */
  counts: { required: number; finished: number; finishedLate: number; late: number; open: number; closed: number };
  rows: FinishedRow[];
  total: number;
}

export interface FinishedRow extends FinishedFact {
  assignmentId: string;
  person: { id: string; name: string };
  department: string;
  site: string;
  round: number;
  assignedAt: string;
  dueAt: string;
  state: string;
  /** of who finished: in which way; of who did not: why */
  how: string;
  /** days after the due date, where it was finished or is open after it */
  lateDays: number | null;
  certificate: string | null;
}

/** What there is as a file: each says the same as its page. */
export const ReportRequest = z.discriminatedUnion('report', [
  z.object({ report: z.literal('course'), course: Id, ...ReportQuery.shape }),
  z.object({ report: z.literal('notified'), course: Id, ...NotifiedQuery.shape }),
  z.object({ report: z.literal('finished'), course: Id, ...FinishedQuery.shape }),
  z.object({ report: z.literal('matrix'), ...MatrixQuery.shape }),
  z.object({ report: z.literal('figure'), name: z.enum(FIGURES), ...FigureQuery.shape }),
]);
export type ReportRequest = z.infer<typeof ReportRequest>;
export const FILE_KINDS_OF_REPORTS = ['csv', 'xlsx', 'pdf'] as const;
export type ReportFileKind = (typeof FILE_KINDS_OF_REPORTS)[number];
/** POST /api/reports/files: where the file is; GET with the same makes it while it is fetched */
export const ReportFile = z.object({ kind: z.enum(FILE_KINDS_OF_REPORTS), of: ReportRequest });
export type ReportFile = z.infer<typeof ReportFile>;
