import { z } from 'zod';
import { Id, Instant, Line, LocalDate } from '../common.ts';

/** What a program may do; one token has one or several of these. All but the last only read. */
export const SCOPES = ['people', 'courses', 'assignments', 'notices', 'certificates', 'completions'] as const;
export type Scope = (typeof SCOPES)[number];
export const SCOPE_WORDS: Readonly<Record<Scope, string>> = {
  people: 'who is on the roster, where, and who their manager is',
  courses: 'courses and requirements',
  assignments: 'who was asked for what, and how it stands',
  notices: 'what was sent to whom, and what was not and why',
  certificates: 'certificates that were issued, and whether they stand',
  completions: 'brings completions, as statements of xAPI',
};

/** GET /api/programs: tokens, without what they are */
export interface ProgramsView {
  tokens: TokenRow[];
}
export interface TokenRow {
  id: string;
  name: string;
  scopes: Scope[];
  madeBy: string;
  madeAt: string;
  /** the last day on which it opens something; null is without end */
  until: string | null;
  lastUsedAt: string | null;
  endedAt: string | null;
  endedBy: string | null;
}
/** POST /api/programs */
export const TokenDraft = z.object({
  name: Line(80, 'expected what the token is for'),
  scopes: z.array(z.enum(SCOPES)).min(1, 'expected at least one thing that may be read'),
  until: LocalDate.nullable().default(null),
});
export type TokenDraft = z.infer<typeof TokenDraft>;
/** The token itself: it is told once, and never again */
export interface TokenMade {
  id: string;
  token: string;
}

/** Pages by key: `after` is `next` of the page before. */
const Paged = z.object({
  after: Id.optional().meta({ description: 'Where the page begins: `next` of the page before. Without it, at the beginning.' }),
  limit: z.coerce.number().int().min(1).max(1000).default(200).meta({ description: 'Rows of a page, 1 to 1,000.' }),
});
const At = Instant.meta({ description: 'A moment in UTC (RFC 3339).' });
const Day = LocalDate.meta({ description: 'A day without an hour.' });

export const ApiPerson = z
  .object({
    id: Id,
    number: z.string().nullable().meta({ description: 'The personnel number.' }),
    name: z.string(),
    email: z.string(),
    department: z.string(),
    site: z.string(),
    zone: z.string().meta({ description: 'The IANA time zone of the site.' }),
    job: z.string().nullable(),
    managerId: Id.nullable(),
    joinedOn: Day.nullable(),
    leftOn: Day.nullable().meta({ description: 'The first day on which they are not there any more.' }),
  })
  .meta({ id: 'Person' });
export const ApiCourse = z
  .object({
    id: Id,
    title: z.string(),
    state: z.enum(['draft', 'live', 'retired']),
    units: z.number().int().meta({ description: 'Required units.' }),
  })
  .meta({ id: 'Course' });
export const ApiRequirement = z.object({ id: Id, name: z.string(), courseId: Id, isOn: z.boolean() }).meta({ id: 'Requirement' });
export const ApiAssignment = z
  .object({
    id: Id,
    personId: Id,
    courseId: Id,
    round: z.number().int(),
    assignedAt: At,
    dueAt: At,
    state: z.enum(['open', 'late', 'finished', 'waived', 'withdrawn']).meta({ description: '`late` is open after its due date.' }),
    unitsDone: z.number().int(),
    closedAt: At.nullable(),
    finishedOn: Day.nullable().meta({ description: 'The day of a completion that was recorded, whose hour nobody knows.' }),
    requirementIds: z.array(Id).meta({ description: 'Requirements that ask for it.' }),
  })
  .meta({ id: 'Assignment' });
export const ApiNotice = z
  .object({
    id: Id,
    assignmentId: Id,
    personId: Id.meta({ description: 'Whom it is about.' }),
    courseId: Id,
    recipientId: Id.nullable().meta({ description: 'Who reads it, where they are on the roster.' }),
    step: z.string(),
    kind: z.string(),
    at: At,
    state: z.string().meta({ description: 'planned, held, sending, sent, delivered, bounced, failed, skipped or cancelled.' }),
    because: z.string().nullable().meta({ description: 'Why it was held back or not sent.' }),
    sentAt: At.nullable(),
  })
  .meta({ id: 'Notice' });
export const ApiCertificate = z
  .object({
    id: Id,
    serial: z.string(),
    assignmentId: Id,
    personId: Id,
    courseId: Id,
    issuedOn: Day,
    expiresOn: Day.nullable().meta({ description: 'The last day on which it holds.' }),
    revokedAt: At.nullable(),
    replacedAt: At.nullable(),
    issuer: z.string().nullable().meta({ description: 'Who issued it, where others did.' }),
  })
  .meta({ id: 'Certificate' });

const Whose = { person: Id.optional(), course: Id.optional() };

/** All that programs may read, by path below /api/v1: what a token needs for it, what may be asked, and what a row is. */
export const RESOURCES = {
  people: { scope: 'people', title: 'People of the roster', query: Paged.extend({ email: z.string().max(320).optional(), number: z.string().max(100).optional() }), row: ApiPerson },
  courses: { scope: 'courses', title: 'Courses', query: Paged, row: ApiCourse },
  requirements: { scope: 'courses', title: 'Requirements', query: Paged, row: ApiRequirement },
  assignments: { scope: 'assignments', title: 'Assignments', query: Paged.extend({ ...Whose, state: z.enum(['open', 'closed', 'all']).default('all') }), row: ApiAssignment },
  notices: { scope: 'notices', title: 'Notices', query: Paged.extend({ ...Whose, from: LocalDate.optional(), to: LocalDate.optional() }), row: ApiNotice },
  certificates: { scope: 'certificates', title: 'Certificates', query: Paged.extend(Whose), row: ApiCertificate },
} as const satisfies Record<string, { scope: Scope; title: string; query: z.ZodObject; row: z.ZodObject }>; // prettier-ignore
export type Resource = keyof typeof RESOURCES;
