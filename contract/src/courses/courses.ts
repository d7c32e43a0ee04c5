import { z } from 'zod';
import { Id } from '../common.ts';

export const UNIT_KINDS = ['page', 'link', 'file'] as const;

export const UnitDraft = z
  .object({
    id: Id.nullable().default(null),
    kind: z.enum(UNIT_KINDS),
    title: z.string().trim().min(1, 'a unit needs a title').max(200),
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
    if (unit.kind === 'link' && !unit.url)
      context.addIssue({ code: 'custom', path: ['url'], message: `"${unit.title}" is a link and needs a web address` });
    if (unit.kind === 'file' && !unit.fileId)
      context.addIssue({
        code: 'custom',
        path: ['fileId'],
        message: `"${unit.title}" needs its file: choose one and upload it`,
      });
  });
export type UnitDraft = z.infer<typeof UnitDraft>;

export const SectionDraft = z.object({
  id: Id.nullable().default(null),
  title: z.string().trim().min(1, 'a section needs a title').max(200),
  units: z.array(UnitDraft).max(200),
});

/** POST /api/courses, PUT /api/courses/:id */
export const CourseDraft = z.object({
  title: z.string().trim().min(1, 'a course needs a title').max(200),
  code: z.string().trim().max(40).nullable().default(null),
  summary: z.string().trim().max(2000).nullable().default(null),
  ownerId: Id.nullable().default(null),
  validityMonths: z.number().int().min(1).max(240).nullable().default(null),
  sections: z.array(SectionDraft).max(50),
});
export type CourseDraft = z.infer<typeof CourseDraft>;

export interface UnitView extends UnitDraft {
  file: { id: string; name: string; bytes: number } | null;
}

/** GET /api/courses/:id */
export interface CourseView extends Omit<CourseDraft, 'sections'> {
  id: string;
  owner: { id: string; name: string } | null;
  sections: { id: string; title: string; units: UnitView[] }[];
  assigned: number;
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
  current: number;
  open: number;
  dueSoon: number;
  late: number;
  finished: number;
  stepsOn: number;
  steps: number;
}
