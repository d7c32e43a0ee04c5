import { z } from 'zod';
import { Id } from '../common.ts';

/** GET /api/rehearsal: core's `RehearsalFacts` of one course, or of all that are live */
export const RehearsalQuery = z.object({ course: Id.optional() });
