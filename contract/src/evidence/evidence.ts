import { z } from 'zod';
import { Id, Line, LocalDate } from '../common.ts';
import { KNOWN } from '@nudrik/core';

/** GET /api/evidence/sample: some of those who were required in a period, drawn so that the same question has the same answer */
export const SampleQuery = z
  .object({
    from: LocalDate,
    to: LocalDate,
    course: Id.optional(),
    requirement: Id.optional(),
    size: z.coerce.number('expected a number').int('expected a whole number').min(1, 'expected at least 1').max(500, 'expected at most 500').default(30),
    /** any words: others draw others */
    seed: Line(40, 'expected a seed, such as 7').default('1'),
    known: z.enum(KNOWN).default('then'),
  })
  .refine(({ from, to }) => from <= to, { path: ['to'], message: 'expected a day that is not before the first' }); // prettier-ignore
export type SampleQuery = z.infer<typeof SampleQuery>;

export interface SampleView {
  /** what was asked, in words */
  words: string;
  /** how many were required, from whom it was drawn */
  of: number;
  /** stands for exactly these: where it is another, others were required */
  print: string;
  rows: SampleRow[];
}
export interface SampleRow {
  person: { id: string; name: string };
  department: string;
  site: string;
  /** courses that were required of them in the period, and how they stood at its end */
  required: number;
  finished: number;
  late: number;
  open: number;
}

/** What an evidence pack is about. */
export const PackOf = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('person'), id: Id }),
  z.object({ kind: z.literal('course'), id: Id }),
  z.object({ kind: z.literal('requirement'), id: Id }),
  z.object({ kind: z.literal('period') }),
  z.object({ kind: z.literal('sample'), sample: SampleQuery }),
]);
export type PackOf = z.infer<typeof PackOf>;
export type PackKind = PackOf['kind'];
export const PACK_KINDS = ['person', 'course', 'requirement', 'period', 'sample'] as const satisfies readonly PackKind[];

/** POST /api/evidence/preview: what would be in it; POST /api/evidence/packs: makes it, as long work */
export const PackRequest = z
  .object({
    of: PackOf,
    /** null is from the beginning, and up to now */
    from: LocalDate.nullable(),
    to: LocalDate.nullable(),
    /** each message as it was read, or the list of them alone */
    withMessages: z.boolean().default(true),
  })
  .refine(({ from, to }) => from === null || to === null || from <= to, { path: ['to'], message: 'expected a day that is not before the first' })
  .refine(({ of, from }) => of.kind !== 'period' || from !== null, { path: ['from'], message: 'expected the first day of the period' }); // prettier-ignore
export type PackRequest = z.infer<typeof PackRequest>;

export interface PackPreview {
  title: string;
  /** in words: of when */
  when: string;
  people: number;
  assignments: number;
  notices: number;
  messages: number;
  certificates: number;
  signOffs: number;
  acts: number;
  /** why it cannot be made; null where it can */
  fault: string | null;
}

/** GET /api/evidence/packs: the newest first */
export interface PacksView {
  /** the print of the key that packs are signed with */
  key: string;
  packs: PackRow[];
}
export interface PackRow {
  id: string;
  at: string;
  byWhom: string;
  title: string;
  when: string;
  files: number;
  bytes: number;
  /** SHA-256 of its manifest: `nudrik verify` prints it */
  manifest: string;
  /** where it is still kept; null where it is to be made anew */
  href: string | null;
}
/** The answer of the work that made one */
export interface PackMade {
  href: string;
  name: string;
  manifest: string;
  files: number;
  bytes: number;
}

/** GET /api/evidence/looked: what was looked at and taken; auditors see their own */
export const LookedQuery = z.object({
  what: z.enum(['all', 'looked', 'took']).default('all'),
  by: z.string().max(200).optional(),
  before: z
    .string()
    .regex(/^\d{1,16}~\d{1,19}$/, 'expected where the page before ended')
    .optional(),
});
export type LookedQuery = z.infer<typeof LookedQuery>;
export interface LookedView {
  rows: LookedRow[];
  /** where the next page begins; null where there is none */
  further: string | null;
  /** whose there are */
  whose: string[];
}
export interface LookedRow {
  id: string;
  byWhom: string;
  what: 'looked' | 'took';
  words: string;
  firstAt: string;
  lastAt: string;
  times: number;
}

/** What stands in the manifest of a pack, `manifest.json`: of each file its size and hash. */
export const Manifest = z.object({
  format: z.literal('nudrik-evidence'),
  version: z.literal(1),
  house: z.string(),
  title: z.string(),
  when: z.string(),
  madeAt: z.string(),
  madeBy: z.string(),
  /** the last head of the chain of seals when it was made */
  head: z.object({ day: z.string(), head: z.string() }).nullable(),
  files: z.array(z.object({ path: z.string(), bytes: z.number().int().nonnegative(), sha256: z.string().regex(/^[0-9a-f]{64}$/) })).max(1_000_000),
}); // prettier-ignore
export type Manifest = z.infer<typeof Manifest>;
