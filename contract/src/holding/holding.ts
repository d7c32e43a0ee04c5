import { HOLD_SCOPES, type HoldScope } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, LocalDate } from '../common.ts';

const scoped = z.object({
  scope: z.enum(HOLD_SCOPES),
  /** the course of a plan, or the course, department or person; none for everything */
  of: Id.nullable().default(null),
});
const fits = ({ scope, of }: { scope: HoldScope; of: string | null }): boolean => (of === null) === (scope === 'everything');
const FITS = { path: ['of'], message: 'expected what is held, and nothing where everything is' };

/** GET /api/holds/over: what holds messages of a course, or about people */
export const HoldsOver = scoped.refine(fits, FITS);

/** POST /api/holds/preview: what a hold would keep back */
export const HoldQuestion = scoped.extend({ until: LocalDate.nullable().default(null) }).refine(fits, FITS);
export type HoldQuestion = z.infer<typeof HoldQuestion>;

/** POST /api/holds */
export const HoldDraft = scoped
  .extend({ until: LocalDate.nullable().default(null), reason: Line(200, 'expected why it is held, for whoever looks at it later') })
  .refine(fits, FITS);
export type HoldDraft = z.infer<typeof HoldDraft>;

/** POST /api/holds/:id/release: what came to its moment is sent where it is still useful, or is let pass */
export const HoldRelease = z.object({ how: z.enum(['send', 'let-pass']) });
export type HoldRelease = z.infer<typeof HoldRelease>;

export interface HoldView {
  id: string;
  scope: HoldScope;
  of: string | null;
  name: string;
  /** “Night Watch Handover” is held */
  words: string;
  from: string;
  /** its day, in words, or null until it is released */
  until: string | null;
  untilOn: string | null;
  by: string;
  reason: string;
  /** how many came to their moment and wait */
  waits: number;
  ended: { at: string; by: string | null; how: 'send' | 'let-pass' | 'changed' | 'passed' } | null;
}

/** GET /api/holds */
export interface HoldsView {
  standing: HoldView[];
  /** the newest that ended */
  past: HoldView[];
}

/** What a hold would keep back: what comes to its moment until its day, or within two weeks where it has none. */
export interface HoldPreview {
  words: string;
  /** null where there are more than were counted */
  notices: number | null;
  people: number | null;
  /** steps with the most of them */
  steps: { name: string; course: string; count: number }[];
  /** on their way while one looks: these are not kept back */
  onTheWay: number;
  /** until when it was counted, in words */
  horizon: string;
  /** one of the same that stands, and would be changed */
  stands: HoldView | null;
}

/** GET /api/holds/:id/release: what becomes of what waits, were it released now */
export interface ReleasePreview {
  hold: HoldView;
  waits: number;
  /** so many of them were looked at */
  looked: number;
  /** of these: go now or in the morning, go later (another hold, leave, a full day), are no longer useful */
  goes: number;
  later: number;
  passes: number;
  rows: {
    id: string;
    person: string;
    addressee: string | null;
    stepName: string;
    course: string;
    moment: string;
    outcome: 'send' | 'hold' | 'skip';
    /** when it would be decided, where that is not now */
    at: string | null;
    words: string;
  }[];
}

export interface ReleaseResult {
  /** are decided again now */
  decided: number;
  passed: number;
}
