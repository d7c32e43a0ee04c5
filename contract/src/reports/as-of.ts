import { z } from 'zod';
import { KNOWN, type Known } from '@nudrik/core';
import { LocalDate } from '../common.ts';

/** The end of which day a page of figures is of, and whether as it was known then or as is known now. Without a day it is of now. */
export const AsOfQuery = z.object({ on: LocalDate.optional(), known: z.enum(KNOWN).default('then') });
export type AsOfQuery = z.infer<typeof AsOfQuery>;

/** Of a day that has passed, with what the other reading tells differently. */
export interface AsOfTold {
  on: string;
  known: Known;
  differs: {
    /** people and courses */
    count: number;
    /** the first of them by name; without a course it is about being on the roster */
    first: { person: { id: string; name: string }; course: { id: string; title: string } | null; then: string; now: string }[];
  };
}
