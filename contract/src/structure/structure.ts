import { z } from 'zod';
import { Id, LocalDate, Version, Line } from '../common.ts';

const Name = Line(120, 'expected a name');

/** GET /api/people/structure */
export interface StructureView {
  departments: { id: string; name: string; parentId: string | null; people: number; version: number }[];
  sites: {
    id: string;
    name: string;
    zone: string;
    workingDays: number[];
    people: number;
    holidays: { on: string; name: string }[];
    version: number;
  }[];
  groups: { id: string; name: string; about: string | null; people: number; version: number }[];
}

/** GET /api/holidays: the holidays of all sites, by date */
export interface SiteHoliday {
  on: string;
  name: string;
  siteId: string;
  site: string;
}

/** POST /api/people/departments and PATCH …/:id */
export const DepartmentDraft = z.strictObject({ name: Name, parentId: Id.nullable() });
export const DepartmentChange = DepartmentDraft.extend({ version: Version });
/** POST /api/people/sites and PATCH …/:id */
export const SiteDraft = z.strictObject({
  name: Name,
  zone: z.string().min(1, 'expected a time zone like Europe/Oslo').max(80),
  workingDays: z.array(z.number().int().min(1).max(7)).min(1, 'expected at least one working day').max(7),
});
export const SiteChange = SiteDraft.extend({ version: Version });
export type SiteDraft = z.infer<typeof SiteDraft>;
/** PUT /api/people/sites/:id/holidays: all of one year, as they are to be */
export const HolidaysDraft = z.strictObject({
  version: Version,
  year: z.number().int().min(1970).max(2199),
  holidays: z.array(z.strictObject({ on: LocalDate, name: Name })).max(366),
});
export type HolidaysDraft = z.infer<typeof HolidaysDraft>;
/** POST /api/people/groups and PATCH …/:id */
export const GroupDraft = z.strictObject({ name: Name, about: z.string().trim().max(500).nullable() });
export const GroupChange = GroupDraft.extend({ version: Version });
/** POST /api/people/groups/:id/members */
export const MembersChange = z.strictObject({ add: z.array(Id).max(50_000).default([]), remove: z.array(Id).max(50_000).default([]) });

/** POST /api/people/holidays/read: an iCalendar file (RFC 5545) is the body */
export interface HolidaysRead {
  holidays: { on: string; name: string }[];
  /** what was passed over, and why */
  passedOver: string[];
}

/** POST /api/people/:id/leaves: without a last day, leave until further notice */
export const LeaveDraft = z
  .strictObject({ from: LocalDate, to: LocalDate.nullable(), coverId: Id.nullable() })
  .refine(({ from, to }) => to === null || from <= to, { path: ['to'], message: 'expected a last day that is not before the first' });
export type LeaveDraft = z.infer<typeof LeaveDraft>;
/** PATCH /api/people/:id/leaves/:leave: its last day, or null until further notice */
export const LeaveChange = z.strictObject({ to: LocalDate.nullable() });
export type LeaveChange = z.infer<typeof LeaveChange>;
