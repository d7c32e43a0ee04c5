import { z } from 'zod';
import { Line } from '../common.ts';
import { PlanStepSchema } from './plans.ts';

/** A plan as a file: what its steps name stands by name. The file of `nudrik plan check`, and the `plan` of a rehearsal file. */
export const PlanFile = z.strictObject({
  $schema: z.string().optional(),
  course: Line(200),
  steps: z.array(PlanStepSchema).min(1).max(50),
});
export type PlanFile = z.infer<typeof PlanFile>;

/** POST /api/plans/:courseId/file: steps that are in hand, as a file */
export const PlanFileRequest = z.object({ steps: z.array(PlanStepSchema).min(1).max(50) });

/** POST /api/plans/:courseId/file/read: the text of a file; nothing is stored */
export const PlanFileRead = z.object({ text: z.string().min(1, 'expected a file').max(1_000_000) });
export interface PlanFileTaken {
  /** the course that it was written for */
  course: string;
  steps: z.infer<typeof PlanStepSchema>[];
}
