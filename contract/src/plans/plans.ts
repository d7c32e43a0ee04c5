import { z } from 'zod';
import {
  ANCHORS,
  KINDS,
  repeatFault,
  SIGN_OFF_OUTCOMES,
  spanFault,
  UNITS,
  WAYS,
  type Duration,
  type PreviewLine,
  type SenderRule,
  type WarningKind,
} from '@nudrik/core';
import { Id, LocalDate, MailAddress, TimeOfDay, Line } from '../common.ts';
import { ConditionSchema } from '../conditions.ts';
import { TemplateSchema } from '../messages/template.ts';

/** A check by a function of core that says what is wrong in words, or null. */
const faultless =
  <T>(fault: (value: T) => string | null) =>
  (value: T, context: z.RefinementCtx): void => {
    const message = fault(value);
    if (message !== null) context.addIssue({ code: 'custom', message, input: value });
  };

export const DurationSchema = z
  .strictObject({ amount: z.number().int(), unit: z.enum(UNITS) })
  .superRefine(faultless<Duration>((duration) => spanFault(duration)));

export const AnchorSchema = z.strictObject({
  event: z.enum(ANCHORS),
  unit: Line(100).optional(),
  date: LocalDate.optional(),
  outcome: z.enum(SIGN_OFF_OUTCOMES).optional(),
  section: Line(100).optional(),
  units: z.array(Line(100)).max(500).optional(),
  letter: Line(100).optional(),
});

export const StepId = Line(100);

export const StepSchema = z.strictObject({
  id: StepId,
  name: Line(120, 'a step needs a name'),
  kind: z.enum(KINDS),
  on: z.boolean(),
  anchor: AnchorSchema,
  offset: DurationSchema,
  at: TimeOfDay.nullable().default(null),
  window: z.enum(['exact', 'later', 'earlier']).nullable().default(null),
  repeat: z
    .strictObject({ every: DurationSchema, times: z.number().int().min(1).max(100) })
    .superRefine(faultless(repeatFault))
    .nullable()
    .default(null),
  to: z.array(Line(100)).min(1).max(20),
  gather: z.enum(['none', 'per day']).default('none'),
  endsOn: LocalDate.nullable().default(null),
  onlyIf: ConditionSchema.nullable().default(null),
  stopWhen: ConditionSchema.nullable().default(null),
  by: z.enum(WAYS).nullable().optional(),
  mayDecline: z.boolean().optional(),
});

/** Who messages come from, as a course or a step says it; what it leaves open is said by the one above. */
export const SenderRuleSchema = z
  .strictObject({ isTrainer: z.boolean(), name: Line(80).nullable(), replyTo: MailAddress.nullable() })
  .refine(({ isTrainer, name }) => !isTrainer || name === null, {
    error: 'comes from the trainer or under another name; expected one of the two',
  });

/** Who is told of what a step sent: by one summary a day, or of each message by itself. */
export const CopiesSchema = z.strictObject({ to: z.array(Line(100)).min(1).max(10), isEach: z.boolean() });

export const PlanStepSchema = StepSchema.extend({
  message: TemplateSchema,
  sender: SenderRuleSchema.nullable().optional(),
  copies: CopiesSchema.nullable().optional(),
});

/** PUT /api/plans/:courseId/sender: who the messages of a course come from. `was` is what it said when one began. */
export const SenderRequest = z.strictObject({ sender: SenderRuleSchema.nullable(), was: SenderRuleSchema.nullable() });
export type SenderRequest = z.infer<typeof SenderRequest>;

