import type { Condition } from '@nudrik/core';
import { z } from 'zod';
import { Id, LocalDate, TimeOfDay, Line } from '../common.ts';
import { AudienceSchema } from '../conditions.ts';
import { TemplateSchema } from '../messages/template.ts';
import type { MissingField, PlanWarningView, PreviewPerson } from '../plans/plans.ts';
import { UNDER_WAY } from '../reports/reports.ts';

/** POST /api/assignments/preview and POST /api/assignments. Who: chosen people, or a whole department, site or group. */
export const AssignRequest = z
  .object({
    courseId: Id,
    personIds: z.array(Id).max(50_000).default([]),
    departments: z.array(Line(120)).max(2_000).default([]),
    sites: z.array(Line(120)).max(2_000).default([]),
    groups: z.array(Id).max(2_000).default([]),
    /** due at this local date and time in each person's own zone */
    dueOn: LocalDate,
    dueTime: TimeOfDay.default('17:00'),
  })
  .refine((request) => request.personIds.length + request.departments.length + request.sites.length + request.groups.length > 0, {
    path: ['personIds'],
    message: 'expected somebody to assign the course to: people, a department, a site or a group',
  });
export type AssignRequest = z.infer<typeof AssignRequest>;

export interface AssignPreview {
  course: { id: string; title: string };
  /** who would get the course */
  count: number;
  people: PreviewPerson[];
  /** who has it open already, and keeps that assignment */
  already: { id: string; name: string; due: string }[];
  /** who holds the course already, and would be asked for it again */
  covered: { id: string; name: string; words: string }[];
  missing: MissingField[];
  /** messages, not notices, by local day of the house */
  byDay: { day: string; count: number }[];
  mails: number;
  warnings: string[];
  /** what is to be known of the plan for these people */
  found: PlanWarningView[];
}

/** What was done by hand, as the record keeps it; it can be taken back for a while, where nothing was sent. */
export interface ActResult {
  actId: string | null;
  words: string;
  /** until when it can be taken back, and until when what it would send waits; null where neither */
  undoUntil: string | null;
  settlesAt: string | null;
}
export interface AssignResult extends ActResult {
  assigned: number;
  already: number;
}

/** For the record; the employee is shown `told` alone. */
const Reason = z.string().trim().min(1, 'expected a reason').max(1000);
const Told = z.string().trim().max(1000).nullable().optional();
const AssignmentIds = z.array(Id).min(1, 'expected at least one assignment').max(20_000);

/** POST /api/assignments/extend; POST /api/assignments/:id/extend leaves the ids out */
export const ExtendRequest = z.object({
  assignmentIds: AssignmentIds,
  dueOn: LocalDate,
  dueTime: TimeOfDay.default('17:00'),
  reason: Reason,
  told: Told,
});
export type ExtendRequest = z.infer<typeof ExtendRequest>;

/** POST /api/assignments/take-up: somebody of the line sees to it until a day, and the ladder waits until then */
export const TakeUpRequest = z.object({
  assignmentIds: AssignmentIds,
  until: LocalDate,
  told: Told,
  /** whoever is above hears of it, where a step of the plan tells that */
  tellAbove: z.boolean().default(false),
});
export type TakeUpRequest = z.infer<typeof TakeUpRequest>;

/** POST /api/assignments/ask-waiver */
export const WaiverAsk = z.object({ assignmentIds: AssignmentIds, reason: Reason });
export type WaiverAsk = z.infer<typeof WaiverAsk>;
/** POST /api/waivers/:id */
export const WaiverAnswer = z.object({
  isWaived: z.boolean(),
  /** what whoever asked reads; of a waiver the employee too */
  words: Told,
  until: LocalDate.nullable().default(null),
});
export type WaiverAnswer = z.infer<typeof WaiverAnswer>;
/** GET /api/waivers */
export interface WaiverRequestView {
  id: string;
  assignmentId: string;
  person: { id: string; name: string };
  course: { id: string; title: string };
  dueAt: string;
  reason: string;
  askedAt: string;
  askedBy: string;
  answer: { at: string; byWhom: string; isWaived: boolean; words: string | null } | null;
}

/** GET /api/assignments/:id/ladder */
export interface LadderView {
  rungs: {
    step: string;
    name: string;
    /** `manager 2`, in words */
    to: string;
    state: string;
    at: string | null;
    /** whom it told, or would tell as things stand */
    who: string | null;
    /** how whoever it is was found, and why not somebody else; or why nobody */
    why: string;
    noticeId: string | null;
  }[];
  takenUp: { by: string | null; until: string; at: string } | null;
}

