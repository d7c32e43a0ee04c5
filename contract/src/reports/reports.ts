import { z } from 'zod';
import type { Cell } from '@nudrik/core';
import { Id, LocalDate, Page, type FinishedFact } from '../common.ts';
import { AsOfQuery, type AsOfTold } from './as-of.ts';

export const REPORT_SORTS = ['name', 'department', 'manager', 'assigned', 'due', 'progress', 'finished'] as const;

/** GET /api/reports/courses/:id, and the same with .csv and .xlsx for all rows */
export const ReportQuery = Page.extend({
  ...AsOfQuery.shape,
  find: z.string().max(200).optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  /** asked by this one */
  requirement: Id.optional(),
  state: z
    .enum(['all', 'open', 'not late', 'in progress', 'not started', 'late', 'silent', 'unanswered', 'finished', 'waived'])
    .default('all'),
  /** of what is late: days since it was due; of what was finished: days that it took; `8-30`, `91-` */
  days: z
    .string()
    .regex(/^\d{1,4}-\d{0,4}$/, 'expected days like 8-30 or 91-')
    .optional(),
  /** of what was finished: on this day or later */
  since: LocalDate.optional(),
  sort: z.enum(REPORT_SORTS).default('name'),
  order: z.enum(['asc', 'desc']).default('asc'),
});
export type ReportQuery = z.infer<typeof ReportQuery>;

/** Where a file is. */
export interface Exported {
  href: string;
}

export interface ReportRow extends FinishedFact {
  assignmentId: string;
  person: { id: string; name: string; number: string | null; email: string };
  department: string;
  site: string;
  manager: string | null;
  round: number;
  assignedAt: string;
  dueAt: string;
  state: string;
  unitsDone: number;
  unitsRequired: number;
  certificate: string | null;
  last: { id: string; what: string; at: string; outcome: string } | null;
  next: { id: string; what: string; at: string; held: string | null } | null;
}

export interface ReportPage {
  course: { id: string; title: string };
  rows: ReportRow[];
  total: number;
  /** people who finished it, where some did more than once */
  finishedPeople: number;
  /** assignments; `silent` are late and have nothing more planned; `unanswered` only where it is asked for */
  counts: {
    unanswered: number | null;
    finished: number;
    inProgress: number;
    notStarted: number;
    late: number;
    silent: number;
    waived: number;
  };
  /** null is now */
  asOf: AsOfTold | null;
}

/** GET /api/reports/courses/:id/over-time: state at the end of each week */
export interface OverTime {
  points: { day: string; finished: number; started: number; waiting: number; late: number }[];
}

/** GET /api/today?from&to: of days that were chosen, what went out and goes out then stands in place of what goes next */
export const TodayQuery = z.object({ from: LocalDate.optional(), to: LocalDate.optional() });
export type TodayQuery = z.infer<typeof TodayQuery>;

/** GET /api/today */
export interface TodayView {
  now: string;
  sentToday: number;
  plannedToday: number;
  /** of those, what a hold keeps back as it stands now */
  heldToday: number;
  next: { at: string; day: string; kind: string; stepName: string; courses: string[]; count: number; sent: number; held: number }[];
  courses: { id: string; title: string; current: number; asked: number; dueSoon: number; late: number }[];
  /** the first of them by name, and how many there are */
  newlyLate: { course: string; courseId: string; people: string[]; count: number; since: string }[];
  /** what requirements will assign in the seven days after today, or on the chosen ones after it, and the notices that go in them of what it assigns: not planned yet */
  ahead: { assigned: number; notices: number };
  /** the day from which on they finished */
  finishedFrom: string;
  finished: { course: string; courseId: string; people: string[]; count: number }[];
}

/** GET /api/today/needs: a list of these */
export interface TodayNeed {
  kind:
    | 'set-aside'
    | 'held'
    | 'plan'
    | 'silent'
    | 'reply'
    | 'marking'
    | 'expiring'
    | 'mail-server'
    | 'bounced'
    | 'failed'
    | 'no-manager'
    | 'missing-value'
    | 'unreachable'
    | 'roster'
    | 'outside'
    | 'waiver'
    | 'unanswered'
    | 'program';
  label: string;
  words: string;
  act: { label: string; link: string | null; does: 'try-now' | 'try-again' | null };
}

/** GET /api/team/day: how the people of a line stood at the end of a day that has passed, the most urgent first, at most 200 of them */
export interface TeamDay {
  manager: TeamView['manager'];
  people: number;
  matrix: TeamView['matrix'];
  asOf: AsOfTold | null;
}

/** GET /api/team */
export interface TeamView {
  manager: { id: string; name: string; zone: string };
  rows: {
    assignmentId: string;
    person: { id: string; name: string; job: string | null };
    reportsTo: string | null;
    course: { id: string; title: string };
    state: string;
    dueAt: string;
    daysLate: number;
    unitsDone: number;
    unitsRequired: number;
    last: { what: string; at: string; outcome: string } | null;
    /** somebody of the line sees to it */
    takenUp: { by: string | null; until: string } | null;
    /** a waiver that was asked for; null where none was */
    asked: { at: string; byWhom: string; reason: string; answer: { isWaived: boolean; words: string | null } | null } | null;
  }[];
  /** who of the line has something late, open or running out, by course; the most urgent people first, at most 40 of them */
  matrix: {
    courses: { id: string; title: string }[];
    people: { id: string; name: string; cells: { course: string; state: Cell; on: string | null }[] }[];
  };
  /** what people of the line hold that runs out within 90 days, the first first */
  expiring: { person: { id: string; name: string }; course: { id: string; title: string }; until: string }[];
  /** by how many days they may move a due date; null is as they like */
  mayExtendDays: number | null;
  people: number;
  /** of all that is open, also beyond what `rows` shows: the most urgent */
  counts: { open: number; late: number; latePeople: number };
}

/** Whom to look at of a course that goes on. */
export const UNDER_WAY = ['all', 'unopened', 'stuck', 'waiting', 'packages', 'late'] as const;
export const UnderWayQuery = z.object({
  who: z.enum(UNDER_WAY).default('all'),
  /** without activity for so many days somebody is stuck */
  days: z.coerce.number().int().min(1).max(365).default(7),
  offset: z.coerce.number().int().min(0).max(1_000_000).default(0),
});
export type UnderWayQuery = z.infer<typeof UnderWayQuery>;

/** GET /api/courses/:id/under-way */
export interface UnderWayView {
  course: { id: string; title: string };
  /** people by what is the matter with them; one may be in several */
  counts: Record<(typeof UNDER_WAY)[number], number>;
  rows: UnderWayRow[];
  total: number;
  /** what happened last, the newest first */
  activity: { at: string; person: { id: string; name: string }; words: string }[];
}
export interface UnderWayRow {
  assignmentId: string;
  person: { id: string; name: string };
  department: string;
  state: string;
  dueAt: string;
  unitsDone: number;
  unitsRequired: number;
  /** the unit in which they were last, and when */
  where: { unit: string; at: string } | null;
  /** attempts of theirs that wait to be marked */
  waiting: { id: string; unit: string }[];
  /** packages that they opened and that do not say that they are done */
  unfinished: string[];
}
