import { z } from 'zod';
import {
  ASKS,
  MOST_VALID,
  RELEASE_UNITS,
  repeatFault,
  spanFault,
  UNIT_KINDS,
  type CourseFault,
  type FinishRule,
  type Release,
  type UnitKind,
  type Validity,
  type Video,
} from '@nudrik/core';
import type { StoredFile } from '../files/files.ts';
import { SessionRulesDraft } from '../sessions/sessions.ts';
import { SignOffDraft } from '../sign-offs/sign-offs.ts';
import { SurveyDraft } from '../surveys/surveys.ts';
import { QuizDraft } from '../quizzes/quizzes.ts';
import { Id, Instant, Line, LocalDate, TimeOfDay } from '../common.ts';

/** A unit by its id, or by what the browser calls it until it has one. */
export const UnitRef = z.string().regex(/^([1-9]\d{0,18}|new-[a-z0-9-]{1,40})$/, 'expected a unit');

export const ReleaseDraft = z.discriminatedUnion('kind', [
  z
    .object({
      kind: z.literal('after'),
      amount: z.number().int().min(0),
      unit: z.enum(RELEASE_UNITS),
      at: TimeOfDay.nullable().default(null),
    })
    .superRefine((release, context) => {
      const fault = spanFault(release);
      if (fault) context.addIssue({ code: 'custom', path: ['amount'], message: fault });
    }),
  z
    .object({ kind: z.literal('weekday'), weekday: z.number().int().min(1).max(7), nth: z.number().int().min(1), at: TimeOfDay })
    .superRefine(({ nth }, context) => {
      const fault = repeatFault({ every: { amount: 1, unit: 'weeks' }, times: nth });
      if (fault) context.addIssue({ code: 'custom', path: ['nth'], message: fault });
    }),
  z.object({ kind: z.literal('on'), date: LocalDate, at: TimeOfDay }),
  z.object({ kind: z.literal('finished'), unit: UnitRef }),
  z.object({ kind: z.literal('passed'), unit: UnitRef }),
]);

export const FinishDraft = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('all') }),
  z.object({ kind: z.literal('some'), units: z.number().int().min(1).max(2000) }),
  z.object({ kind: z.literal('score'), percent: z.number().int().min(1).max(100) }),
]);

/** A line that is being written: it may be empty still. */
const Writing = (max: number) =>
  z
    .string()
    .trim()
    .max(max)
    .refine((text) => !/[\n\r\t]/.test(text), 'expected one line, without line breaks or tabs');

const VideoDraft = z.object({
  share: z.number().int().min(1).max(100),
  seconds: z.number().min(0).max(86_400).nullable().default(null),
  captions: z.array(z.object({ fileId: Id, language: z.string().regex(/^[a-zA-Z]{2,3}(-[a-zA-Z0-9]{2,8})*$/, 'expected a language, like en') })).max(20).default([]), // prettier-ignore
});

/** A unit as it is written. What it lacks is a fault that keeps it from going live, and not from being kept. */
export const UnitDraft = z.object({
  id: UnitRef.nullable().default(null),
  kind: z.enum(UNIT_KINDS),
  title: Writing(200),
  required: z.boolean().default(true),
  weight: z.number().int().min(0).max(1000).default(1),
  release: ReleaseDraft.nullable().default(null) as z.ZodDefault<z.ZodType<Release | null>>,
  /** rich text of a page, as HTML; cleaned on the server */
  body: z.string().max(200_000).nullable().default(null),
  url: z.string().trim().max(2000).nullable().default(null),
  fileId: Id.nullable().default(null),
  quiz: QuizDraft.nullable().default(null),
  video: VideoDraft.nullable().default(null),
  survey: SurveyDraft.nullable().default(null),
  signOff: SignOffDraft.nullable().default(null),
  session: SessionRulesDraft.nullable().default(null),
});
export type UnitDraft = z.infer<typeof UnitDraft>;

export const SectionDraft = z.object({
  id: Id.nullable().default(null),
  title: Writing(200),
  units: z.array(UnitDraft).max(200),
});
export type SectionDraft = z.infer<typeof SectionDraft>;

/** How long a certificate holds, from the day of finishing. */
export const ValidityDraft = z
  .object({ count: z.number().int().min(1), unit: z.enum(['days', 'months', 'years']), toMonthEnd: z.boolean().default(false) })
  .refine(({ count, unit }) => count <= MOST_VALID[unit], { error: 'expected at most twenty years', path: ['count'] });

/** Everything that is written of a course. */
export const CourseDraft = z.object({
  title: Writing(200),
  code: z.string().trim().max(40).nullable().default(null),
  summary: z.string().trim().max(2000).nullable().default(null),
  ownerId: Id.nullable().default(null),
  /** people who help the owner */
  assistants: z.array(Id).max(20).default([]),
  /** how long its certificate holds; null is for ever */
  validity: ValidityDraft.nullable().default(null),
  /** what its certificate looks like; null is as the house's do */
  certificateDesignId: Id.nullable().default(null),
  /** whether finishing it is certified; null is not decided yet */
  certificate: z.enum(['issued', 'none']).nullable().default(null),
  /** how whoever has it may ask something, beside replying */
  asks: z.enum(ASKS).default('none'),
  finish: FinishDraft.default({ kind: 'all' }) as z.ZodDefault<z.ZodType<FinishRule>>,
  sections: z.array(SectionDraft).max(50),
});
export type CourseDraft = z.infer<typeof CourseDraft>;
/** The same before defaults are filled in. */
export type CourseInput = z.input<typeof CourseDraft>;