/** POST /api/assignments/waive and …/withdraw; `until` of a waiver is its last day */
export const CloseRequest = z.object({
  assignmentIds: AssignmentIds,
  reason: Reason,
  told: Told,
  until: LocalDate.nullable().default(null),
});
export type CloseRequest = z.infer<typeof CloseRequest>;

/** Who is to be reminded: assignments by name, or all of a course that something is the matter with. */
const Whom = {
  assignmentIds: z.array(Id).max(20_000).default([]),
  underWay: z
    .strictObject({ courseId: Id, who: z.enum(UNDER_WAY), days: z.number().int().min(1).max(365).default(7) })
    .nullable()
    .default(null),
  /** everybody of a course who is in a group: a condition of people; null is all who have it open */
  group: z.strictObject({ courseId: Id, onlyIf: AudienceSchema.nullable() }).nullable().default(null),
};

/** POST /api/assignments/remind/preview and …/remind */
export const RemindRequest = z
  .object({
    ...Whom,
    /** what the ledger calls it */
    name: Line(80, 'a reminder needs a name').default('Reminder by hand'),
    message: TemplateSchema,
    /** who was told within the last 48 hours gets it too */
    alsoTold: z.boolean().default(false),
    /** of a group: whoever comes to be in it, up to and with this day, gets it too */
    joinersUntil: LocalDate.nullable().default(null),
    /** the assignment as whose person the text is shown */
    as: Id.nullable().default(null),
    /** of this reminder: where it comes again it is done once */
    key: z.uuid(),
  })
  .refine(
    ({ assignmentIds, underWay, group }) => [assignmentIds.length > 0, underWay !== null, group !== null].filter(Boolean).length === 1,
    'expected assignments by name, all of a course, or a group of one',
  )
  .refine(({ group, joinersUntil }) => joinersUntil === null || group !== null, {
    path: ['joinersUntil'],
    message: 'expected a group that somebody can join',
  });
export type RemindRequest = z.infer<typeof RemindRequest>;
export type RemindWhom = Pick<RemindRequest, 'assignmentIds' | 'underWay' | 'group'>;

/** GET /api/courses/:id/letters: letters to groups of a course, the newest first; POST /api/letters/:id/end ends one */
export interface GroupLetterView {
  id: string;
  name: string;
  subject: string;
  /** whom it is for; null is everybody who has the course open */
  onlyIf: Condition | null;
  until: string;
  at: string;
  by: string;
  /** who was written to with it so far, and how many of them came later */
  reminded: number;
  joined: number;
  ended: { at: string; by: string } | null;
  /** who comes today gets it */
  goesOn: boolean;
}

export interface RemindPreview {
  /** who would get it */
  count: number;
  /** of those who were chosen, who has it closed by now */
  closed: number;
  /** who was told within the last 48 hours: left out, unless they are included on purpose */
  toldLately: number;
  told: { assignmentId: string; person: string; words: string }[];
  people: PreviewPerson[];
  byDay: { day: string; count: number }[];
  held: { words: string; count: number }[];
  skipped: { words: string; count: number }[];
  missing: MissingField[];
  /** what is wrong with the text */
  fault: string | null;
  /** minutes that it waits, so that it can be taken back */
  settles: number;
  letter: { assignmentId: string; to: string; subject: string; html: string; text: string } | null;
}
export interface RemindResult extends ActResult {
  reminded: number;
  leftOut: number;
}

/** GET /api/assignments/acts */
export interface ActRow {
  id: string;
  kind: 'assign' | 'extend' | 'waive' | 'withdraw' | 'record' | 'remind' | 'take-up';
  at: string;
  byWhom: string;
  reason: string | null;
  words: string;
  undoneAt: string | null;
  undoneBy: string | null;
  /** until when it can be taken back; null where it cannot */
  undoUntil: string | null;
  /** until when what it would send waits; null where it sends nothing, or has settled */
  settlesAt: string | null;
}

/** POST /api/assignments/completions/preview and …/completions: earlier completions, as CSV text */
export const CompletionsRequest = z.object({
  text: z.string().min(1, 'expected a header line and one completion a line').max(5_000_000),
  dateOrder: z.enum(['ymd', 'dmy', 'mdy']).nullable().default(null),
  /** the course of every row, where the list has no column for it */
  courseId: Id.nullable().default(null),
  reason: z.string().trim().max(1000).default(''),
  proofId: Id.nullable().default(null),
});
export type CompletionsRequest = z.infer<typeof CompletionsRequest>;

export interface CompletionsPreview {
  rows: {
    row: number;
    person: string;
    course: string;
    finishedOn: string;
    /** what it does: covers, closes an open assignment */
    words: string;
  }[];
  rejected: { row: number | null; column: string | null; reason: string }[];
  dateOrder: 'ymd' | 'dmy' | 'mdy';
  isDateOrderSure: boolean;
}
