import { KINDS, tellList, type Template } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, LocalDate, Page } from '../common.ts';
import { Role } from '../access/access.ts';

export const NOTICE_STATES = ['planned', 'held', 'sending', 'sent', 'delivered', 'bounced', 'failed', 'skipped', 'cancelled'] as const;
export type NoticeState = (typeof NOTICE_STATES)[number];
/** What outcomes are looked for together: what went, and what is in trouble. */
const TOGETHER: Readonly<Record<string, readonly NoticeState[]>> = {
  went: ['sent', 'delivered', 'bounced'],
  trouble: ['bounced', 'failed', 'held'],
};
/** By which outcomes the ledger is narrowed down. */
export const OUTCOME_FILTERS = [...NOTICE_STATES, 'went', 'trouble'] as const;
export type OutcomeFilter = (typeof OUTCOME_FILTERS)[number];
export const statesOf = (outcome: OutcomeFilter): readonly NoticeState[] => TOGETHER[outcome] ?? [outcome as NoticeState];
/** "sent, delivered or bounced" */
export const outcomeWords = (outcome: OutcomeFilter): string => tellList(statesOf(outcome), 'or');

/** GET /api/notices */
export const NoticesQuery = Page.pick({ size: true }).extend({
  /** where the page begins: `back` or `further` of another one */
  cursor: z.string().max(80).optional(),
  from: LocalDate.optional(),
  to: LocalDate.optional(),
  course: Id.optional(),
  step: z.string().max(120).optional(),
  person: Id.optional(),
  outcome: z.enum(OUTCOME_FILTERS).optional(),
  /** what holds it */
  held: z.string().max(40).optional(),
  /** why it was not sent */
  because: z.string().max(40).optional(),
  kind: z.enum(KINDS).optional(),
  /** whom it is about is in this department, or below it */
  department: Id.optional(),
  /** by the plan, or by what somebody wrote by hand */
  by: z.enum(['plan', 'hand']).optional(),
  /** whom its message came from, as its reader saw it */
  sender: z.string().max(200).optional(),
  /** a merge field that its person or course has no value for: planned within two weeks */
  lacks: z.string().max(40).optional(),
  find: z.string().max(200).optional(),
  /** up to now, or still to come */
  when: z.enum(['past', 'ahead']).optional(),
});
export type NoticesQuery = z.infer<typeof NoticesQuery>;

/** GET /api/notices/choices */
export const LedgerChoicesQuery = z.object({ course: Id.optional() });
export interface LedgerChoices {
  /** what steps are called, those with the most notices first */
  steps: string[];
  /** whom messages came from */
  senders: string[];
}

export interface NoticeRow {
  id: string;
  kind: string;
  stepName: string;
  occurrence: number;
  course: { id: string; title: string };
  /** whom it is about */
  person: { id: string; name: string };
  /** whom it goes to, where that is somebody else */
  addressee: { id: string | null; name: string } | null;
  state: NoticeState;
  because: string | null;
  sentence: string | null;
  at: string;
  /** local words of the moment in the addressee's zone, where it differs from the house's */
  local: string;
  zone: string;
  gathered: number;
}

export interface NoticesPage {
  rows: NoticeRow[];
  /** null where there are many, and nobody counted */
  total: number | null;
  summary: Partial<Record<NoticeState, number>> | null;
  /** how many come before the first row */
  place: number;
  /** cursors of the pages beside this one */
  back: string | null;
  further: string | null;
}

export interface MailView {
  id: string;
  subject: string;
  to: string;
  from: string;
  replyTo: string;
  messageId: string;
  html: string;
  text: string;
  sentAt: string | null;
  deliveredAt: string | null;
  response: string | null;
}

/** GET /api/notices/:id; …/why?assignment=&step= gives the same for a step without a notice */
export interface NoticeSheet {
  notice: NoticeRow | null;
  stepName: string;
  kind: string;
  course: { id: string; title: string };
  person: { id: string; name: string; job: string | null; site: string };
  sentence: string;
  trace: { check: string; result: boolean; because: string }[];
  timeline: { what: string; at: string; words: string }[];
  mail: MailView | null;
  followed: { at: string; words: string }[];
  /** others told by the same gathered message */
  gatheredWith: { id: string; name: string }[];
  /** where it was answered */
  conversations: { id: string; name: string; isWaiting: boolean }[];
  /** what may be done to it by hand */
  acts: NoticeAct['what'][];
  /** with what it goes again by hand, where it went to who still has the course open */
  again: { assignmentId: string; name: string; message: Template } | null;
}

/** POST /api/notices/:id/act: what is done to one notice by hand */
export const NoticeAct = z.object({
  /** `restore` takes a skip back */
  what: z.enum(['skip', 'send', 'restore']),
  reason: z.string().trim().max(500).optional(),
});
export type NoticeAct = z.infer<typeof NoticeAct>;

/** GET /api/ribbon */
export interface RibbonDay {
  day: string;
  sent: number;
  planned: number;
  trouble: number;
  /** of what requirements will assign by then: planned once they have */
  ahead: number;
  isWorkingDay: boolean;
  holiday: string | null;
}
export interface Ribbon {
  today: string;
  days: RibbonDay[];
}

/** GET /api/clock */
export interface ClockView {
  now: string;
  isDemo: boolean;
  isMoving: boolean;
  nextNoticeAt: string | null;
  /** false while simulated time stands still */
  isTicking: boolean;
}

/** POST /api/clock/move */
export const ClockMove = z.union([
  z.object({ to: z.literal('next-notice') }),
  z.object({ days: z.number().int().min(1).max(366) }),
  z.object({ day: LocalDate }),
]);
export type ClockMove = z.infer<typeof ClockMove>;

/** one line of GET /api/live (server-sent events) */
export interface LiveEvent {
  topics: string[];
}

/** GET /api/notices/groups: what fits a filter, by outcome, reason and step */
export interface NoticeGroups {
  groups: { state: NoticeState; because: string | null; stepName: string; count: number }[];
  /** so many of the newest were looked at; null where all were */
  newest: number | null;
}

/** POST /api/notices/export: where the file is. An mbox holds the messages themselves, as they were sent, without personal links */
export const LedgerExport = NoticesQuery.omit({ cursor: true, size: true }).extend({ form: z.enum(['csv', 'xlsx', 'mbox']) });
export type LedgerExport = z.infer<typeof LedgerExport>;

/** A filter of a page that somebody named. */
export interface KeptView {
  id: string;
  name: string;
  params: Record<string, string>;
  madeBy: string;
  /** who sees it beside them; nobody else where there is none */
  roles: Role[];
  /** who asks made it, or may take it away for them */
  isMine: boolean;
}

/** POST /api/views */
export const VIEW_PAGES = ['ledger', 'matrix', 'report', 'notified', 'finished', 'figures'] as const;
export type ViewPage = (typeof VIEW_PAGES)[number];
export const KeptViewDraft = z.object({
  page: z.enum(VIEW_PAGES),
  /** whom it is shared with; nobody is for oneself alone */
  roles: z.array(Role).max(5).default(['administrator', 'trainer', 'auditor']),
  name: Line(80, 'expected a name'),
  params: z
    .record(z.string().max(20), z.string().max(200))
    .refine((params) => Object.keys(params).length <= 20, 'expected at most 20 filters'),
});
export type KeptViewDraft = z.infer<typeof KeptViewDraft>;
