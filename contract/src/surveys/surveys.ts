import { z } from 'zod';
import { SURVEY_KINDS, type Survey, type SurveyFigures, type SurveyQuestion } from '@nudrik/core';

const Words = z.string().trim().max(300);
export const SurveyDraft = z.object({
  isAnonymous: z.boolean().default(true),
  questions: z
    .array(
      z.object({
        id: z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, 'expected a question'),
        kind: z.enum(SURVEY_KINDS),
        text: z.string().trim().max(2_000),
        choices: z.array(Words).max(30).default([]),
        low: Words.default(''),
        high: Words.default(''),
        isRequired: z.boolean().default(false),
      }),
    )
    .max(100),
}) as unknown as z.ZodType<Survey>;

/** POST /api/learning/:token/units/:unit/survey */
export const SurveyAnswersDraft = z.object({
  answers: z.record(z.string().max(40), z.union([z.string().max(5_000), z.array(z.string().max(300)).max(30), z.number(), z.null()])),
});
export type SurveyAnswersDraft = z.infer<typeof SurveyAnswersDraft>;

/** GET /api/courses/:id/surveys/:unit */
export interface SurveyView {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  isAnonymous: boolean;
  /** those who were asked, and those who answered */
  asked: number;
  answered: number;
  /** an anonymous survey shows nothing before so many answered; null shows */
  hiddenUntil: number | null;
  questions: (Omit<SurveyFigures, 'texts'> & { question: SurveyQuestion; texts: { text: string; by: string | null }[] })[];
}
export type { Survey, SurveyQuestion };
