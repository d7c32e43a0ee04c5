import { z } from 'zod';
import { Id, LocalDate, TimeOfDay } from '../common.ts';
import type { PreviewPerson } from '../plans/plans.ts';

/** POST /api/assignments/preview and POST /api/assignments. Who: chosen people, or a whole department or site. */
export const AssignRequest = z
  .object({
    courseId: Id,
    personIds: z.array(Id).max(50_000).default([]),
    departments: z.array(z.string()).default([]),
    sites: z.array(z.string()).default([]),
    /** due at this local date and time in each person's own zone */
    dueOn: LocalDate,
    dueTime: TimeOfDay.default('17:00'),
  })
  .refine((request) => request.personIds.length + request.departments.length + request.sites.length > 0, {
    path: ['personIds'],
    message: 'expected somebody to assign the course to: people, a department or a site',
  });
export type AssignRequest = z.infer<typeof AssignRequest>;

export interface AssignPreview {
  course: { id: string; title: string };
  /** who would get the course */
  count: number;
  people: PreviewPerson[];
  /** who has it open already, and keeps that assignment */
  already: { id: string; name: string; due: string }[];
  /** merge fields without a value, which would hold a notice */
  missing: { step: string; field: string; people: string[] }[];
  /** messages by local day of the house: what the ribbon would show */
  byDay: { day: string; count: number }[];
  warnings: string[];
}

export interface AssignResult {
  assigned: number;
  already: number;
}

/** POST /api/assignments/:id/extend */
export const ExtendRequest = z.object({
  dueOn: LocalDate,
  dueTime: TimeOfDay.default('17:00'),
  reason: z.string().trim().min(1, 'expected a reason').max(1000),
});
export type ExtendRequest = z.infer<typeof ExtendRequest>;

/** POST /api/assignments/:id/waive and …/withdraw */
export const CloseRequest = z.object({ reason: z.string().trim().min(1, 'expected a reason').max(1000) });
