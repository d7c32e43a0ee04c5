import { z } from 'zod';
import { Id, Page } from '../common.ts';

export const PEOPLE_SORTS = ['name', 'department', 'site', 'job', 'manager', 'joined', 'late'] as const;

/** GET /api/people */
export const PeopleQuery = Page.extend({
  find: z.string().max(200).optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
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
  sites: { name: string; zone: string; people: number }[];
}

export interface AssignmentLine {
  id: string;
  course: { id: string; title: string };
  round: number;
  assignedAt: string;
  dueAt: string;
  state: string;
  finishedAt: string | null;
  unitsDone: number;
  unitsRequired: number;
  certificate: { serial: string; state: string } | null;
}

/** GET /api/people/:id */
export interface PersonSheet {
  person: PersonRow & {
    zone: string;
    addressWords: string | null;
    leave: { from: string; to: string; cover: string | null }[];
    team: number;
  };
  assignments: AssignmentLine[];
}

/** PATCH /api/people/:id: mends what stands in the way of a notice */
export const PersonChange = z
  .object({ email: z.email('expected a mail address').max(320).optional(), managerId: Id.nullable().optional() })
  .refine((change) => change.email !== undefined || change.managerId !== undefined, 'expected an e-mail or a manager');
export type PersonChange = z.infer<typeof PersonChange>;

/** POST /api/people/import?take=…: the file itself is the body; without `take` nothing is stored */
export const ImportQuery = z.object({
  fileName: z.string().max(255).default('roster.csv'),
  take: z.string().optional(),
});
