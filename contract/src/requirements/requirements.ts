import { z } from 'zod';
import { DUE_EVENTS, WHEN_OUT, type AudiencePerson, type DueRule, type Validity } from '@nudrik/core';
import { Id, LocalDate, TimeOfDay, Line } from '../common.ts';
import { AudienceSchema } from '../conditions.ts';
import type { AsOfTold } from '../reports/as-of.ts';
import type { PlanWarningView } from '../plans/plans.ts';

const DueEventSchema = z.enum(DUE_EVENTS);
export const DueRuleSchema: z.ZodType<DueRule> = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('date'), on: LocalDate }),
  z.strictObject({
    kind: z.literal('after'),
    amount: z.number().int().min(0, 'expected 0 or more').max(3_650),
    unit: z.enum(['days', 'working days']),
    event: DueEventSchema,
  }),
  z.strictObject({ kind: z.literal('month-end'), months: z.number().int().min(0).max(60), event: DueEventSchema }),
]);

/** POST /api/requirements, and with a version PUT /api/requirements/:id */
export const RequirementDraft = z
  .strictObject({
    name: Line(120, 'a requirement needs a name'),
    courseId: Id,
    audience: AudienceSchema,
    due: DueRuleSchema,
    dueTime: TimeOfDay,
    graceDays: z.number().int().min(1, 'expected 1 day or more').max(3_650),
    creditMonths: z.number().int().min(0).max(600).nullable(),
    renewal: z
      .strictObject({
        months: z.number().int().min(1, 'expected 1 month or more').max(600),
        leadDays: z.number().int().min(0).max(3_650),
      })
      .nullable(),
    from: LocalDate.nullable(),
    until: LocalDate.nullable(),
    takesJoiners: z.boolean(),
    whenOut: z.enum(WHEN_OUT),
  })
  .refine(({ from, until }) => from === null || until === null || from <= until, {
    path: ['until'],
    message: 'expected a last day that is not before the first',
  })
  .refine(({ renewal }) => renewal === null || renewal.leadDays < renewal.months * 28, {
    path: ['renewal', 'leadDays'],
    message: 'expected fewer days than finishing counts: the next round would begin before the last one ended',
  });
export type RequirementDraft = z.infer<typeof RequirementDraft>;

/** What becomes of open assignments that a requirement no longer asks for. */
export const Outside = z.enum(['withdraw', 'keep', 'ask']);
export type Outside = z.infer<typeof Outside>;

/** POST /api/requirements/preview: `id` of the one that is edited, null for a new one */
export const RequirementPreviewRequest = z.object({ id: Id.nullable(), draft: RequirementDraft });
/** PUT /api/requirements/:id */
export const RequirementChange = z.object({ version: z.number().int(), draft: RequirementDraft, outside: Outside.default('ask') });
/** POST /api/requirements/:id/on */
export const RequirementOn = z.object({ version: z.number().int() });
/** POST /api/requirements/:id/off */
export const RequirementOff = z.object({ version: z.number().int(), outside: z.enum(['withdraw', 'keep']) });
/** POST /api/requirements/:id/outside: what becomes of assignments whose people left the audience */
export const OutsideDecision = z.object({ assignmentIds: z.array(Id).min(1).max(20_000), outside: z.enum(['withdraw', 'keep']) });

/** GET /api/requirements/audience: what the builder and the requirements work on */
export interface AudienceFacts {
  today: string;
  people: AudiencePerson[];
  departments: { id: string; name: string; parentId: string | null }[];
  sites: { id: string; name: string }[];
  groups: { id: string; name: string }[];
  jobs: string[];
  courses: { id: string; title: string }[];
}

export interface RequirementRow {
  id: string;
  name: string;
  course: { id: string; title: string };
  audience: string;
  due: string;
  renewal: string | null;
  isOn: boolean;
  /** it goes on when its course goes live */
  waits: boolean;
  switchedOnAt: string | null;
  changedAt: string;
  changedBy: string;
  /** who is in today, who has it open or late because of it, whom it asks about, who joins in the next 7 days */
  in: number;
  open: number;
  late: number;
  asks: number;
  joining: number;
  /** who fits the audience today and is not asked, because it takes in nobody later */
  notAsked: number;
  /** false while the audience is being counted, after it was written */
  isCounted: boolean;
}

export interface RequirementView extends RequirementDraft {
  id: string;
  version: number;
  isOn: boolean;
  /** it goes on when its course goes live */
  waits: boolean;
  switchedOnAt: string | null;
  changedAt: string;
  changedBy: string;
  course: { id: string; title: string; validity: Validity | null };
  /** the rules in sentences */
  words: string[];
  record: { at: string; byWhom: string; what: string; words: string }[];
}

/** GET /api/requirements/day: those that there were at the end of a day that has passed */
export interface RequirementsDay {
  asOf: AsOfTold;
  rows: {
    id: string;
    name: string;
    course: { id: string; title: string };
    wasOn: boolean;
    /** assignments that it had asked for by then, and how they stood: finished, open, late and waived or withdrawn add up to them */
    asked: number;
    finished: number;
    open: number;
    late: number;
    waived: number;
  }[];
}

/** GET /api/requirements/:id/people */
export interface RequirementPerson {
  id: string;
  name: string;
  department: string;
  site: string;
  zone: string;
  /** how the requirement stands to the person, in a word and in a sentence */
  standing: 'open' | 'late' | 'asks' | 'due' | 'covered' | 'waived' | 'withdrawn' | 'joins' | 'begins' | 'not-asked' | 'out';
  words: string;
  assignmentId: string | null;
  dueAt: string | null;
}
export interface RequirementPeople {
  people: RequirementPerson[];
  counts: Record<string, number>;
}

export interface Counted<T> {
  count: number;
  /** the first ones by name */
  people: T[];
}
export interface PreviewedPerson {
  id: string;
  name: string;
  site: string;
  words: string;
}

/** POST /api/requirements/preview */
export interface RequirementPreview {
  words: string[];
  in: number;
  /** who gets an assignment now, with the due date */
  assigned: Counted<PreviewedPerson>;
  /** who has the course open already: they keep that assignment, with this reason too */
  attached: Counted<PreviewedPerson>;
  /** who has it open from this requirement already, and keeps it */
  staying: Counted<PreviewedPerson>;
  covered: Counted<PreviewedPerson>;
  /** waived, withdrawn by hand */
  settled: Counted<PreviewedPerson>;
  /** who joins in the next 60 days by the dates known */
  joining: Counted<PreviewedPerson>;
  /** who has it open because of this requirement and would no longer be asked for it */
  falling: Counted<PreviewedPerson>;
  mails: number;
  byDay: { day: string; count: number }[];
  warnings: string[];
  /** what is to be known of the plan for whom it would ask */
  found: PlanWarningView[];
}

/** What switching on, changing or switching off did. */
export interface RequirementResult {
  id: string;
  assigned: number;
  attached: number;
  withdrawn: number;
  kept: number;
  asked: number;
}
