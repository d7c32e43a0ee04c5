import { z } from 'zod';
import {
  isKnownRole,
  ROLE_WORDS,
  TOLD_OF,
  type Answer,
  type ItemFigures,
  type Question,
  type QuestionKind,
  type Quiz,
  type ShownQuestion,
  type ToldQuestion,
} from '@nudrik/core';
import { Id } from '../common.ts';

const Html = z.string().max(20_000);
const Words = z.string().max(500);
const Role = z
  .string()
  .trim()
  .min(1)
  .max(254)
  .refine(isKnownRole, { error: ({ input }) => `expected ${ROLE_WORDS}; got ${JSON.stringify(input)}` });
const base = {
  id: z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, 'expected a question'),
  text: Html,
  picture: Id.nullable().default(null),
  points: z.number().min(0).max(1000).default(1),
  partial: z.boolean().default(false),
  always: z.boolean().default(false),
  whenRight: z.string().max(2000).default(''),
  whenWrong: z.string().max(2000).default(''),
};
const choices = z.array(z.object({ text: Words, isRight: z.boolean(), words: z.string().max(1000).default('') })).max(30);
const loose = { byCase: z.boolean().default(false), byAccent: z.boolean().default(false) };
const finite = z.number().min(-1e15).max(1e15);

export const QuestionDraft = z.discriminatedUnion('kind', [
  z.object({ ...base, kind: z.literal('one'), choices }),
  z.object({ ...base, kind: z.literal('several'), choices }),
  z.object({ ...base, kind: z.literal('truth'), isTrue: z.boolean() }),
  z.object({ ...base, kind: z.literal('text'), accepted: z.array(Words).max(50), isMarked: z.boolean().default(false), ...loose }),
  z.object({
    ...base,
    kind: z.literal('number'),
    value: finite,
    tolerance: z.number().min(0).max(1e15).default(0),
    unit: z.string().max(20).default(''),
  }),
  z.object({ ...base, kind: z.literal('order'), items: z.array(Words).max(30) }),
  z.object({ ...base, kind: z.literal('match'), pairs: z.array(z.object({ left: Words, right: Words })).max(30) }),
  z.object({ ...base, kind: z.literal('gaps'), body: z.string().max(5000), ...loose }),
]) as unknown as z.ZodType<Question>;

export const QuizDraft = z.object({
  questions: z.array(QuestionDraft).max(300),
  draw: z.number().int().min(1).max(300).nullable().default(null),
  mixQuestions: z.boolean().default(false),
  mixChoices: z.boolean().default(true),
  pass: z.number().min(0).max(100).default(80),
  attempts: z.number().int().min(1).max(100).nullable().default(null),
  pause: z.number().int().min(0).max(525_600).default(0),
  limit: z.number().int().min(1).max(1440).nullable().default(null),
  shows: z.enum(['score', 'own', 'right']).default('own'),
  told: z
    .object({ of: z.enum(TOLD_OF), to: z.array(Role).max(40), when: z.enum(['at once', 'per day']) })
    .default({ of: 'waiting', to: ['trainer'], when: 'per day' }),
}) as unknown as z.ZodType<Quiz>;

const AnswerDraft = z.union([
  z.number().int().min(0).max(1000),
  z.boolean(),
  z.string().max(5000),
  z.array(z.union([z.number().int().min(0).max(1000), z.string().max(500), z.null()])).max(60),
  z.null(),
]) as unknown as z.ZodType<Answer>;
/** PUT and POST /api/learning/:token/units/:unit/attempt: answers by question; those that are not named stay as they are */
export const AnswersDraft = z.object({ attempt: z.number().int().min(1), answers: z.record(z.string().max(40), AnswerDraft).default({}) });
export type AnswersDraft = z.infer<typeof AnswersDraft>;

/** POST /api/attempts/:id/marks: for each question that waited the share of its points, 0 to 1 */
export const MarksDraft = z.object({
  marks: z.record(z.string().max(40), z.number().min(0).max(1)),
  words: z.string().trim().max(2000).default(''),
});
export type MarksDraft = z.infer<typeof MarksDraft>;

/** How an attempt ended. */
export interface AttemptLine {
  id: string;
  number: number;
  submittedAt: string;
  /** null while something waits to be marked */
  isPassed: boolean | null;
  percent: number;
  /** the time ran out */
  isCutOff: boolean;
}

/** GET /api/learning/:token/units/:unit/quiz */
export interface QuizView {
  words: string;
  pass: number;
  attempts: AttemptLine[];
  next: { kind: 'now' | 'never' | 'waits' } | { kind: 'at'; at: string };
  /** attempts left, null without end */
  left: number | null;
  open: OpenAttempt | null;
  /** the last one, as far as the quiz shows it */
  result: AttemptResult | null;
}
export interface OpenAttempt {
  number: number;
  questions: ShownQuestion[];
  answers: Record<string, Answer>;
  begunAt: string;
  endsAt: string | null;
  /** the server's clock, since a phone's may be off */
  now: string;
}
export interface AttemptResult extends AttemptLine {
  points: number;
  max: number;
  /** empty where only the score is shown */
  questions: ToldQuestion[];
  marked: { byWhom: string; words: string } | null;
}

/** GET /api/courses/:id/quizzes/:unit: what came in, and how its questions do */
export interface SubmissionsView {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  words: string;
  rows: (AttemptLine & { person: { id: string; name: string }; assignmentId: string })[];
  waiting: number;
  /** whether there are more than are listed */
  total: number;
  questions: (ItemFigures & { id: string; kind: QuestionKind; words: string; mostTaken: string | null })[];
}

/** GET /api/attempts/:id */
export interface AttemptView extends AttemptResult {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  person: { id: string; name: string };
  assignmentId: string;
  zone: string;
  begunAt: string;
  /** the ids of the questions, in the order of `questions` */
  ids: string[];
  waiting: string[];
}
/** GET /api/marking: attempts that wait for somebody, the oldest first */
export interface WaitingAttempt {
  id: string;
  person: string;
  course: string;
  courseId: string;
  unit: string;
  unitId: string;
  number: number;
  submittedAt: string;
}

export type { Answer, Question, Quiz, ShownQuestion };

/** POST /api/quizzes/read: questions of a package of QTI 3.0, and what in it could not be read */
export interface QtiRead {
  questions: Question[];
  faults: { item: string; words: string }[];
}