const ChannelName = z
  .string()
  .transform((text) => text.trim().replace(/^#+\s*/, '') || null)
  .pipe(Line(80).nullable());
/** PUT /api/plans/:courseId/told-in: the channel of the chat in which it is told who finished; null is none. `was` is what it said when one began. */
export const ToldInRequest = z.strictObject({ toldIn: ChannelName.nullable(), was: z.string().nullable() });
export type ToldInRequest = z.infer<typeof ToldInRequest>;

/** POST /api/plans/:courseId/preview and …/publish */
export const PlanDraft = z.object({
  version: z.number().int(),
  steps: z.array(PlanStepSchema).min(1).max(50),
  /** why, for who looks at its versions later */
  note: z.string().trim().max(500).optional(),
  /** of the draft that is published; without it, whatever draft there is */
  written: z.number().int().min(0).optional(),
});
export type PlanDraft = z.infer<typeof PlanDraft>;

/** PUT /api/plans/:courseId/draft: what is written and not published. `written` is what it was when one began; 0 is none. */
export const PlanDraftSave = z.object({
  version: z.number().int(),
  written: z.number().int().min(0),
  /** of this save: where it comes again it is done once */
  save: z.uuid(),
  steps: z.array(PlanStepSchema).min(1).max(50),
});
export type PlanDraftSave = z.infer<typeof PlanDraftSave>;
export interface PlanDraftSaved {
  written: number;
  savedAt: string;
}
/** POST /api/plans/:courseId/draft/drop */
export const PlanDraftDrop = z.object({ written: z.number().int().min(0) });
export type PlanDraftDrop = z.infer<typeof PlanDraftDrop>;

export type PlanStepView = z.infer<typeof PlanStepSchema>;

/** GET /api/plans */
export interface PlanRow {
  course: { id: string; title: string };
  version: number;
  publishedAt: string;
  publishedBy: string | null;
  open: number;
  next28: number;
  steps: { kind: string; name: string; on: boolean }[];
  /** something is written that is not published */
  draft: { savedAt: string; savedBy: string } | null;
  /** whose plan it goes by */
  follows: { id: string; title: string } | null;
}

/** GET /api/plans/:courseId */
export interface PlanView {
  course: { id: string; title: string };
  version: number;
  publishedAt: string;
  publishedBy: string | null;
  steps: PlanStepView[];
  /** planned notices of the next 28 days by step */
  next28: Record<string, number>;
  open: number;
  /** who its messages come from; null is as the house says */
  sender: SenderRule | null;
  /** the names that they may come from, whom replies reach where nothing else is said; and both as it is said now, as its letters say it */
  senders: { house: string; trainer: string | null; replies: string; now: { name: string; replies: string } };
  /** where in the chat it is told who finished it; null where there is no chat */
  chat: { toldIn: string | null } | null;
  /** whose plan it goes by, where it has none of its own */
  follows: { id: string; title: string } | null;
  /** the courses that go by this one */
  followers: { id: string; title: string; open: number }[];
  /** whom its steps name, those of its draft too */
  people: { id: string; name: string }[];
  /** what is written and not published */
  draft: { version: number; written: number; steps: PlanStepView[]; savedAt: string; savedBy: string } | null;
}

/** GET /api/plans/:courseId/versions: the newest first */
export interface PlanVersion {
  version: number;
  publishedAt: string;
  publishedBy: string | null;
  note: string | null;
  /** how many steps it has, and how many of them are on */
  steps: number;
  on: number;
}

/** GET /api/plans/:courseId/choices: what the steps of a plan choose from, and what the ids in its conditions are called. */
export interface PlanChoices {
  departments: { id: string; name: string }[];
  sites: { id: string; name: string }[];
  groups: { id: string; name: string }[];
  jobs: string[];
  courses: { id: string; title: string }[];
  sections: { id: string; title: string }[];
  units: { id: string; title: string; kind: string }[];
}

/** POST /api/plans/:courseId/follow: by the plan of which other course this one goes; null gives it a plan of its own */
export const FollowRequest = z.object({ follows: Id.nullable() });
export type FollowRequest = z.infer<typeof FollowRequest>;

/** One notice as a preview shows it; `hold`: it waits for a person, or past the end of the preview. */
export type PreviewNotice = PreviewLine;

/** A merge field without a value, and for whom: it would hold those notices. */
export interface MissingField {
  step: string;
  field: string;
  people: string[];
}

export interface PreviewPerson {
  id: string;
  /** of what is thought of only, an id for the time being */
  assignmentId: string;
  name: string;
  site: string;
  zone: string;
  /** the due date in words, in the person's own zone */
  due: string;
  dueAt: string;
  note: string | null;
  notices: PreviewNotice[];
}

/** What is to be known of a plan, with whom it is about, and what would mend it. */
export interface PlanWarningView {
  kind: WarningKind;
  step: string;
  stepName: string;
  /** one sentence */
  words: string;
  /** how many it is about; 0 where it is about the plan alone */
  count: number;
  /** the first of them */
  people: { id: string; name: string; assignmentId: string }[];
  /** a change of a step; a null takes it away */
  mend: { words: string; step: string; change: Partial<PlanStepView> | null } | null;
}

/** POST /api/plans/:courseId/preview */
export interface PlanPreview {
  /** what publishing would change in the ledger */
  added: number;
  moved: number;
  dropped: number;
  kept: number;
  changes: {
    person: string;
    stepName: string;
    what: 'added' | 'moved' | 'dropped' | 'decided anew';
    from: string | null;
    to: string | null;
  }[];
  /** the same step by step, where anything changes */
  bySteps: { stepName: string; added: number; moved: number; dropped: number }[];
  /** the same for each course that goes by this plan */
  followers: { course: { id: string; title: string }; open: number; added: number; moved: number; dropped: number; kept: number }[];
  /** real people with their real moments under the draft */
  people: PreviewPerson[];
  faults: { step: string; message: string }[];
  missing: MissingField[];
  warnings: string[];
  /** what is to be known of the draft */
  found: PlanWarningView[];
}
