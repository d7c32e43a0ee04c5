import { z } from 'zod';
import type { Quiz, ScormEdition } from '@nudrik/core';
import { Id, Instant, Line, MailAddress } from '../common.ts';
import type { LearningView } from '../learning/learning.ts';
import type { PreviewNotice } from '../plans/plans.ts';

const at = Instant;
/** What was done while looking: the same as what an employee does, and recorded nowhere. */
const Done = z.discriminatedUnion('type', [
  z.object({ type: z.literal('started'), at }),
  z.object({ type: z.literal('unit-finished'), at, unit: Id }),
  z.object({ type: z.literal('survey-answered'), at, unit: Id }),
  z.object({
    type: z.literal('quiz-submitted'),
    at,
    unit: Id,
    attempt: z.number().int().min(1).max(1000),
    score: z.number().min(0).max(100),
    passed: z.boolean().nullable(),
  }),
]);
export type LookDone = z.infer<typeof Done>;

/** POST /api/courses/:id/look: a course as somebody would have it at a moment. Nothing of it is recorded. */
export const LookRequest = z.object({
  /** what is written, or what is live */
  of: z.enum(['draft', 'live']).default('draft'),
  /** the moment at which it is looked at; null is now */
  at: Instant.nullable().default(null),
  /** when it would be assigned; null is now */
  assignedAt: Instant.nullable().default(null),
  dueAt: Instant.nullable().default(null),
  /** a real person, or one that is made up for a site */
  person: z.union([z.object({ id: Id }), z.object({ name: Line(120, 'expected a name'), siteId: Id })]).nullable().default(null), // prettier-ignore
  done: z.array(Done).max(2_000).default([]),
});
export type LookRequest = z.infer<typeof LookRequest>;

export interface LookView {
  view: LearningView;
  now: string;
  person: { id: string | null; name: string; site: string; zone: string };
  /** quizzes by unit, as they are written: they are taken here, and not at the server */
  quizzes: Record<string, Quiz>;
  /** the files of units, by unit */
  files: Record<
    string,
    { id: string; captions: { language: string; fileId: string }[]; package: { address: string; edition: ScormEdition } | null }
  >;
  /** what the plan would send, of what went by the moment and what is still to come; with the text as it would be read */
  notices: LookNotice[];
}
export interface LookNotice extends PreviewNotice {
  hasGone: boolean;
  letter: { subject: string; html: string; text: string } | null;
}

/** POST /api/courses/:id/invitations: a colleague looks at a course by a link, without an account */
export const Invitation = z.object({ email: MailAddress, name: Line(120, 'expected a name'), days: z.number().int().min(1).max(60), words: z.string().trim().max(2_000).default('') }); // prettier-ignore
export type Invitation = z.infer<typeof Invitation>;

/** GET /api/courses/:id/remarks */
export interface RemarksView {
  remarks: Remark[];
  invited: { id: string; name: string; email: string; by: string; at: string; until: string; hasEnded: boolean; lookedAt: string | null }[];
}
export interface Remark {
  id: string;
  /** null is about the course */
  unitId: string | null;
  text: string;
  by: string;
  at: string;
  /** who ticked it off */
  doneBy: string | null;
}

/** POST /api/looks/:token/remarks, POST /api/courses/:id/remarks */
export const RemarkDraft = z.object({ unitId: Id.nullable(), text: z.string().trim().min(1, 'expected a remark').max(2_000) });
export type RemarkDraft = z.infer<typeof RemarkDraft>;
/** PATCH /api/remarks/:id */
export const RemarkChange = z.object({ isDone: z.boolean() });

/** GET /api/looks/:token: what a colleague is asked for */
export interface InvitedView {
  course: string;
  name: string;
  by: string;
  until: string;
  words: string;
  remarks: Remark[];
}
