import { LANGUAGE_TAGS } from '@nudrik/core';
import { z } from 'zod';
import { Id, LocalDate } from '../common.ts';
import { PlanStepSchema } from '../plans/plans.ts';

/** POST /api/plans/:courseId/letter: a step's message as its real readers would have it; nothing is sent or stored */
export const LetterRequest = z.strictObject({
  step: PlanStepSchema,
  /** which of its readers, by `key`; the first without it */
  as: z.string().max(200).nullable().default(null),
  /** in this language, whatever that reader reads in */
  language: z.enum(LANGUAGE_TAGS).nullable().default(null),
});
export type LetterRequest = z.infer<typeof LetterRequest>;

export interface LetterReader {
  key: string;
  /** whom it is about */
  employee: string;
  /** whom it would reach; null where nobody is found */
  to: string | null;
  /** the language of the text that they get, as a tag */
  language: string;
  /** what is the matter with it, each in words; none for most */
  troubles: string[];
}

export interface LetterView {
  /** what is wrong with the text itself, whoever reads it */
  fault: string | null;
  /** those in trouble first */
  readers: LetterReader[];
  /** how many there are in all, and how many of them in trouble */
  count: number;
  inTrouble: number;
  /** what the house writes in, as a tag: the language of its first text */
  language: string;
  /** what they read in, where that is not the house's: how many do, and whether there is a text in it */
  languages: { tag: string; name: string; count: number; isWritten: boolean }[];
  /** nobody has the course open: it is told as if these had been assigned it now */
  isInvented: boolean;
  letter: {
    reader: LetterReader;
    address: string | null;
    /** its moment in the reader's words: `Mon 11 May 09:00, London time` */
    at: string | null;
    /** how it reaches them, where the house has a chat */
    way: string | null;
    /** which language they get, where there is something to tell of it */
    inLanguage: string | null;
    /** it is not sent to them as things stand, and why */
    not: string | null;
    subject: string;
    html: string;
    text: string;
    /** who it comes from, and whom its reply reaches */
    from: string;
    replies: string;
    /** files that are in it */
    attached: string[];
    /** what each field prints */
    values: Record<string, string | null>;
  } | null;
}

/** POST /api/messages/pictures?name=: a picture for the texts of messages; pixels */
export interface PictureView {
  id: string;
  name: string;
  width: number;
  height: number;
}

/** POST /api/plans/:courseId/letter/test: sends the reader's letter to whoever asks for it, marked as a test */
export interface TestLetterResult {
  isAccepted: boolean;
  words: string;
}

/** GET /api/test-letters: what somebody sent to themselves to see how it reads, the newest first */
export const TestLettersQuery = z.object({
  after: Id.optional(),
  from: LocalDate.optional(),
  to: LocalDate.optional(),
  course: Id.optional(),
});
export type TestLettersQuery = z.infer<typeof TestLettersQuery>;
export interface TestLetterRow {
  id: string;
  sentAt: string;
  by: string;
  course: { id: string; title: string };
  stepName: string;
  readAs: string;
  to: string;
  subject: string;
  /** the mail server took it */
  isAccepted: boolean;
  answer: string;
}
export interface TestLetterList {
  rows: TestLetterRow[];
  hasMore: boolean;
}
/** GET /api/test-letters/:id */
export interface TestLetterView extends TestLetterRow {
  html: string;
  text: string;
}

type TemplateView = z.infer<typeof PlanStepSchema>['message'];

/** GET /api/messages: every message that a plan in force has */
export interface LibraryMessage {
  course: { id: string; title: string };
  step: { id: string; name: string; kind: string; on: boolean };
  message: TemplateView;
  /** planned notices of the next 28 days */
  next28: number;
  /** the course goes by the plan of another */
  isFollowing: boolean;
}

/** GET /api/messages/:courseId/:step/versions: the texts that a step had, the newest first */
export interface LibraryVersion {
  version: number;
  publishedAt: string;
  publishedBy: string | null;
  note: string | null;
  message: TemplateView;
}
