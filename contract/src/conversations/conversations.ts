import { z } from 'zod';
import { SHOWN_TO, type ShownTo } from '@nudrik/core';
import { Id, Line } from '../common.ts';

/** GET /api/conversations: the newest word first */
export const ConversationsQuery = z.object({
  show: z.enum(['waiting', 'open', 'done', 'all']).default('open'),
  find: z.string().trim().max(200).optional(),
  course: Id.optional(),
  person: Id.optional(),
  reader: Id.optional(),
  /** the last of the page before: its id */
  after: Id.optional(),
});
export type ConversationsQuery = z.infer<typeof ConversationsQuery>;

export interface ConversationRow {
  id: string;
  person: { id: string; name: string };
  course: { id: string; title: string } | null;
  stepName: string | null;
  /** asked on the page of the course, and who reads it there; null where it began by a message */
  shownTo: ShownTo | null;
  subject: string;
  /** who takes care of it; null is the house */
  reader: string | null;
  isOpen: boolean;
  /** since when somebody waits for an answer */
  waitsSince: string | null;
  lastAt: string;
  lastAuthor: string;
  /** the last words, in one line */
  words: string;
}

export interface ConversationList {
  rows: ConversationRow[];
  hasMore: boolean;
  counts: { waiting: number; open: number; others: number };
  /** replies come in here; otherwise they go past Nudrik */
  isOn: boolean;
}

export interface ConversationPost {
  id: string;
  at: string;
  /** the person's word, the house's, or what became of it */
  side: 'person' | 'house' | 'record';
  author: string;
  /** the words that are new */
  words: string;
  /** with what they repeat; null where that is the same */
  whole: string | null;
  /** by mail from an address that was not expected */
  strangeAddress: string | null;
  byMail: boolean;
  /** written back in the chat */
  byChat: boolean;
  /** who reads it on the page of the course; null of what came or went by mail alone */
  shownTo: ShownTo | null;
  /** taken off the page */
  isOff: boolean;
  files: { id: string; name: string; bytes: number }[];
  /** of an answer: what became of its mail, in a sentence */
  mail: { state: 'waiting' | 'sent' | 'failed'; words: string } | null;
}

/** GET /api/conversations/:id */
export interface ConversationView extends Omit<ConversationRow, 'reader'> {
  zone: string;
  /** an address that takes mail; null where nothing can be sent */
  address: string | null;
  /** the unit at which it was asked */
  atUnit: string | null;
  /** everybody on the course may read it: it was asked so, and the course allows it still */
  mayBeShown: boolean;
  assignmentId: string | null;
  noticeId: string | null;
  reader: { id: string; name: string } | null;
  /** who may take care of it */
  readers: { id: string; name: string }[];
  /** where it is told by mail that something came in */
  toldTo: string;
  /** who covers while who takes care of it is on leave */
  cover: string | null;
  posts: ConversationPost[];
}

/** POST /api/conversations/:id/answers */
export const AnswerDraft = z.object({
  words: z.string().trim().min(1, 'expected some words').max(20_000, 'expected at most 20,000 letters'),
  /** the last post that was read: a newer one is shown before this goes */
  seen: Id,
  isDone: z.boolean().default(false),
  /** files that were put to it, in their order */
  files: z.array(Id).max(10, 'expected at most 10 files').default([]),
  /** who reads it on the page of the course, of what was asked there; as the word that it answers where nothing is said */
  shownTo: z.enum(SHOWN_TO).optional(),
});
export type AnswerDraft = z.infer<typeof AnswerDraft>;

/** POST /api/conversations/:id/files: a file for an answer, as the body */
export const AnswerFileQuery = z.object({ name: Line(150) });

/** PUT /api/conversations/:id/state */
export const ConversationState = z.object({ isOpen: z.boolean() });
/** PUT /api/conversations/:id/reader; null is the house */
export const ConversationReader = z.object({ reader: Id.nullable() });

/** PUT /api/conversations/:id/shown: everybody on the course reads it on its page, or whoever asked alone */
export const ConversationShown = z.object({ to: z.enum(SHOWN_TO) });
/** PUT /api/conversations/:id/posts/:post/off: one word is off the page, or on it again */
export const PostOff = z.object({ isOff: z.boolean() });

/** GET /api/arrivals: mail that came in and belongs to no conversation */
export const ArrivalsQuery = z.object({ show: z.enum(['waiting', 'all']).default('waiting'), after: Id.optional() });

export interface ArrivalRow {
  id: string;
  at: string;
  kind: string;
  from: string;
  subject: string;
  words: string;
  person: { id: string; name: string } | null;
  noticeId: string | null;
  waits: boolean;
  seenWords: string | null;
}
export interface ArrivalList {
  rows: ArrivalRow[];
  hasMore: boolean;
}

/** POST /api/arrivals/:id/conversation: it is the word of this person */
export const ArrivalTaken = z.object({ person: Id });