/** POST /api/courses: a course begins with its name. POST /api/courses/:id/copy: so does a copy. */
export const NewCourse = z.object({ title: Line(200, 'a course needs a title') });
export type NewCourse = z.infer<typeof NewCourse>;

/** GET /api/courses/:id/units/:unit/files: files that a unit had in what was published, the newest first */
export interface FormerFile extends StoredFile {
  version: number;
  at: string;
}

/** POST /api/courses/from-file */
export interface CourseTaken {
  id: string;
  title: string;
  /** what could not be taken over, in sentences */
  left: string[];
}

/** PUT /api/courses/:id/draft; `save` is another for each save, so that one whose answer was lost may come again */
export const DraftSave = z.object({ version: z.number().int().min(0), save: z.string().min(8).max(60), content: CourseDraft });
export type DraftSave = z.infer<typeof DraftSave>;

/** POST /api/courses/:id/publish, /live: the draft that was looked at */
export const Publishing = z.object({ version: z.number().int().min(0) });
/** POST /api/courses/:id/retire */

export const Retiring = z.object({
  /** what becomes of those who have it open */
  open: z.enum(['go-on', 'withdraw']),
  reason: z.string().trim().max(500).nullable().default(null),
});
export type Retiring = z.infer<typeof Retiring>;

/** POST /api/courses/:id/release: when units would open for a person whose assignment begins at a moment */
export const ReleaseLook = z.object({
  content: CourseDraft,
  personId: Id.nullable().default(null),
  assignedAt: Instant.nullable().default(null),
});
export type ReleaseLook = z.infer<typeof ReleaseLook>;
export interface ReleaseSeen {
  person: { id: string; name: string; zone: string } | null;
  assignedAt: string;
  isAssigned: boolean;
  /** for each unit when it opens, in the person's words and zone */
  units: { id: string; words: string }[];
}

export type CourseState = 'draft' | 'live' | 'retired';

export interface UnitView extends UnitDraft {
  id: string;
  file: StoredFile | null;
}

/** GET /api/courses/:id: what those who are asked for it get; of a draft what is written */
export interface CourseView extends Omit<CourseDraft, 'sections'> {
  id: string;
  state: CourseState;
  /** counts what was written in it */
  written: number;
  owner: { id: string; name: string } | null;
  sections: { id: string; title: string; units: UnitView[] }[];
  assigned: number;
  version: number;
  changedAt: string | null;
  changedBy: string | null;
  /** what is written and not published yet */
  draft: { savedAt: string; savedBy: string } | null;
  liveAt: string | null;
  liveBy: string | null;
  retiredAt: string | null;
}

/** GET /api/courses/:id/draft */
export interface DraftView {
  content: Omit<CourseDraft, 'sections'> & { sections: { id: string | null; title: string; units: UnitView[] }[] };
  owner: { id: string; name: string } | null;
  /** whoever else is named in what is written: assistants, and people whom quizzes tell */
  people: { id: string; name: string }[];
  state: CourseState;
  /** counts each save, publishing and dropping */
  version: number;
  savedAt: string | null;
  savedBy: string | null;
  faults: CourseFault[];
  /** who else has it open */
  others: Editor[];
}
export interface Editor {
  name: string;
  since: string;
}
/** PUT /api/courses/:id/draft */
export interface DraftSaved {
  version: number;
  savedAt: string;
  /** the ids that units were given, by what the browser called them; and of sections in their order */
  ids: Record<string, string>;
  faults: CourseFault[];
}

/** POST /api/courses/:id/publish/preview */
export interface PublishPreview {
  version: number;
  faults: CourseFault[];
  /** what is another than what is published, in sentences */
  changes: string[];
  underWay: number;
  more: number;
  less: number;
  same: number;
  /** who becomes finished by it */
  finishing: { count: number; people: string[] };
  /** who finished it before: a finish stays */
  finished: number;
  /** people who have something open that opens later now */
  closing: number;
  people: { name: string; before: string; after: string }[];
}
export interface Published {
  version: number;
  finished: number;
}

/** GET /api/courses/:id/live */
export interface LiveView {
  state: CourseState;
  version: number;
  checks: LiveCheck[];
  /** requirements that go on with it, and what each would do */
  requirements: { id: string; name: string; version: number }[];
}
export interface LiveCheck {
  key: string;
  isMet: boolean;
  /** it cannot go live before this is met; others are said, and it can */
  isNeeded: boolean;
  words: string;
  act: { label: string; link: string; params?: Record<string, string> } | null;
}
export interface WentLive {
  requirements: { name: string; assigned: number }[];
}

/** GET /api/courses */
export interface CourseRow {
  id: string;
  title: string;
  state: CourseState;
  /** something is written that is not published */
  hasDraft: boolean;
  /** how long its certificates hold; null is for ever */
  validity: Validity | null;
  code: string | null;
  owner: string | null;
  units: number;
  /** who holds it today, of those asked for it who are here; leavers count in neither */
  current: number;
  asked: number;
  open: number;
  dueSoon: number;
  late: number;
  /** people who have ever finished it */
  finished: number;
  stepsOn: number;
  steps: number;
}

export type { CourseFault, FinishRule, Release, UnitKind, Video };
