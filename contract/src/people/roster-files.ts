import { z } from 'zod';
import { ROSTER_COLUMNS, type FormerName, type RosterColumn, type RosterPerson } from '@nudrik/core';

/** GET /api/people/roster: what a file is compared with, in the browser's worker and on the server */
export interface RosterFacts {
  /** changes whenever the roster does: a preview is taken only against the roster that it was made from */
  mark: string;
  people: RosterPerson[];
  sites: string[];
  departments: string[];
  formerNames: FormerName[];
  /** columns (plain header) as they were matched the last time */
  remembered: Record<string, RosterColumn | null>;
  today: string;
  /** percent of the roster above which leaving, or a pull, asks a second time */
  changeShare: number;
}

/** How a file is read and what of it is taken: sent beside the file itself. */
export const ImportOrder = z.strictObject({
  fileName: z.string().min(1).max(255),
  mark: z.string().max(200),
  columns: z.array(z.enum(ROSTER_COLUMNS).nullable()).max(200),
  dateOrder: z.enum(['ymd', 'dmy', 'mdy']),
  isComplete: z.boolean(),
  emptyCells: z.enum(['keep', 'clear']),
  groups: z.strictObject({ added: z.boolean(), changed: z.boolean(), returned: z.boolean(), left: z.boolean() }),
  /** how many were shown as leaving, said again where they are more than the set share */
  confirmedLeft: z.number().int().min(0).nullable(),
  /** of rows that stand for one person, those that somebody chose: by their line in the file */
  chosenRows: z.array(z.number().int().min(1)).max(1_000, 'expected at most 1,000 chosen rows').optional(),
});
export type ImportOrder = z.infer<typeof ImportOrder>;

/** POST /api/people/imports?order=…: the file is the body */
export const ImportQuery = z.object({
  order: z.string().transform((text, context): ImportOrder => {
    let value: unknown;
    try {
      value = JSON.parse(text);
    } catch {
      context.addIssue({ code: 'custom', message: 'expected JSON' });
      return z.NEVER;
    }
    const parsed = ImportOrder.safeParse(value);
    if (parsed.success) return parsed.data;
    for (const issue of parsed.error.issues) context.addIssue({ code: 'custom', path: [...issue.path], message: issue.message });
    return z.NEVER;
  }),
});
export type ImportQuery = z.infer<typeof ImportQuery>;

export interface ImportResult {
  id: string | null;
  added: number;
  changed: number;
  returned: number;
  left: number;
  rejected: number;
}

/** POST /api/people/imports/foresee?order=…: what the requirements would ask if the file were taken; nothing is stored */
export interface ImportForesight {
  requirements: {
    id: string;
    name: string;
    course: string;
    /** who would be assigned it, or have it taken up again */
    people: number;
    /** the first few of them */
    names: string[];
    /** the first mail that would come of it, in the zone of whom it is about */
    first: { at: string; step: string; name: string; zone: string } | null;
  }[];
  /** open assignments that would be withdrawn, of people who left or fell out */
  withdrawn: number;
  /** open assignments whose people fell out, and about which Today would ask */
  asked: number;
}

/** GET /api/people/imports */
export interface ImportRow {
  id: string;
  fileName: string;
  source: 'file' | 'feed';
  takenAt: string;
  takenBy: string;
  added: number;
  changed: number;
  returned: number;
  left: number;
  rejected: number;
  hasFile: boolean;
  undoneAt: string | null;
  undoneBy: string | null;
}
