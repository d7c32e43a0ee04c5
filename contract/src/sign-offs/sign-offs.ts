import type { SignOffOutcome, SignOffSheet } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, LocalDate, type ForeseenMessage } from '../common.ts';

const CriterionId = z.string().regex(/^[a-z0-9-]{1,40}$/, 'expected letters, digits and dashes');
const Writing = z.string().trim().max(300);

/** What a supervisor looks at, as it is written of a unit. */
export const SignOffDraft = z.object({
  guide: z.string().trim().max(4000).default(''),
  criteria: z.array(z.object({ id: CriterionId, words: Writing, isNeeded: z.boolean() })).max(60, 'expected at most 60 criteria'),
  signers: z.object({
    managers: z.boolean(),
    trainers: z.boolean(),
    people: z.array(Id).max(200),
    sites: z.array(z.object({ site: Id, people: z.array(Id).max(50) })).max(200),
  }),
  asksPlace: z.boolean().default(false),
  withQuizzes: z.boolean().default(true),
  withSurveys: z.boolean().default(false),
}) satisfies z.ZodType<SignOffSheet>;

/** What is entered of one person. */
export const SignOffEntryDraft = z.object({
  assignmentId: Id,
  attended: z.boolean(),
  met: z.array(CriterionId).max(60),
  remarks: z.string().trim().max(2000).nullable().default(null),
  place: z.string().trim().max(200).nullable().default(null),
  /** the day on which it took place */
  on: LocalDate,
});
export type SignOffEntryDraft = z.infer<typeof SignOffEntryDraft>;

/** POST …/preview: exactly who would get which message. POST …: `key` is another for each list, so that one whose answer was lost may come again */
export const SignOffSend = z.object({
  key: z.string().min(8).max(60),
  /** of a unit with sessions: which one */
  session: Id.nullable().default(null),
  entries: z.array(SignOffEntryDraft).min(1, 'expected at least one person').max(500),
});
export type SignOffSend = z.infer<typeof SignOffSend>;

/** POST /api/sign-offs/entries/:id/correct */
export const SignOffCorrection = z.object({
  entry: SignOffEntryDraft,
  reason: Line(500, 'expected a reason: it stands on the record'),
});

export type SignOffCorrection = z.infer<typeof SignOffCorrection>;

/** One entry, as it stands on the record. */
export interface SignOffRow {
  id: string;
  outcome: SignOffOutcome;
  attended: boolean;
  met: string[];
  remarks: string | null;
  place: string | null;
  on: string;
  at: string;
  byWhom: string;
  /** what let them sign off */
  because: string;
  /** of one that was corrected: by whom, when, why */
  corrected: { at: string; byWhom: string; reason: string } | null;
}

/** Somebody who may be signed off, and how it stands with them. */
export interface SignOffPerson {
  assignmentId: string;
  person: { id: string; name: string };
  department: string;
  site: string;
  /** what lets this signer sign off for them */
  because: string;
  /** the last entry; null where there is none */
  last: SignOffRow | null;
}

/** GET /api/sign-off/:link, /api/my-sign-offs/:course/:unit */
export interface SignOffView {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  guide: string;
  criteria: SignOffSheet['criteria'];
  asksPlace: boolean;
  /** the session that it is a list of; null where the unit has none */
  session: { id: string; title: string; startsAt: string; on: string; place: string | null } | null;
  signer: string;
  today: string;
  /** the last day on which the link works; null by account */
  until: string | null;
  /** at most 300, by name; `more` are found by name */
  people: SignOffPerson[];
  more: number;
}

/** The query of both. */
export const SignOffQuery = z.object({ session: Id.nullable().default(null), find: z.string().trim().max(100).default('') });
export type SignOffQuery = z.infer<typeof SignOffQuery>;

export interface SignOffForeseen {
  assignmentId: string;
  name: string;
  outcome: SignOffOutcome;
  /** the course is finished by it */
  finishes: boolean;
  messages: ForeseenMessage[];
}

export interface SignOffResult {
  recorded: number;
  /** who finished the course by it */
  finished: string[];
}

/** GET /api/courses/:id/sign-offs/:unit: all entries, the newest first, with what came of their messages */
export interface SignOffListRow extends SignOffRow {
  assignmentId: string;
  person: { id: string; name: string };
  messages: { noticeId: string; step: string; to: string; state: string; at: string }[];
}
export interface SignOffList {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  criteria: SignOffSheet['criteria'];
  /** it is signed off session by session */
  hasSessions: boolean;
  rows: SignOffListRow[];
  /** who has the course open and was not signed off as met yet, at most 300 of them */
  waitingCount: number;
  waiting: { assignmentId: string; person: { id: string; name: string } }[];
  links: SignOffLinkView[];
}

/** POST /api/courses/:id/sign-offs/:unit/links */
export const NewSignOffLink = z.object({
  personId: Id,
  days: z.number().int().min(1).max(365),
  endsAfterUse: z.boolean().default(false),
  session: Id.nullable().default(null),
});
export type NewSignOffLink = z.infer<typeof NewSignOffLink>;
export interface SignOffLinkView {
  id: string;
  person: { id: string; name: string };
  /** the way in, for whoever hands it on; null for who only reads, and of one that a message gave to its reader */
  url: string | null;
  until: string;
  endsAfterUse: boolean;
  usedAt: string | null;
  madeBy: string;
}

/** GET /api/my-sign-offs: where somebody who signed in may sign off */
export interface MySignOff {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  session: { id: string; title: string; startsAt: string } | null;
  waiting: number;
}
