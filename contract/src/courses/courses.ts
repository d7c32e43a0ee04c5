import { z } from 'zod';
import { UNIT_KINDS, unitKind } from '@nudrik/core';
import { Id, Version, Line } from '../common.ts';

export const UnitDraft = z
  .object({
    id: Id.nullable().default(null),
    kind: z.enum(UNIT_KINDS),
    title: Line(200, 'a unit needs a title'),
    required: z.boolean().default(true),
    /** rich text of a page, as HTML; cleaned on the server */
    body: z.string().max(200_000).nullable().default(null),
    url: z
      .url({ protocol: /^https?$/, error: 'expected a web address beginning with http:// or https://' })
      .max(2000)
      .nullable()
      .default(null),
    fileId: Id.nullable().default(null),
  })
  .superRefine((unit, context) => {
    const fault = unitKind(unit.kind).fault(unit);
    if (fault) context.addIssue({ code: 'custom', path: [fault.field], message: fault.words });
  });
export type UnitDraft = z.infer<typeof UnitDraft>;

export const SectionDraft = z.object({
  id: Id.nullable().default(null),
  title: Line(200, 'a section needs a title'),
  units: z.array(UnitDraft).max(200),
});

/** POST /api/courses */
export const CourseDraft = z.object({
  title: Line(200, 'a course needs a title'),
  code: z.string().trim().max(40).nullable().default(null),
  summary: z.string().trim().max(2000).nullable().default(null),
  ownerId: Id.nullable().default(null),
  validityMonths: z.number().int().min(1).max(240).nullable().default(null),
  sections: z.array(SectionDraft).max(50),
});
export type CourseDraft = z.infer<typeof CourseDraft>;

/** PUT /api/courses/:id */
export const CourseChange = CourseDraft.extend({ version: Version });
export type CourseChange = z.infer<typeof CourseChange>;

export interface UnitView extends UnitDraft {
  file: { id: string; name: string; bytes: number } | null;
}

/** GET /api/courses/:id */
export interface CourseView extends Omit<CourseDraft, 'sections'> {
  id: string;
  owner: { id: string; name: string } | null;
  sections: { id: string; title: string; units: UnitView[] }[];
  assigned: number;
  version: number;
  changedAt: string | null;
  changedBy: string | null;
}

/** GET /api/courses */
export interface CourseRow {
  id: string;
  title: string;
  /** months after which its certificates run out, null never */
  validityMonths: number | null;
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
