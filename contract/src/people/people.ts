import { z } from 'zod';
import { readChatName, WAYS } from '@nudrik/core';
import { Id, LanguageTag, LocalDate, MailAddress, Page, type FinishedFact, Line, TimeOfDay } from '../common.ts';
import type { ReachView } from './reach.ts';

/** `fit`: those first whose name is nearest to what is looked for */
export const PEOPLE_SORTS = ['name', 'department', 'site', 'job', 'manager', 'joined', 'late', 'fit'] as const;

/** GET /api/people */
export const PeopleQuery = Page.extend({
  find: z.string().max(200).optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  group: Id.optional(),
  /** who was or will be written to on these days */
  from: LocalDate.optional(),
  to: LocalDate.optional(),
  show: z.enum(['here', 'left', 'all', 'no-manager', 'unreachable']).default('here'),
  sort: z.enum(PEOPLE_SORTS).default('name'),
  order: z.enum(['asc', 'desc']).default('asc'),
});
export type PeopleQuery = z.infer<typeof PeopleQuery>;

export interface PersonRow {
  id: string;
  name: string;
  email: string;
  department: string;
  site: string;
  job: string | null;
  manager: { id: string; name: string } | null;
  joinedOn: string | null;
  leftOn: string | null;
  open: number;
  late: number;
  addressState: 'ok' | 'bounced';
  personnelNumber: string | null;
}

export interface PeoplePage {
  rows: PersonRow[];
  total: number;
}

/** GET /api/people/facets */
export interface PeopleFacets {
  departments: { name: string; people: number }[];
  groups: { id: string; name: string; people: number }[];
  sites: { id: string; name: string; zone: string; people: number }[];
}

export interface AssignmentLine extends FinishedFact {
  id: string;
  course: { id: string; title: string };
  round: number;
  assignedAt: string;
  dueAt: string;
  state: string;
  unitsDone: number;
  unitsRequired: number;
  certificate: { serial: string; state: string } | null;
  /** requirements that asked for it; empty where it was assigned by hand alone */
  reasons: { id: string; name: string; isOut: boolean }[];
  isByHand: boolean;
  waivedUntil: string | null;
  /** an earlier completion that was recorded, with its proof */
  proof: { fileId: string; name: string } | null;
}

/** GET /api/people/:id */
export interface PersonSheet {
  person: PersonRow & {
    zone: string;
    /** as a tag (BCP 47); null is the house's */
    language: string | null;
    chatName: string | null;
    /** what the chat said, where it does not know them */
    chatWords: string | null;
    reach: ReachView;
    addressWords: string | null;
    /** who they were was erased */
    erasedAt: string | null;
    /** letters of the name that no shipped font has: a certificate could not show them */
    unprintable: string[];
    /** `to` is null until further notice */
    leave: { id: string; from: string; to: string | null; cover: string | null }[];
    team: number;
    siteId: string;
    groups: { id: string; name: string }[];
  };
  assignments: AssignmentLine[];
}

/** PATCH /api/people/:id, and with name, e-mail, department and site POST /api/people */
export const PersonChange = z
  .strictObject({
    name: Line(200, 'expected a name'),
    email: MailAddress,
    personnelNumber: Line(60).nullable(),
    department: Line(120, 'expected a department'),
    siteId: Id,
    job: Line(120).nullable(),
    /** what messages are read in, as a tag (BCP 47); null is the house's */
    language: LanguageTag.nullable(),
    /** what the workplace chat knows them by */
    chatName: z.string().transform(readChatName).pipe(Line(80).nullable()).nullable(),
    /** how they are told where a step does not say it; null is as the house has it */
    by: z.enum(WAYS).nullable(),
    /** all of a day at once, at this local time; null is each at its own moment */
    dailyAt: TimeOfDay.nullable(),
    managerId: Id.nullable(),
    joinedOn: LocalDate.nullable(),
    leftOn: LocalDate.nullable(),
  })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'expected something to change');
export type PersonChange = z.infer<typeof PersonChange>;

/** POST /api/people/resolve: a pasted list of e-mails, personnel numbers or names */
export const ResolveRequest = z.object({ text: z.string().max(2_000_000) });
export interface Resolved {
  found: { id: string; name: string }[];
  /** what stands in the list and is nobody, as it was written, with why */
  unknown: { text: string; why: string }[];
}

/** GET /api/people/:id/timeline: everything that happened to a person, oldest first, what is planned last */
export interface TimelineEntry {
  at: string;
  what: 'assignment' | 'notice' | 'finish' | 'certificate' | 'change';
  words: string;
  /** planned, and not yet so */
  isAhead: boolean;
  course: { id: string; title: string } | null;
  noticeId: string | null;
  kind: string | null;
  outcome: string | null;
  because: string | null;
  byWhom: string | null;
  /** the address of a document that tells more of it */
  document: string | null;
}

/** GET /api/my-leave */
export interface MyLeaveView {
  /** `cover` is who covers; nobody is null */
  leave: { id: string; from: string; to: string | null; cover: string | null }[];
  /** who may cover */
  covers: { id: string; name: string }[];
}

/** GET /api/people/:id/why/:courseId */
export interface WhyCourse {
  /** one sentence that answers "why does this person have this course?" */
  words: string;
  reasons: {
    requirement: { id: string; name: string } | null;
    words: string;
    since: string | null;
    /** the facts about the person that make it so today; empty where it is no longer so */
    facts: string[];
    isStill: boolean;
  }[];
}
